"""Logged runs as jobs for the engine: with the part as it stood, and all that it was printed with."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy.orm import Session

from meanbead import store
from meanbead.core.estimate.job import PrintJob
from meanbead.core.learn.calibration import TimedRun
from meanbead.core.model import Pose, Printer
from meanbead.core.model.run import Snapshot
from meanbead.core.part.pose import posed
from meanbead.core.part.solid import Solid, digest_of, solid_from_arrays
from meanbead.services.calibrations import MachineRuns
from meanbead.store.tables import Machine, Part, RunRow

__all__ = ["LIMIT_FIELDS", "LoggedJob", "as_described", "logged_job", "logged_jobs"]

LIMIT_FIELDS = ("kinematics", "max_speed_mm_s", "max_acceleration_mm_s2", "corner", "acceleration_mm_s2")


@dataclass(frozen=True)
class LoggedJob:
    """A run of the log with its job on the machine as it is described now; ``timed`` where its ledger is known."""

    run_id: int
    job: PrintJob
    timed: TimedRun | None


def as_described(printer: Printer, now: Printer) -> Printer:
    """A machine of the past with the limits that are described now; what it melted and weighed then stays."""
    return printer.model_copy(update={name: getattr(now, name) for name in LIMIT_FIELDS})


def logged_jobs(session: Session, machine: Machine, runs: MachineRuns) -> list[LoggedJob]:
    """The runs of a machine's present era whose part is still there as it was."""
    now = Printer.model_validate(machine.printer)
    solids: dict[tuple[int, str], Solid | None] = {}
    known = {row.id: timed for row, timed in runs.used if timed.era == runs.era}
    found = []
    for run_id in [*known, *(row.id for row in runs.stale)]:
        job = logged_job(session, run_id, now, solids)
        if job is not None:
            found.append(LoggedJob(run_id, job, known.get(run_id)))
    return found


def logged_job(
    session: Session, run_id: int, now: Printer, solids: dict[tuple[int, str], Solid | None] | None = None
) -> PrintJob | None:
    """A run's job on a machine described as ``now``; None where its part is gone or stands otherwise."""
    solids = {} if solids is None else solids
    run = store.runs.get_full(session, run_id)
    if run is None or run.part_id is None:
        return None
    frozen = Snapshot.model_validate(run.snapshot)
    if frozen.gcode or frozen.imported:
        return None
    key = run.part_id, frozen.part_digest
    if key not in solids:
        solids[key] = _as_it_stood(session, run, frozen)
    solid = solids[key]
    if solid is None:
        return None
    return PrintJob(
        solid,
        frozen.recipe(),
        as_described(frozen.printer(), now),
        frozen.nozzle_model(),
        frozen.plastic(),
        frozen.house(),
    )


def _as_it_stood(session: Session, run: RunRow, frozen: Snapshot) -> Solid | None:
    if run.part_id is None or session.get(Part, run.part_id) is None:
        return None
    part, solid = store.parts.part_as_read(session, run.part_id)
    if part.digest == frozen.part_digest:
        return store.parts.load_solid(session, part.id)
    pose = Pose.model_validate(frozen.pose)
    plain = solid_from_arrays(solid.vertices, solid.faces, "")
    stood = posed(plain, pose)
    if pose == Pose():
        stood = solid_from_arrays(solid.vertices, solid.faces, digest_of(solid.vertices, solid.faces))
    return stood if stood.digest == frozen.part_digest else None
