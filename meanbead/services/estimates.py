"""All that an estimate needs, and the estimate itself."""

from __future__ import annotations

from collections.abc import Callable

from sqlalchemy.orm import Session

from meanbead.core.estimate.engine import Engine
from meanbead.core.estimate.job import PrintJob, prepare
from meanbead.core.gcode.as_estimate import replayed_estimate
from meanbead.core.model import Estimate
from meanbead.core.rules import with_findings
from meanbead.core.runtime.progress import ProgressCallback, no_progress
from meanbead.store.gcode_files import gcode_content, open_gcode
from meanbead.store.parts import load_solid
from meanbead.store.recipes import recipe_inputs
from meanbead.store.tables import (
    RecipeRow,
)


def job_of(session: Session, row: RecipeRow) -> PrintJob:
    """A recipe's row as a job for the engine."""
    return PrintJob(load_solid(session, row.part_id), *recipe_inputs(row))


def full_estimate(
    engine: Engine, job: PrintJob, layers: int | None = None, progress: ProgressCallback = no_progress
) -> Estimate:
    """Figures, and what the rules say of them by themselves."""
    prepared = prepare(job)
    return with_findings(engine.estimate(prepared, layers, progress), prepared, engine.facts(job.solid))


def computation(
    session: Session,
    row: RecipeRow,
    engine: Engine,
    layers: int | None = None,
    progress: ProgressCallback = no_progress,
) -> Callable[[], Estimate]:
    """What computes a column's estimate, to be run when the session is closed: it may take seconds."""
    if row.gcode_id is None:
        job = job_of(session, row)
        return lambda: full_estimate(engine, job, layers, progress)
    content = gcode_content(session, row.gcode_id)
    _, printer, nozzle, material, _ = recipe_inputs(row)
    return lambda: replayed_estimate(lambda: open_gcode(content), printer, nozzle, material)
