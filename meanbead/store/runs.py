"""Runs: what was really printed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import ColumnElement, and_, case, exists, func, or_, select, tuple_
from sqlalchemy.orm import Session, undefer

from meanbead.core.model.run import FAILED
from meanbead.store.tables import RecipeRow, RunPhoto, RunRow

__all__ = [
    "Failures",
    "RunFilter",
    "Totals",
    "before",
    "best_kept",
    "failures",
    "find_by_key",
    "followers",
    "get_full",
    "kept_of_parts",
    "list_runs",
    "photos_of",
    "plastics",
    "proofs",
    "settings_of_others",
    "totals",
]


_OF_EXPERIMENT = exists().where(RecipeRow.id == RunRow.recipe_id, RecipeRow.experiment_id.is_not(None))
"""Whether a run is of a cell of an experiment."""


@dataclass(frozen=True)
class RunFilter:
    """Which runs are asked for; None and empty texts leave a matter open."""

    part_id: int | None = None
    machine_id: int | None = None
    nozzle_id: int | None = None
    plastic: str = ""
    fault: str = ""
    state: str = ""
    since: datetime | None = None
    until: datetime | None = None
    search: str = ""


@dataclass(frozen=True)
class Totals:
    """Of all runs that are asked for: how many, hours printed, and how far real times were off where they are known."""

    runs: int
    failed: int
    hours: float
    real_over_predicted: float | None


def _asked(wanted: RunFilter) -> list[ColumnElement[bool]]:
    found: list[ColumnElement[bool]] = [RunRow.deleted_at.is_(None)]
    same = {
        RunRow.part_id: wanted.part_id,
        RunRow.machine_id: wanted.machine_id,
        RunRow.nozzle_id: wanted.nozzle_id,
        RunRow.plastic: wanted.plastic or None,
        RunRow.state: wanted.state or None,
    }
    found += [column == value for column, value in same.items() if value is not None]
    if wanted.fault == "any":
        found.append(func.cardinality(RunRow.faults) > 0)
    elif wanted.fault:
        found.append(RunRow.faults.contains([wanted.fault]))
    if wanted.since is not None:
        found.append(RunRow.started_at >= wanted.since)
    if wanted.until is not None:
        found.append(RunRow.started_at < wanted.until)
    for word in wanted.search.split():
        if word.lstrip("#").isdigit():
            found.append(or_(RunRow.id == int(word.lstrip("#")[:9]), RunRow.name.icontains(word, autoescape=True)))
            continue
        texts = (
            RunRow.name,
            RunRow.column_name,
            RunRow.machine_name,
            RunRow.nozzle_name,
            RunRow.material_name,
            RunRow.who,
        )
        found.append(
            or_(
                *(column.icontains(word, autoescape=True) for column in texts),
                RunRow.entry["note"].as_string().icontains(word, autoescape=True),
            )
        )
    return found


def list_runs(
    session: Session, wanted: RunFilter, *, limit: int | None, before: RunRow | None = None, oldest_first: bool = False
) -> Sequence[RunRow]:
    """Runs that are there, the last started first; after ``before`` in that order."""
    asked = select(RunRow).where(*_asked(wanted))
    if before is not None:
        asked = asked.where(tuple_(RunRow.started_at, RunRow.id) < (before.started_at, before.id))
    order = (RunRow.started_at, RunRow.id)
    asked = asked.order_by(*order) if oldest_first else asked.order_by(*(column.desc() for column in order))
    return session.scalars(asked if limit is None else asked.limit(limit)).all()


def totals(session: Session, wanted: RunFilter) -> Totals:
    """What all runs come to that are asked for."""
    both = and_(RunRow.real_s.is_not(None), RunRow.predicted_s.is_not(None))
    row = session.execute(
        select(
            func.count(),
            func.count().filter(RunRow.state.in_(FAILED)),
            func.coalesce(func.sum(RunRow.hours), 0.0),
            func.sum(case((both, RunRow.real_s))) / func.nullif(func.sum(case((both, RunRow.predicted_s))), 0.0),
        ).where(*_asked(wanted))
    ).one()
    return Totals(int(row[0]), int(row[1]), float(row[2]), None if row[3] is None else float(row[3]))


def best_kept(session: Session, part_id: int) -> RunRow | None:
    """The best run of a part that was kept and that nobody found fault with: the best looks, then the shortest a piece (by its
    real time, else by the predicted), then the newest."""
    looks = RunRow.entry["looks"].as_float()
    seconds = func.coalesce(RunRow.real_s, RunRow.predicted_s) / RunRow.copies
    return session.scalars(
        select(RunRow)
        .where(
            RunRow.part_id == part_id,
            RunRow.state == "kept",
            func.cardinality(RunRow.faults) == 0,
            RunRow.deleted_at.is_(None),
        )
        .order_by(looks.desc().nulls_last(), seconds.asc().nulls_last(), RunRow.id.desc())
        .limit(1)
    ).one_or_none()


def find_by_key(session: Session, key: str) -> RunRow | None:
    """The run that was stored under a key, deleted or not."""
    return session.scalars(select(RunRow).where(RunRow.key == key)).one_or_none()


def get_full(session: Session, run_id: int) -> RunRow | None:
    """A run with its snapshot."""
    return session.get(RunRow, run_id, options=[undefer(RunRow.snapshot)], populate_existing=True)


def kept_of_parts(session: Session, part_ids: Sequence[int]) -> dict[int, list[Any]]:
    """Kept runs with a prediction, by part, in the order of their start: in one query, and only what a list needs. Pieces of
    experiments are none of its production."""
    columns = (RunRow.part_id, RunRow.predicted_s, RunRow.predicted_g, RunRow.real_s, RunRow.copies, RunRow.plates)
    found: dict[int, list[Any]] = {}
    asked = (
        select(*columns, RunRow.entry["weight_g"].as_float().label("weight_g"))
        .where(RunRow.part_id.in_(part_ids), RunRow.state == "kept", RunRow.deleted_at.is_(None), ~_OF_EXPERIMENT)
        .order_by(RunRow.started_at, RunRow.id)
    )
    for row in session.execute(asked):
        found.setdefault(row.part_id, []).append(row)
    return found


def followers(session: Session, run_ids: Sequence[int]) -> Sequence[RunRow]:
    """Runs that were to do better than some others."""
    return session.scalars(
        select(RunRow)
        .where(RunRow.follows_id.in_(run_ids), RunRow.deleted_at.is_(None))
        .order_by(RunRow.started_at, RunRow.id)
        .options(undefer(RunRow.snapshot))
    ).all()


def before(session: Session, run: RunRow, *, limit: int) -> Sequence[RunRow]:
    """Ended runs of the same machine before a run, the last first."""
    return session.scalars(
        select(RunRow)
        .where(
            RunRow.machine_id == run.machine_id,
            RunRow.id != run.id,
            RunRow.started_at <= run.started_at,
            RunRow.state != "running",
            RunRow.deleted_at.is_(None),
        )
        .order_by(RunRow.started_at.desc(), RunRow.id.desc())
        .limit(limit)
    ).all()


@dataclass(frozen=True)
class Failures:
    """What a machine's log counts."""

    runs: int
    failed: int
    hours: float


