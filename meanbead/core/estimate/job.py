"""What is estimated: a part with everything that it is printed by, and the same once it is thought through."""

from __future__ import annotations

from dataclasses import dataclass

from meanbead.core.formulas.melt import MeltCeiling, melt_ceiling
from meanbead.core.model import Material, Nozzle, Printer, Recipe, Standards
from meanbead.core.model.plan import Plan
from meanbead.core.part.solid import Solid
from meanbead.core.recipe.resolve import USUAL, resolve

__all__ = ["Prepared", "PrintJob", "prepare"]


@dataclass(frozen=True)
class PrintJob:
    """All inputs of an estimate. ``standards`` fill in what the recipe leaves open."""

    solid: Solid
    recipe: Recipe
    printer: Printer = Printer()
    nozzle: Nozzle = Nozzle()
    material: Material = Material()
    standards: Standards = USUAL


@dataclass(frozen=True)
class Prepared:
    """A job with what follows from it at once: the plan, and what the hot end melts at its temperature, and at
    that of the first layer. Made once a request, so that all that is said of a recipe rests on the same plan."""

    job: PrintJob
    plan: Plan
    ceiling: MeltCeiling
    first_ceiling: MeltCeiling

    @property
    def flow_caps_mm3_s(self) -> tuple[float, float]:
        """Flows above which speeds are held back, mm3/s: above the first layer, and on it. A recipe that runs on beyond what
        melts is held back only where the drive may skip."""
        if self.plan.above_melt == "run_on":
            return self.ceiling.skip_mm3_s, self.first_ceiling.skip_mm3_s
        return self.ceiling.plan_mm3_s, self.first_ceiling.plan_mm3_s


def prepare(job: PrintJob | Prepared) -> Prepared:
    """Resolve a job's recipe and find its melt ceiling; what is prepared already stays as it is.

    Raises :class:`RecipeError` where the choices contradict each other.
    """
    if isinstance(job, Prepared):
        return job
    plan = resolve(job.recipe, job.printer, job.nozzle, job.material, job.standards)
    above, first = (
        melt_ceiling(job.printer, job.nozzle, job.material, temp)
        for temp in (plan.nozzle_temp_c, plan.first_layer_nozzle_temp_c)
    )
    return Prepared(job, plan, above, first)
