"""Answers that are kept while the workshop stays as it is: most of what many people read is what others have just read."""

from __future__ import annotations

from collections.abc import Callable, Hashable

from flask import Response
from pydantic import BaseModel
from sqlalchemy.orm import Session

from meanbead.api.context import Kept, context
from meanbead.store.state import workshop_state

__all__ = ["kept_while_unchanged"]


def kept_while_unchanged(
    db: Session, about: Hashable, make: Callable[[], tuple[BaseModel, bool]], *, part_id: int | None = None
) -> Response:
    """The answer that was made in the same state, or a new one. ``make`` gives it, and whether it is complete.

    The state is asked for before anything is read, so that an answer never bears a newer state than what it was made of.
    """
    state, added = workshop_state(db, part_id)
    kept = context().answers
    found = kept.peek((about, state))
    if found is None or not (found.complete or found.added == added):
        model, complete = make()
        found = Kept(model.model_dump_json(by_alias=True).encode(), complete, added)
        kept.put((about, state), found)
    return Response(found.body, content_type="application/json")
