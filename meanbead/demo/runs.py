"""The sample workshop's log: some forty made-up runs over three months, from hidden truths of its machines.

Heron takes 6 % longer at set speed than the engine knows, 18 % longer for ramps and corners (its firmware accelerates less
than its owner typed), 35 % longer for pulls, and 70 s more at each start; Kestrel is nearly as described. Real times scatter
by 1.5 %, weights by 1 %, and Heron's drive gives 3 % less than it is told. None of this is written anywhere that the
application reads: it has to be found from the runs.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Any

import numpy as np
from sqlalchemy import text
from sqlalchemy.orm import Session

from meanbead import services, store
from meanbead.core.estimate import Engine
from meanbead.core.faults.knowledge import JOURNAL_KINDS
from meanbead.core.model import Estimate, Recipe
from meanbead.core.model.run import RunEntry
from meanbead.demo.experiments import begin_sample_experiment, end_sample_experiment
from meanbead.store.database import Database
from meanbead.store.tables import JournalRow, Machine, Part, RecipeRow, RunRow

__all__ = ["HIDDEN", "HiddenMachine", "add_sample_runs"]

_DUE = "sample_runs"
"""A counter that says that the sample's runs are still to be made: 0 until they are."""
_LONG_AGO = datetime.min.replace(tzinfo=UTC)
_CHANGE_S = 600.0
"""Taking off a plate and starting the next."""


@dataclass(frozen=True)
class HiddenMachine:
    """What a machine really does: factors on the predicted seconds by cause, what each start takes more, and its plastic."""

    at_set_speed: float = 1.0
    ramps_and_corners: float = 1.0
    retracting: float = 1.0
    start_s: float = 0.0
    plastic: float = 1.0
    scatter: float = 0.015

    def print_s(self, predicted: Estimate, rng: np.random.Generator) -> float:
        """A real printing time."""
        cause = predicted.by_cause
        seconds = (
            self.at_set_speed * cause.at_set_speed_s
            + self.ramps_and_corners * (cause.ramps_s + cause.corners_s)
            + self.retracting * cause.retracting_s
            + cause.melt_ceiling_s
            + cause.layer_cooling_s
            + cause.travelling_s
            + cause.z_and_layer_change_s
            + self.start_s
        )
        return float(seconds * np.exp(self.scatter * rng.standard_normal()))


HIDDEN = {
    "Heron": HiddenMachine(at_set_speed=1.06, ramps_and_corners=1.18, retracting=1.35, start_s=70.0, plastic=0.97),
    "Kestrel": HiddenMachine(at_set_speed=1.01, ramps_and_corners=1.05, retracting=1.1, start_s=20.0, plastic=1.0),
}

_Entry = dict[str, Any]


@dataclass(frozen=True)
class _Run:
    """A run of the sample: of which part and column, how many days ago, and what came of it beside its time."""

    part: str
    column: str
    days_ago: float
    entry: _Entry
    plates: int = 1
    after: str = ""
    name: str = ""
    tries: str = ""


def _kept(looks: int = 4, **more: Any) -> _Entry:
    return {"state": "kept", "looks": looks, **more}


