"""Estimates, found by the digest of all that they are computed from."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy import select
from sqlalchemy.dialects.postgresql import distinct_on, insert
from sqlalchemy.orm import Session

from meanbead.core.model import Estimate
from meanbead.store.tables import (
    EstimateRow,
    now,
)


@dataclass(frozen=True)
class Figures:
    """As much of an estimate as a list shows."""

    print_time_s: float
    filament_g: float
    by_cause: dict[str, float] = field(default_factory=dict)
    low_s: float = 0.0
    high_s: float = 0.0


_FIGURES = (
    EstimateRow.result["print_time_s"].as_float().label("print_time_s"),
    EstimateRow.result["filament_g"].as_float().label("filament_g"),
    EstimateRow.result["by_cause"].label("by_cause"),
    EstimateRow.result["interval"].label("interval"),
)


def _figures(row: Any) -> Figures:
    interval = row.interval or {}
    ends = (float(interval.get(name, row.print_time_s)) for name in ("low_s", "high_s"))
    return Figures(row.print_time_s, row.filament_g, row.by_cause or {}, *ends)


def find_estimate(session: Session, inputs: str) -> Estimate | None:
    """A stored estimate of exactly these inputs by this engine."""
    row = session.get(EstimateRow, inputs)
    return None if row is None else Estimate.model_validate(row.result)


def find_estimates(session: Session, inputs: Iterable[str]) -> dict[str, Estimate]:
    """Those of several inputs that are stored, in one query."""
    rows = session.execute(select(EstimateRow.inputs, EstimateRow.result).where(EstimateRow.inputs.in_(list(inputs))))
    return {found: Estimate.model_validate(result) for found, result in rows}


def figures_of(session: Session, inputs: Iterable[str]) -> dict[str, Figures]:
    """What lists show of those of several inputs that are stored, in one query."""
    asked = select(EstimateRow.inputs, *_FIGURES).where(EstimateRow.inputs.in_(list(inputs)))
    return {row.inputs: _figures(row) for row in session.execute(asked)}


def latest_figures(session: Session, recipe_ids: Sequence[int]) -> dict[int, Figures]:
    """What was last estimated for columns, whatever has changed since, in one query."""
    asked = (
        select(EstimateRow.recipe_id, *_FIGURES)
        .where(EstimateRow.recipe_id.in_(recipe_ids))
        .ext(distinct_on(EstimateRow.recipe_id))
        .order_by(EstimateRow.recipe_id, EstimateRow.created_at.desc())
    )
    return {
        row.recipe_id: _figures(row)
        for row in session.execute(asked)
        if row.print_time_s is not None and row.filament_g is not None  # of an engine whose figures had other names
    }


def save_estimate(session: Session, inputs: str, recipe_id: int | None, estimate: Estimate) -> None:
    """Store an estimate, of a column as it stands or of none; that somebody else stored the same one meanwhile does no harm."""
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
