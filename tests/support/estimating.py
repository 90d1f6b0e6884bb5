"""Estimates with what the rules say of them by themselves, as the shell gives them."""

from __future__ import annotations

from meanbead.core.estimate import Engine
from meanbead.core.estimate.job import PrintJob, prepare
from meanbead.core.model import Estimate
from meanbead.core.rules import with_findings


def estimate_with_findings(engine: Engine, job: PrintJob, layers: int | None = None) -> Estimate:
    """An estimate, and its findings without insight or purpose."""
    prepared = prepare(job)
    return with_findings(engine.estimate(prepared, layers), prepared, engine.facts(job.solid))
