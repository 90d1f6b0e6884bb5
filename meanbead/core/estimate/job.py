"""What is estimated: a part with everything that it is printed by, and the same once it is thought through."""

from __future__ import annotations

from dataclasses import dataclass

from meanbead.core.formulas.melt import MeltCeiling, melt_ceiling
from meanbead.core.model import Material, Nozzle, Printer, Recipe
from meanbead.core.model.plan import Plan
from meanbead.core.part.solid import Solid
from meanbead.core.recipe.resolve import resolve

__all__ = ["Prepared", "PrintJob", "prepare"]


@dataclass(frozen=True)
class PrintJob:
    """All inputs of an estimate."""

    solid: Solid
    recipe: Recipe
    printer: Printer = Printer()
    nozzle: Nozzle = Nozzle()
    material: Material = Material()


@dataclass(frozen=True)
class Prepared:
    """A job with what follows from it at once: the plan, and what the hot end melts at its temperature. Made once a
    request, so that all that is said of a recipe rests on the same plan."""

    job: PrintJob
    plan: Plan
    ceiling: MeltCeiling


def prepare(job: PrintJob | Prepared) -> Prepared:
    """Resolve a job's recipe and find its melt ceiling; what is prepared already stays as it is.

    Raises :class:`RecipeError` where the choices contradict each other.
    """
    if isinstance(job, Prepared):
        return job
    plan = resolve(job.recipe, job.printer, job.nozzle, job.material)
    return Prepared(job, plan, melt_ceiling(job.printer, job.nozzle, job.material, plan.nozzle_temp_c))
