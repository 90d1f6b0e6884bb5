"""Try a recipe out: plan it, compute it on a sample of layers, measure it, and hear the rules."""

from __future__ import annotations

from dataclasses import dataclass

from meanbead.core.advise.context import AdviceContext
from meanbead.core.advise.measures import Measures, measures
from meanbead.core.estimate.engine import Engine, PrintJob, Sampled
from meanbead.core.model.estimate import Estimate
from meanbead.core.model.finding import Finding
from meanbead.core.recipe.plan import Plan
from meanbead.core.recipe.resolve import resolve
from meanbead.core.rules import findings

SAMPLE_LAYERS = 24


@dataclass(frozen=True)
class Trial:
    """A recipe that was tried out."""

    job: PrintJob
    plan: Plan
    sampled: Sampled
    measures: Measures
    findings: list[Finding]

    @property
    def estimate(self) -> Estimate:
        """What the engine said."""
        return self.sampled.estimate

    @property
    def filament_error_g(self) -> float:
        """How far the sample's filament may be off, g; areas, of which it is made, scatter less than seconds."""
        return 0.5 * self.estimate.sampling_error * self.estimate.filament_g


def try_out(
    engine: Engine, job: PrintJob, context: AdviceContext, layers: int | None = SAMPLE_LAYERS, like: Trial | None = None
) -> Trial:
    """Compute a recipe from a sample of layers, or in full with None; on the same layers as ``like`` where it can be.

    Raises :class:`MeanBeadError` where it cannot be printed.
    """
    plan = resolve(job.recipe, job.printer, job.nozzle, job.material)
    sampled = engine.sampled(job, layers, None if like is None else like.sampled)
    found = findings(context.rule_input(job, plan, sampled.estimate))
    return Trial(job, plan, sampled, measures(job, plan, sampled.estimate, context), found)
