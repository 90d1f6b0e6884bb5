"""Try a recipe out: compute it on a sample of layers, measure it, and hear the rules."""

from __future__ import annotations

from dataclasses import dataclass

from meanbead.core.advise.context import AdviceContext
from meanbead.core.advise.measures import Measures, measures
from meanbead.core.estimate.engine import Engine, Sampled
from meanbead.core.estimate.job import Prepared, PrintJob, prepare
from meanbead.core.estimate.sample import SAMPLE_LAYERS
from meanbead.core.model.estimate import Estimate
from meanbead.core.model.finding import Finding
from meanbead.core.model.plan import Plan
from meanbead.core.rules import findings

__all__ = ["Trial", "try_out"]


@dataclass(frozen=True)
class Trial:
    """A recipe that was tried out."""

    prepared: Prepared
    sampled: Sampled
    measures: Measures
    findings: list[Finding]

    @property
    def job(self) -> PrintJob:
        """What was tried."""
        return self.prepared.job

    @property
    def plan(self) -> Plan:
        """What it was resolved to."""
        return self.prepared.plan

    @property
    def estimate(self) -> Estimate:
        """What the engine said."""
        return self.sampled.estimate

    @property
    def filament_error_g(self) -> float:
        """How far the sample's filament may be off, g; areas, of which it is made, scatter less than seconds."""
        return 0.5 * self.estimate.sampling_error * self.estimate.filament_g


def try_out(
    engine: Engine,
    job: PrintJob,
    context: AdviceContext,
    layers: int | None = SAMPLE_LAYERS,
    like: Trial | None = None,
) -> Trial:
    """Compute a recipe from a sample of layers, or in full with None; on the same layers as ``like`` where it can be.

    Raises :class:`MeanBeadError` where it cannot be printed.
    """
    prepared = prepare(job)
    sampled = engine.sampled(prepared, layers, None if like is None else like.sampled)
    found = findings(context.rule_input(prepared, sampled.estimate))
    return Trial(prepared, sampled, measures(prepared, sampled.estimate, context), found)