RUNS: tuple[_Run, ...] = (
    _Run("Herb trough", "Everyday", 88, _kept(3, note="Took all morning.")),
    _Run("Bin tag", "Everyday", 86, {"state": "scrapped", "looks": 2, "faults": ["fuzzy_text"], "note": "The small e is a blob."}),
    _Run("Bin tag", "Fine lettering", 85, _kept(5), plates=2),
    _Run("Domed knob", "Everyday", 83, _kept(3, faults=["steps"])),
    _Run("Shelf bracket", "Workhorse", 81, _kept(4)),
    _Run("Herb trough", "One wall more", 79, _kept(4, note="Heavier, much stiffer, and smooth inside.")),
    _Run("Drain plate", "Everyday", 76, _kept(4)),
    _Run("Domed knob", "By slope", 74, _kept(5), plates=3),
    _Run("Flag post", "Everyday", 72, _kept(4)),
    _Run("Shelf bracket", "Workhorse", 70, _kept(4)),
    _Run("Herb trough", "One wall more", 67, _kept(4)),
    _Run("Bin tag", "Fine lettering", 66, _kept(5), plates=4),
    _Run("Tool box", "Everyday", 64, {"state": "stopped", "stopped_min": 190, "faults": ["lifted_corners"], "note": "Stood at the window."}),
    _Run("Tool box", "Everyday", 62, _kept(4)),
    _Run("Drain plate", "Everyday", 60, _kept(4), plates=2),
    # A chain that ended in its cure.
    _Run("Flag post", "Hot", 58, {"state": "scrapped", "looks": 2, "faults": ["strings"], "note": "Cobwebs between the posts."}, name="a"),
    _Run("Flag post", "Hot, cooler", 57.6, {"state": "scrapped", "looks": 2, "faults": ["strings"]}, after="a", name="b", tries="too_hot"),
    _Run("Flag post", "Hot, cooler, pulled", 57.2, _kept(5, note="Clean."), after="b", name="c", tries="pull_short"),
    _Run("Herb trough", "One wall more", 54, _kept(4), plates=2),
    _Run("Shelf bracket", "Workhorse", 52, _kept(4)),
    _Run("Domed knob", "By slope", 50, _kept(5), plates=2),
    # An experiment: one height after the other, on two days.
    _Run("Domed knob", "height 0.3 d", 49.45, _kept(5)),
    _Run("Domed knob", "height 0.4 d", 49.3, _kept(5)),
    _Run("Domed knob", "height 0.5 d", 49.15, _kept(4)),
    _Run("Domed knob", "height 0.6 d", 48.45, _kept(3)),
    _Run("Domed knob", "height 0.7 d", 48.3, {"state": "scrapped", "looks": 2, "faults": ["steps"], "note": "Stairs on the dome."}),
    _Run("Bin tag", "Fine lettering", 47, _kept(4), plates=6),
    _Run("Drain plate", "Everyday", 45, _kept(4)),
    _Run("Herb trough", "One wall more", 43, _kept(4)),
    _Run("Snow owl", "Everyday", 41, {"state": "scrapped", "looks": 2, "faults": ["support_scars", "curled_tips"]}),
    _Run("Tool box", "Everyday", 38, _kept(4)),
    _Run("Flag post", "Everyday", 36, _kept(4), plates=2),
    _Run("Domed knob", "By slope", 33, _kept(5)),
    _Run("Shelf bracket", "Workhorse", 31, _kept(4, faults=["strings"], note="A few hairs; good enough.")),
    _Run("Bin tag", "Fine lettering", 28, _kept(5), plates=4),
    _Run("Herb trough", "One wall more", 26, _kept(4)),
    _Run("Drain plate", "Everyday", 23.1, {"state": "stopped", "stopped_layer": 12, "faults": ["loose_from_bed"]}),
    _Run("Drain plate", "Everyday", 22.6, _kept(4, note="Washed the bed first.")),
    _Run("Domed knob", "By slope", 19, _kept(5), plates=2),
    _Run("Herb trough", "One wall more", 16, _kept(4)),
    _Run("Tool box", "Everyday", 13, _kept(4)),
    _Run("Bin tag", "Fine lettering", 11, _kept(5), plates=2),
    # A chain that is still open.
    _Run("Shelf bracket", "Workhorse", 2.8, {"state": "scrapped", "looks": 2, "faults": ["lifted_corners"], "note": "Both ends are up by two millimetres."}, name="d"),
    _Run("Shelf bracket", "Workhorse", 1.6, {"state": "scrapped", "looks": 2, "faults": ["lifted_corners"]}, after="d", name="e", tries="dirty_bed"),
    _Run("Herb trough", "One wall more", 1, _kept(4)),
    _Run("Drain plate", "Everyday", 0.1, {"state": "running"}),
)  # fmt: skip

MADE_COLUMNS: dict[str, tuple[str, dict[str, Any]]] = {
    "Hot": ("Flag post", {"nozzle_temp_c": 228, "retraction": {"length_mm": 1.0}}),
    "Hot, cooler": ("Flag post", {"nozzle_temp_c": 218, "retraction": {"length_mm": 1.0}}),
    "Hot, cooler, pulled": ("Flag post", {"nozzle_temp_c": 218, "retraction": {"length_mm": 1.5}}),
}
"""Columns that were tried and removed since: their runs tell what they held."""

JOURNAL: tuple[tuple[str, float, str, str], ...] = (
    ("nozzle_swapped", 64.0, "Heron", "0.4 brass, a new one"),
    ("tightened", 48.0, "Heron", "Belt of the bed, a quarter turn"),
    ("bed_cleaned", 22.7, "Heron", ""),
    ("limits_changed", 20.0, "Kestrel", "New firmware; acceleration back to 5000"),
    ("bed_cleaned", 2.0, "Heron", "With soap and hot water"),
)
"""Kind, days ago, machine, note."""


def mark_due(session: Session) -> None:
    """Have the sample's runs made once there is an engine."""
    session.execute(
        text("insert into generations (name, count) values (:name, 0) on conflict do nothing"), {"name": _DUE}
    )


def add_sample_runs(
    database: Database, engine: Engine, today: datetime | None = None, progress: Callable[[str], None] = lambda _: None
) -> bool:
    """Make the sample's runs where they are due: returns whether it did. Each column is estimated in full once."""
    with database.session.begin() as db:
        if db.scalar(text("select count from generations where name = :name"), {"name": _DUE}) != 0:
            return False
        begin_sample_experiment(db)
        columns = _columns(db)
    estimates: dict[tuple[str, str], Estimate] = {}
    for place, recipe_id in columns.items():
        progress(f"{place[0]}, {place[1]}")
        estimates[place] = _estimated(database, engine, recipe_id)
    moment = today or datetime.now(UTC)
    with database.session.begin() as db:
        # Whoever is first: another process may be at it.
        taken = db.execute(
            text("update generations set count = 1 where name = :name and count = 0 returning name"), {"name": _DUE}
        ).first()
        if taken is None:
            return False
        _add(db, columns, estimates, moment)
        experiment = begin_sample_experiment(db)
        if experiment is not None:
            end_sample_experiment(db, experiment)
        for (_, name), recipe_id in columns.items():
            if name in MADE_COLUMNS:
                store.rows.delete(db, db.get_one(RecipeRow, recipe_id))
    return True


