"""Experiments: their cells, what was compared and measured, and the runs of their cells."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session, joinedload

from meanbead.store.tables import ComparisonRow, ExperimentRow, MeasurementRow, RecipeRow, RunRow

__all__ = [
    "CellRun",
    "cells_of",
    "comparisons_of",
    "counts",
    "find_comparison",
    "find_measurement",
    "list_experiments",
    "measurements_of",
    "runs_of",
]


@dataclass(frozen=True)
class CellRun:
    """A run of a cell: its real printing time where one is known, how many pieces it gave, its faults and looks."""

    id: int
    recipe_id: int
    state: str
    real_s: float | None
    copies: int
    faults: list[str]
    looks: int | None


def list_experiments(session: Session) -> Sequence[ExperimentRow]:
    """Experiments that are there, the newest first."""
    return session.scalars(
        select(ExperimentRow).where(ExperimentRow.deleted_at.is_(None)).order_by(ExperimentRow.id.desc())
    ).all()


def cells_of(session: Session, experiment_id: int) -> Sequence[RecipeRow]:
    """An experiment's cells in the order in which they were made."""
    return session.scalars(
        select(RecipeRow)
        .where(RecipeRow.experiment_id == experiment_id, RecipeRow.deleted_at.is_(None))
        .order_by(RecipeRow.position, RecipeRow.id)
        .options(joinedload(RecipeRow.machine), joinedload(RecipeRow.nozzle), joinedload(RecipeRow.material))
    ).all()


def comparisons_of(session: Session, experiment_id: int) -> Sequence[ComparisonRow]:
    """What was compared, the first first."""
    return session.scalars(
        select(ComparisonRow)
        .where(ComparisonRow.experiment_id == experiment_id, ComparisonRow.deleted_at.is_(None))
        .order_by(ComparisonRow.id)
    ).all()


def find_comparison(session: Session, key: str) -> ComparisonRow | None:
    """The comparison that was stored under a key, deleted or not."""
    return session.scalars(select(ComparisonRow).where(ComparisonRow.key == key)).one_or_none()


def measurements_of(session: Session, experiment_id: int) -> Sequence[MeasurementRow]:
    """What was measured, the first first."""
    return session.scalars(
        select(MeasurementRow)
        .where(MeasurementRow.experiment_id == experiment_id, MeasurementRow.deleted_at.is_(None))
        .order_by(MeasurementRow.id)
    ).all()


def find_measurement(session: Session, key: str) -> MeasurementRow | None:
    """The measurement that was stored under a key, deleted or not."""
    return session.scalars(select(MeasurementRow).where(MeasurementRow.key == key)).one_or_none()


def runs_of(session: Session, recipe_ids: Sequence[int]) -> list[CellRun]:
    """Runs of cells, the first started first."""
    looks: Any = RunRow.entry["looks"].as_integer()
    asked = (
        select(
            RunRow.id,
            RunRow.recipe_id,
            RunRow.state,
            RunRow.real_s,
            RunRow.copies,
            RunRow.faults,
            looks.label("looks"),
        )
        .where(RunRow.recipe_id.in_(recipe_ids), RunRow.deleted_at.is_(None))
        .order_by(RunRow.started_at, RunRow.id)
    )
    return [
        CellRun(row.id, row.recipe_id, row.state, row.real_s, row.copies, list(row.faults), row.looks)
        for row in session.execute(asked)
    ]


def counts(session: Session) -> dict[int, tuple[int, int]]:
    """How many cells each experiment has, and how many of these were printed."""
    printed = select(RunRow.recipe_id).where(RunRow.deleted_at.is_(None), RunRow.state != "running").distinct()
    asked = (
        select(
            RecipeRow.experiment_id,
            func.count(RecipeRow.id),
            func.count(RecipeRow.id).filter(RecipeRow.id.in_(printed)),
        )
        .where(RecipeRow.experiment_id.is_not(None), RecipeRow.deleted_at.is_(None))
        .group_by(RecipeRow.experiment_id)
    )
    return {row[0] or 0: (int(row[1]), int(row[2])) for row in session.execute(asked)}
