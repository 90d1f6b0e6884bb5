"""What is estimated: a part with everything that it is printed by, and the same once it is thought through."""

from __future__ import annotations

import math
from dataclasses import dataclass

from meanbead.core.errors import RecipeError
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
        melts is not held back: firmware knows no ceiling, and what does not melt is missing."""
        if self.plan.above_melt == "run_on":
            return math.inf, math.inf
        return self.ceiling.plan_mm3_s, self.first_ceiling.plan_mm3_s


def prepare(job: PrintJob | Prepared) -> Prepared:
    """Resolve a job's recipe and find its melt ceiling; what is prepared already stays as it is.

    Raises :class:`RecipeError` where the choices contradict each other, or head or gantry would hit a finished copy.
    """
    if isinstance(job, Prepared):
        return job
    plan = resolve(job.recipe, job.printer, job.nozzle, job.material, job.standards)
    _refuse_collision(job, plan)
    above, first = (
        melt_ceiling(job.printer, job.nozzle, job.material, temp)
        for temp in (plan.nozzle_temp_c, plan.first_layer_nozzle_temp_c)
    )
    return Prepared(job, plan, above, first)


def _refuse_collision(job: PrintJob, plan: Plan) -> None:
    """Copies one after the other: the head must pass between them, and the gantry over them."""
    copies, head = plan.shape.copies, job.printer.head
    if copies.order != "one_by_one" or copies.count < 2:
        return
    need = max(head.left_mm, head.right_mm, head.front_mm, head.back_mm)
    if copies.gap_mm < need:
        raise RecipeError(
            f"Copies one after the other stand {copies.gap_mm:g} mm apart, and the head reaches {need:g} mm from the nozzle.",
            field="copies.gap_mm",
            remedy=f"Set them at least {need:g} mm apart, or print them layer by layer.",
        )
    height_mm = float(job.solid.vertices[:, 2].max() - job.solid.vertices[:, 2].min())
    if height_mm > head.gantry_mm:
        raise RecipeError(
            f"Copies one after the other are {height_mm:.0f} mm high, and the gantry runs {head.gantry_mm:g} mm above the nozzle.",
            field="copies.order",
            remedy="Print them layer by layer.",
        )
