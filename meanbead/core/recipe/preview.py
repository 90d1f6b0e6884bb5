"""What can be said of a recipe before any part is sliced: the bead, its flow, and the ceiling above it."""

from __future__ import annotations

from meanbead.core.formulas.bead import bead_area_mm2, bead_spacing_mm
from meanbead.core.formulas.melt import melt_ceiling, temperature_for_flow_c
from meanbead.core.model.base import Provenance
from meanbead.core.model.estimate import Result
from meanbead.core.model.material import Material
from meanbead.core.model.nozzle import FLAT_PER_BORE, Nozzle
from meanbead.core.model.printer import Printer
from meanbead.core.model.recipe import Recipe
from meanbead.core.model.standards import Standards
from meanbead.core.recipe.reasons import Decider, deciders
from meanbead.core.recipe.resolve import USUAL, resolve

__all__ = ["BeadPreview", "Preview", "preview"]


class BeadPreview(Result):
    """The bead of one feature at the speed asked for. ``speed_limit_mm_s`` is the speed that the ceiling allows."""

    feature: str
    width_mm: float
    height_mm: float
    area_mm2: float
    spacing_mm: float
    contact_mm: float
    speed_mm_s: float
    flow_mm3_s: float
    speed_limit_mm_s: float


class Preview(Result):
    """A recipe with every key filled in, and its beads. The knee's 90 % interval runs from ``melt_low_mm3_s`` to
    ``melt_high_mm3_s``. ``decided_by`` names the keys that house rules or the part's purpose
    have filled in."""

    effective: Recipe
    decided_by: dict[str, Decider]
    bore_mm: float
    flat_mm: float
    beads: list[BeadPreview]
    melt_ceiling_mm3_s: float
    melt_knee_mm3_s: float
    melt_bound: str
    melt_ceiling_source: Provenance
    melt_basis: str
    melt_low_mm3_s: float
    melt_high_mm3_s: float
    melt_test_id: int | None
    temp_for_flow_c: float | None


def preview(
    recipe: Recipe, printer: Printer, nozzle: Nozzle, material: Material, standards: Standards = USUAL
) -> Preview:
    """Bead and flow of each feature. Raises :class:`~meanbead.core.errors.RecipeError` as ``resolve`` does.

    ``temp_for_flow_c`` is the lowest temperature that melts the largest flow asked for, None if none in the
    material's window does.
    """
    plan = resolve(recipe, printer, nozzle, material, standards)
    ceiling = melt_ceiling(printer, nozzle, material, plan.nozzle_temp_c)
    height = plan.shape.layer_height_mm
    beads = []
    for feature in ("outer_wall", "inner_wall", "infill", "solid", "top"):
        width: float = getattr(plan.shape.width_mm, feature)
        speed: float = min(getattr(plan.speed_mm_s, feature), printer.max_speed_mm_s.x, printer.max_speed_mm_s.y)
        area = bead_area_mm2(width, height) * plan.flow_ratio
        spacing = bead_spacing_mm(width, height)
        beads.append(
            BeadPreview(
                feature=feature,
                width_mm=width,
                height_mm=height,
                area_mm2=area,
                spacing_mm=spacing,
                contact_mm=spacing,
                speed_mm_s=speed,
                flow_mm3_s=area * speed,
                speed_limit_mm_s=ceiling.plan_mm3_s / area,
            )
        )
    most = min(material.nozzle_temp_max_c, printer.highest_nozzle_c)
    return Preview(
        effective=plan.as_recipe(),
        decided_by=deciders(recipe, printer, material, standards),
        bore_mm=nozzle.bore_mm,
        flat_mm=nozzle.flat_mm or FLAT_PER_BORE * nozzle.bore_mm,
        beads=beads,
        melt_ceiling_mm3_s=ceiling.plan_mm3_s,
        melt_knee_mm3_s=ceiling.knee_mm3_s,
        melt_bound=ceiling.bound,
        melt_ceiling_source=ceiling.source,
        melt_basis=ceiling.basis,
        melt_low_mm3_s=ceiling.low_mm3_s,
        melt_high_mm3_s=ceiling.high_mm3_s,
        melt_test_id=ceiling.test_id,
        temp_for_flow_c=temperature_for_flow_c(printer, nozzle, material, max(bead.flow_mm3_s for bead in beads), most),
    )
