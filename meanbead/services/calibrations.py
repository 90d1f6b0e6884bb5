"""What machines' logged runs teach, kept while the log stays as it is; and estimates with the intervals that follow."""

from __future__ import annotations

import math
import threading
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from weakref import WeakKeyDictionary

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import Connection, Engine
from sqlalchemy.orm import Session

from meanbead import store
from meanbead.core.estimate.factors import by_factor
from meanbead.core.estimate.interval import whole_ends
from meanbead.core.estimate.ledger import CAUSES
from meanbead.core.learn.calibration import Calibration, GramPosterior, TimeDifference, TimedRun, WeighedRun, fit_grams
from meanbead.core.learn.calibration.limits import limits_of
from meanbead.core.model import Causes, Estimate, Material, Printer
from meanbead.core.runtime.cache import BoundedCache
from meanbead.store.estimates import Figures
from meanbead.store.tables import JournalRow, Machine, RecipeRow
from meanbead.store.timed_runs import TimedRow

__all__ = [
    "Expected",
    "MachineRuns",
    "calibration_of",
    "difference",
    "expected_of_lists",
    "interval_of",
    "learnt_of",
    "machine_runs",
    "seconds_by_factor",
    "with_interval",
    "with_intervals",
]

_KEPT = 200
_READ_TO_S = 60.0
"""Panels show minutes."""


@dataclass(frozen=True)
class MachineRuns:
    """A machine's runs as its calibration takes them: ``used`` with their eras, in the order of their making; ``changes`` of
    its firmware, each of which began an era; ``stale`` are runs of the present era that were predicted with other limits
    than are described now, and have not been computed anew."""

    used: tuple[tuple[TimedRow, TimedRun], ...]
    changes: tuple[JournalRow, ...]
    stale: tuple[TimedRow, ...]

    @property
    def era(self) -> int:
        """The present era."""
        return len(self.changes)


def machine_runs(session: Session, machine: Machine) -> MachineRuns:
    """A machine's runs, read anew."""
    changes = tuple(store.timed_runs.changes_of(session, machine.id))
    now = limits_of(Printer.model_validate(machine.printer))
    used, stale = [], []
    known: dict[str, str] = {}
    for row in store.timed_runs.timed_of(session, machine.id):
        era = sum(change.at <= row.started_at for change in changes)
        causes = row.by_cause
        if era == len(changes):
            held = str(row.machine)
            if held not in known:
                known[held] = limits_of(Printer.model_validate(row.machine))
            if known[held] != now:
                if row.again is None or row.again.get("limits") != now:
                    stale.append(row)
                    continue
                causes = row.again["by_cause"] or {}
        seconds = seconds_by_factor(causes)
        if seconds.sum() > 0:
            used.append((row, TimedRun(seconds, row.real_s, era, _READ_TO_S)))
    return MachineRuns(tuple(used), changes, tuple(stale))


class _Memory:
    def __init__(self) -> None:
        self.times: BoundedCache[tuple[MachineRuns, Calibration]] = BoundedCache(_KEPT, lambda _: 1)
        self.grams: BoundedCache[GramPosterior] = BoundedCache(_KEPT, lambda _: 1)


_MEMORIES: WeakKeyDictionary[Engine, _Memory] = WeakKeyDictionary()
_LOCK = threading.Lock()


def _memory(session: Session) -> _Memory:
    bound = session.get_bind()
    engine = bound.engine if isinstance(bound, Connection) else bound
    with _LOCK:
        return _MEMORIES.setdefault(engine, _Memory())


def calibration_of(session: Session, machine: Machine, plastic: str = "", state: str = "") -> Calibration:
    """What the log teaches of a machine, and of its grams with a plastic. ``state`` is the log's, where it is known."""
    return learnt_of(session, machine, plastic, state)[1]


def learnt_of(
    session: Session, machine: Machine, plastic: str = "", state: str = ""
) -> tuple[MachineRuns, Calibration]:
    """:func:`calibration_of` with the runs that it was made of: always the very same ones, whatever is written meanwhile."""
    state = state or store.timed_runs.log_state(session)
    memory = _memory(session)

    def times() -> tuple[MachineRuns, Calibration]:
        runs = machine_runs(session, machine)
        return runs, Calibration.from_runs([run for _, run in runs.used], machine.name, runs.era)

    def grams() -> GramPosterior:
        rows = store.timed_runs.weighed(session)
        return fit_grams(
            [WeighedRun(str(row.machine_id), row.plastic, row.predicted_g, row.weighed_g) for row in rows],
            str(machine.id),
            plastic,
        )

    runs, found = memory.times.get((state, machine.id), times)
    of_plastic = memory.grams.get((state, machine.id, plastic), grams)
    return runs, Calibration(found.posterior, found.runs, machine.name, of_plastic, len(runs.stale))