def failures(session: Session, machine_id: int | None = None) -> dict[int, Failures]:
    """Ended runs, failed ones, and hours printed, by machine."""
    asked = (
        select(
            RunRow.machine_id,
            func.count(),
            func.count().filter(RunRow.state.in_(FAILED)),
            func.coalesce(func.sum(RunRow.hours), 0.0),
        )
        .where(RunRow.state != "running", RunRow.machine_id.is_not(None), RunRow.deleted_at.is_(None))
        .group_by(RunRow.machine_id)
    )
    if machine_id is not None:
        asked = asked.where(RunRow.machine_id == machine_id)
    return {
        int(machine): Failures(int(runs), int(failed), float(hours))
        for machine, runs, failed, hours in session.execute(asked)
        if machine is not None
    }


def proofs(session: Session) -> list[dict[str, Any]]:
    """What follow-up runs have shown."""
    asked = select(RunRow.proof).where(RunRow.proof.is_not(None), RunRow.deleted_at.is_(None))
    return [found for found in session.scalars(asked) if found is not None]


def settings_of_others(session: Session, run: RunRow, *, limit: int) -> list[tuple[list[str], dict[str, Any]]]:
    """Faults and settings of other ended runs with the same plastic on the same machine, the last first."""
    asked = (
        select(RunRow.faults, RunRow.snapshot["settings"])
        .where(
            RunRow.machine_id == run.machine_id,
            RunRow.plastic == run.plastic,
            RunRow.id != run.id,
            RunRow.state != "running",
            RunRow.deleted_at.is_(None),
        )
        .order_by(RunRow.started_at.desc())
        .limit(limit)
    )
    return [(faults, settings or {}) for faults, settings in session.execute(asked)]


def photos_of(session: Session, run_ids: Sequence[int]) -> dict[int, list[RunPhoto]]:
    """Photos of runs, by run, in the order of their taking."""
    found: dict[int, list[RunPhoto]] = {}
    asked = select(RunPhoto).where(RunPhoto.run_id.in_(run_ids), RunPhoto.deleted_at.is_(None)).order_by(RunPhoto.id)
    for photo in session.scalars(asked):
        found.setdefault(photo.run_id, []).append(photo)
    return found


def plastics(session: Session) -> list[str]:
    """Every plastic that was ever run."""
    asked = select(RunRow.plastic).where(RunRow.deleted_at.is_(None), RunRow.plastic != "").distinct()
    return sorted(session.scalars(asked))