def _columns(db: Session) -> dict[tuple[str, str], int]:
    """The columns that the runs are of, by part and name; those that were removed since are made for now."""
    parts = {part.name: part for part in store.rows.all_rows(db, Part)}
    found: dict[tuple[str, str], int] = {}
    for wanted in RUNS:
        part = parts.get(wanted.part)
        if part is None or (wanted.part, wanted.column) in found:
            continue
        rows = [*store.recipes.recipes_of(db, part.id), *_cells(db, part)]
        row = next((row for row in rows if row.name == wanted.column), None)
        if row is None and wanted.column in MADE_COLUMNS and rows:
            row = store.recipes.add_recipe(
                db,
                part,
                name=wanted.column,
                machine_id=rows[0].machine_id,
                nozzle_id=rows[0].nozzle_id,
                material_id=rows[0].material_id,
                choices=Recipe.model_validate(MADE_COLUMNS[wanted.column][1]),
            )
        if row is not None:
            found[wanted.part, wanted.column] = row.id
    return found


def _cells(db: Session, part: Part) -> Sequence[RecipeRow]:
    """Cells of the sample's experiment, where it is of this part."""
    row = begin_sample_experiment(db)
    return store.experiments.cells_of(db, row.id) if row is not None and row.part_id == part.id else []


def _estimated(database: Database, engine: Engine, recipe_id: int) -> Estimate:
    with database.session.begin() as db:
        row = store.recipes.get_recipe(db, recipe_id)
        inputs = services.digests.inputs_digest(row, row.part.digest)
        known = store.estimates.find_estimate(db, inputs)
        if known is not None:
            return known
        compute = services.estimates.computation(db, row, engine)
    estimate = compute()
    with database.session.begin() as db:
        store.estimates.save_estimate(db, inputs, recipe_id, estimate)
    return estimate


def _add(
    db: Session, columns: dict[tuple[str, str], int], estimates: dict[tuple[str, str], Estimate], moment: datetime
) -> None:
    for number, (kind, days_ago, machine, note) in enumerate(JOURNAL):
        row = next((row for row in store.rows.all_rows(db, Machine) if row.name == machine), None)
        if row is not None:
            db.add(_entry(kind, row, moment - timedelta(days=days_ago), note, number))
    db.flush()
    made: dict[str, RunRow] = {}
    free: dict[int, datetime] = {}
    for number, wanted in enumerate(RUNS):
        place = (wanted.part, wanted.column)
        if place not in columns:
            continue
        column = store.recipes.get_recipe(db, columns[place])
        rng = np.random.default_rng(1000 + number)
        follows = made.get(wanted.after)
        predicted = estimates[place]
        # No machine starts a plate before the last one has come off.
        started_at = max(_started(wanted, number, moment), free.get(column.machine_id, _LONG_AGO))
        run = services.runs.add_run(
            db,
            column,
            predicted,
            key=f"sample-run-{number:04d}",
            who="Robin" if number % 3 else "Ash",
            started_at=started_at,
            plates=wanted.plates,
            follows_id=None if follows is None else follows.id,
            tries_cause=wanted.tries,
        )
        run.created_at = run.started_at
        # The shelf stands as it is after all of them: nothing is booked.
        services.runs.change_entry(db, run, _entered(wanted, column.machine.name, predicted, rng), booked=False)
        plate_s = predicted.whole_time_s + (run.real_s or predicted.print_time_s) - predicted.print_time_s
        free[column.machine_id] = started_at + timedelta(seconds=wanted.plates * (plate_s + _CHANGE_S))
        if wanted.name:
            made[wanted.name] = run
    db.flush()


def _started(wanted: _Run, number: int, moment: datetime) -> datetime:
    """When a run was started: in the hours of a day, where it is no part of a chain."""
    at = moment - timedelta(days=wanted.days_ago)
    if wanted.name or wanted.days_ago % 1:
        return at
    return at.replace(hour=7 + 3 * number % 11, minute=17 * number % 60, second=0, microsecond=0)


def _entered(wanted: _Run, machine: str, predicted: Estimate, rng: np.random.Generator) -> RunEntry:
    told: _Entry = dict(wanted.entry)
    hidden = HIDDEN.get(machine, HiddenMachine())
    if told["state"] in ("kept", "scrapped"):
        told["time_s"] = 60.0 * round(hidden.print_s(predicted, rng) / 60)
        if told["state"] == "kept":
            told["weight_g"] = round(
                hidden.plastic * predicted.filament_g * float(np.exp(0.01 * rng.standard_normal())), 1
            )
    return RunEntry.model_validate(told)


def _entry(kind: str, machine: Machine, at: datetime, note: str, number: int) -> JournalRow:
    name = f"{JOURNAL_KINDS[kind]}: {machine.name}"  # type: ignore[index]
    return JournalRow(
        key=f"sample-journal-{number:04d}", kind=kind, name=name, at=at, note=note, who="Robin", machine_id=machine.id
    )