def with_interval(session: Session, column: RecipeRow, estimate: Estimate) -> Estimate:
    """An estimate of a column with the interval that the log of its machine gives it."""
    return with_intervals(session, [(column, estimate)])[0]


def with_intervals(session: Session, found: Sequence[tuple[RecipeRow, Estimate]]) -> list[Estimate]:
    """:func:`with_interval` of many at once."""
    state = store.timed_runs.log_state(session) if found else ""
    return [interval_of(session, column, state)(estimate) for column, estimate in found]


def interval_of(session: Session, column: RecipeRow, state: str = "") -> Callable[[Estimate], Estimate]:
    """What gives estimates of a column the interval that the log of its machine gives them; needs no session any more."""
    plastic = Material.model_validate(column.material.material).name
    calibration = calibration_of(session, column.machine, plastic, state)
    return lambda estimate: estimate.model_copy(update={"interval": calibration.interval(estimate)})


@dataclass(frozen=True)
class Expected:
    """What a print of a list will really take, with 90 %, and from how many runs of its machine; 0 where that is what its
    estimate came with."""

    expected_s: float
    low_s: float
    high_s: float
    runs: int


def expected_of_lists(session: Session, found: Sequence[tuple[RecipeRow, Figures]]) -> list[Expected]:
    """What lists say of columns' figures, an interval each; quick for hundreds of them."""
    state = store.timed_runs.log_state(session) if found else ""
    made: list[Expected | None] = [None] * len(found)
    by_machine: dict[int, list[int]] = {}
    for place, (column, _) in enumerate(found):
        by_machine.setdefault(column.machine_id, []).append(place)
    for places in by_machine.values():
        calibration = calibration_of(session, found[places[0]][0].machine, "", state)
        rows = calibration.posterior.expected(
            np.array([seconds_by_factor(found[place][1].by_cause) for place in places])
        )
        for place, row in zip(places, rows, strict=True):
            figures = found[place][1]
            if calibration.told and figures.by_cause:
                made[place] = Expected(float(row[0]), float(row[1]), float(row[2]), calibration.posterior.runs)
            else:
                ends = figures.low_s, figures.high_s
                if figures.by_cause:
                    ends = whole_ends(figures.print_time_s, *ends, Causes.model_validate(figures.by_cause))
                made[place] = Expected(figures.print_time_s, *ends, 0)
    return [one for one in made if one is not None]


def seconds_by_factor(by_cause: Mapping[str, float]) -> NDArray[np.float64]:
    """A stored ledger by cause as seconds by factor, (factors,)."""
    return by_factor(np.array([float(by_cause.get(f"{cause}_s", 0.0)) for cause in CAUSES]))


def difference(
    session: Session, before: tuple[RecipeRow, Estimate], after: tuple[RecipeRow, Estimate]
) -> TimeDifference:
    """What one column's print takes longer than another's, with 90 %: on one machine, what both are off by falls out."""
    (one, was), (other, becomes) = before, after
    state = store.timed_runs.log_state(session)
    calibration = calibration_of(session, one.machine, "", state)
    if one.machine_id == other.machine_id:
        error = math.hypot(was.sampling_error * was.print_time_s, becomes.sampling_error * becomes.print_time_s)
        return calibration.difference(was, becomes, error)
    its = calibration_of(session, other.machine, "", state)
    ends = [which.interval(estimate) for which, estimate in ((calibration, was), (its, becomes))]
    value = (ends[1].expected_s or becomes.print_time_s) - (ends[0].expected_s or was.print_time_s)
    half = math.hypot(*((end.high_s - end.low_s) / 2 for end in ends))
    return TimeDifference(
        value_s=value,
        low_s=value - half,
        high_s=value + half,
        runs=min(calibration.posterior.runs, its.posterior.runs),
        real=abs(value) > half,
    )
