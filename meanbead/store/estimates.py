"""Estimates, found by the digest of all that they are computed from."""

from __future__ import annotations

from pydantic import ValidationError
from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from meanbead.core.model import Estimate
from meanbead.store.tables import (
    EstimateRow,
    now,
)


def find_estimate(session: Session, inputs: str) -> Estimate | None:
    """A stored estimate of exactly these inputs by this engine."""
    row = session.get(EstimateRow, inputs)
    return None if row is None else Estimate.model_validate(row.result)


def latest_estimate(session: Session, recipe_id: int) -> Estimate | None:
    """What was last estimated for a column, whatever has changed since; None where that cannot be read any more."""
    row = session.scalars(
        select(EstimateRow).where(EstimateRow.recipe_id == recipe_id).order_by(EstimateRow.created_at.desc()).limit(1)
    ).one_or_none()
    try:
        return None if row is None else Estimate.model_validate(row.result)
    except ValidationError:
        return None  # of an engine whose estimates had other figures


def save_estimate(session: Session, inputs: str, recipe_id: int, estimate: Estimate) -> None:
    """Store an estimate; that somebody else stored the same one meanwhile does no harm."""
    session.execute(
        insert(EstimateRow)
        .values(
            inputs=inputs,
            recipe_id=recipe_id,
            engine_version=estimate.engine_version,
            result=estimate.model_dump(mode="json"),
            created_at=now(),
        )
        .on_conflict_do_nothing()
    )
