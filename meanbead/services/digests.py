"""What identifies an estimate: everything that it is computed from."""

from __future__ import annotations

import hashlib
import json
import threading
from dataclasses import dataclass
from weakref import WeakKeyDictionary

from sqlalchemy import Connection, Engine
from sqlalchemy.orm import Session, object_session

from meanbead.core.errors import MeanBeadError, RecipeError
from meanbead.core.estimate.engine import ENGINE_VERSION
from meanbead.core.recipe.preview import Preview, preview
from meanbead.core.recipe.resolve import resolve
from meanbead.core.runtime.cache import BoundedCache
from meanbead.store.around import Around, around, state_of
from meanbead.store.recipes import recipe_inputs
from meanbead.store.tables import RecipeRow

__all__ = ["Trial", "inputs_digest", "shown", "trial"]

_DIGESTS_KEPT = 30_000
_PREVIEWS_KEPT = 3_000


@dataclass(frozen=True)
class Trial:
    """What is known of a column that is only thought of: its estimate's digest, how hot it is printed, and in ``wrong`` why it
    cannot be."""

    digest: str
    nozzle_temp_c: float
    wrong: str = ""


class _Memory:
    """What follows from a column's state, by that state; of one database."""

    def __init__(self) -> None:
        self.digests: BoundedCache[str] = BoundedCache(_DIGESTS_KEPT, lambda _: 1)
        self.previews: BoundedCache[Preview | str] = BoundedCache(_PREVIEWS_KEPT, lambda _: 1)
        self.trials: BoundedCache[Trial] = BoundedCache(_DIGESTS_KEPT, lambda _: 1)


_MEMORIES: WeakKeyDictionary[Engine, _Memory] = WeakKeyDictionary()
_LOCK = threading.Lock()


def _memory(session: Session) -> _Memory:
    bound = session.get_bind()
    engine = bound.engine if isinstance(bound, Connection) else bound
    with _LOCK:
        return _MEMORIES.setdefault(engine, _Memory())


def inputs_digest(row: RecipeRow, part_digest: str, about: Around | None = None) -> str:
    """Identifies an estimate by everything that it is computed from: the plan, whatever decided it, and what runs it.

    ``about`` is what stands around it, where that was read already. Of a state that is stored it is computed once.
    """
    session, about = _around(row, about)
    if _unsaved(session):
        return _digest(row, part_digest, about)
    return _memory(session).digests.get((part_digest, _state(row, about)), lambda: _digest(row, part_digest, about))


def shown(row: RecipeRow, about: Around | None = None) -> Preview | str:
    """What the sheet shows of a column before its part is sliced; or why it contradicts itself, as a sentence."""
    session, about = _around(row, about)
    if _unsaved(session):
        return _shown(row, about)
    return _memory(session).previews.get(_state(row, about), lambda: _shown(row, about))


def trial(session: Session, row: RecipeRow, like: RecipeRow, part_digest: str, about: Around) -> Trial:
    """What is known of a row that stands in no session: ``like`` another one but for machine, plastic and choices."""
    choices = json.dumps(row.choices, sort_keys=True)
    key = (
        part_digest,
        choices,
        like.part_id,
        *(state_of(one) for one in (like, row.machine, row.nozzle, row.material)),
    )
    return _memory(session).trials.get(
        (*key, about.state(row.part, row.machine_id)), lambda: _trial(row, part_digest, about)
    )


def _trial(row: RecipeRow, part_digest: str, about: Around) -> Trial:
    try:
        temp = resolve(*recipe_inputs(row, about)).nozzle_temp_c
    except MeanBeadError as problem:
        return Trial("", 0.0, str(problem))
    return Trial(_digest(row, part_digest, about), temp)


def _around(row: RecipeRow, about: Around | None) -> tuple[Session, Around]:
    session = object_session(row)
    if session is None:
        raise RuntimeError("a column's digest is asked for while its session is open")
    return session, about or around(session)


def _unsaved(session: Session) -> bool:
    """Whether something was changed and not written yet: versions do not tell such states apart."""
    return bool(session.dirty or session.new)


def _state(row: RecipeRow, about: Around) -> tuple[object, ...]:
    """Tells one state of a column, and of all that decides it, from every other."""
    rows = (row, row.machine, row.nozzle, row.material)
    return (*(state_of(one) for one in rows), row.part_id, about.state(row.part, row.machine_id))


def _digest(row: RecipeRow, part_digest: str, about: Around) -> str:
    recipe, printer, nozzle, material, standards = recipe_inputs(row, about)
    try:
        made = resolve(recipe, printer, nozzle, material, standards).as_recipe()
    except RecipeError:
        made = recipe  # it cannot be estimated; what it holds tells it from others that cannot
    content = [
        ENGINE_VERSION,
        row.gcode.digest if row.gcode else part_digest,
        *(model.model_dump(mode="json") for model in (made, printer, nozzle, material)),
    ]
    return hashlib.sha256(json.dumps(content, sort_keys=True).encode()).hexdigest()


def _shown(row: RecipeRow, about: Around) -> Preview | str:
    try:
        return preview(*recipe_inputs(row, about))
    except MeanBeadError as problem:
        return str(problem)
