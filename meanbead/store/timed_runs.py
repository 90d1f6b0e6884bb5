"""Runs whose time or weight is known, as calibrations read them: nothing of them but that."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import func, select, text, update
from sqlalchemy.orm import Session

from meanbead.store.tables import JournalRow, RunRow

__all__ = [
    "MOST_RUNS",
    "TimedRow",
    "WeighedRow",
    "changes_of",
    "log_state",
    "remember_again",
    "tell_pages",
    "timed_of",
    "weighed",
]


@dataclass(frozen=True)
class TimedRow:
    """A run with a prediction and a real time. ``by_cause`` is its predicted ledger, ``machine`` its machine as it was
    described, ``again`` the ledger of a later description, where one was made."""

    id: int
    part_id: int | None
    part: str
    recipe_id: int | None
    nozzle: str
    plastic: str
    started_at: datetime
    predicted_s: float
    real_s: float
    by_cause: dict[str, float]
    machine: dict[str, Any]
    again: dict[str, Any] | None
    state: str
    interval: dict[str, Any] | None


@dataclass(frozen=True)
class WeighedRow:
    """A run that was weighed, one plate: on which machine, of which plastic, as predicted and as weighed."""

    id: int
    machine_id: int
    plastic: str
    predicted_g: float
    weighed_g: float


MOST_RUNS = 500
"""So many of a machine's last runs teach: older ones say little of it as it is now."""


def timed_of(session: Session, machine_id: int) -> list[TimedRow]:
    """A machine's last runs, the first started first; at most :data:`MOST_RUNS`."""
    estimate = RunRow.snapshot["estimate"]
    asked = (
        select(
            RunRow.id,
            RunRow.part_id,
            RunRow.name,
            RunRow.recipe_id,
            RunRow.nozzle_name,
            RunRow.plastic,
            RunRow.started_at,
            RunRow.predicted_s,
            RunRow.real_s,
            estimate["by_cause"].label("by_cause"),
            RunRow.snapshot["machine"]["described"].label("machine"),
            RunRow.again,
            RunRow.state,
            estimate["interval"].label("interval"),
        )
        .where(
            RunRow.machine_id == machine_id,
            RunRow.deleted_at.is_(None),
            RunRow.real_s > 0,
            RunRow.predicted_s > 0,
        )
        .order_by(RunRow.started_at.desc(), RunRow.id.desc())
        .limit(MOST_RUNS)
    )
    rows = [
        TimedRow(
            id=row.id,
            part_id=row.part_id,
            part=row.name,
            recipe_id=row.recipe_id,
            nozzle=row.nozzle_name,
            plastic=row.plastic,
            started_at=row.started_at,
            predicted_s=row.predicted_s,
            real_s=row.real_s,
            by_cause=row.by_cause or {},
            machine=row.machine or {},
            again=row.again,
            state=row.state,
            interval=row.interval,
        )
        for row in session.execute(asked)
    ]
    return rows[::-1]


def weighed(session: Session) -> list[WeighedRow]:
    """The workshop's last runs that were weighed and have a prediction, in the order of their making."""
    grams = RunRow.entry["weight_g"].as_float()
    asked = (
        select(RunRow.id, RunRow.machine_id, RunRow.plastic, RunRow.predicted_g, grams.label("weighed_g"))
        .where(
            RunRow.deleted_at.is_(None),
            RunRow.state.in_(("kept", "scrapped")),
            RunRow.machine_id.is_not(None),
            RunRow.predicted_g > 0,
            grams > 0,
        )
        .order_by(RunRow.started_at.desc(), RunRow.id.desc())
        .limit(2 * MOST_RUNS)
    )
    rows = [
        WeighedRow(row.id, row.machine_id, row.plastic, row.predicted_g, row.weighed_g)
        for row in session.execute(asked)
    ]
    return rows[::-1]


def changes_of(session: Session, machine_id: int) -> Sequence[JournalRow]:
    """When a machine's firmware was set otherwise, the first first: each ends an era."""
    return session.scalars(
        select(JournalRow)
        .where(
            JournalRow.machine_id == machine_id,
            JournalRow.deleted_at.is_(None),
            JournalRow.kind == "limits_changed",
        )
        .order_by(JournalRow.at, JournalRow.id)
    ).all()


_STATE = text(
    "select concat_ws(' ', (select row(count(*), sum(version), max(updated_at))::text from runs), "
    "(select row(count(*), sum(version), max(updated_at))::text from journal), "
    "(select row(count(*), sum(version), max(updated_at))::text from machines), "
    "(select count::text from generations where name = 'restores'))"
)


def log_state(session: Session) -> str:
    """Tells one state of log, journal and machines from every other."""
    return str(session.scalar(_STATE))


def remember_again(session: Session, run_id: int, again: dict[str, Any]) -> None:
    """Keep a run's ledger as a later description of its machine gives it. Nobody has edited the run: its version stays."""
    session.execute(update(RunRow).where(RunRow.id == run_id).values(again=again))


def tell_pages(session: Session) -> None:
    """Have pages that are open read anew what runs teach: no run's version tells them."""
    told = json.dumps({"table": "runs", "id": 0, "version": 0, "of": None})
    session.execute(select(func.pg_notify("meanbead_changes", told)))
