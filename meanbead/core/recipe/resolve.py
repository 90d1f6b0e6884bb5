"""From a recipe, which holds choices only, to a plan, in which every figure is set.

What it leaves open comes from :mod:`meanbead.core.recipe.defaults`.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TypeVar

from meanbead.core.errors import RecipeError
from meanbead.core.formulas.melt import melt_ceiling
from meanbead.core.formulas.surface import cooled_share, steepest_clean_deg
from meanbead.core.model.house import HouseRules
from meanbead.core.model.material import Material
from meanbead.core.model.nozzle import Nozzle
from meanbead.core.model.plan import (
    CopyShape,
    FeatureSpeeds,
    IroningShape,
    Plan,
    Shape,
    SkinShape,
    SlopeHeights,
    SupportShape,
    Widths,
)
from meanbead.core.model.printer import Printer
from meanbead.core.model.recipe import Infill, Ironing, Recipe, Skins, VariableHeight
from meanbead.core.model.standards import Standards
from meanbead.core.recipe import defaults

__all__ = ["BENT_PATTERNS", "USUAL", "resolve"]

Chosen = TypeVar("Chosen")

USUAL = Standards()
"""The first school of each matter, for a part of which nobody said what it is for."""

BENT_PATTERNS = ("honeycomb", "honeycomb_3d", "gyroid")
"""Fillings whose walls bend, so that no second line lies straight beside the first."""


def resolve(recipe: Recipe, printer: Printer, nozzle: Nozzle, material: Material, standards: Standards = USUAL) -> Plan:
    """Fill in what a recipe leaves open, by the house's ``standards`` where good practitioners disagree.

    Raises :class:`RecipeError` where the choices contradict each other: a nozzle that is not the one fitted, or a
    line narrower than the layer is high.
    """
    bore, house = nozzle.bore_mm, standards.house
    if recipe.nozzle_diameter_mm is not None and abs(recipe.nozzle_diameter_mm - bore) > 1e-6:
        raise RecipeError(
            f"The recipe asks for a {recipe.nozzle_diameter_mm:g} mm nozzle, but a {bore:g} mm nozzle is given.",
            field="nozzle_diameter_mm",
            remedy="Change one of the two.",
        )
    height = recipe.layer_height_mm or defaults.layer_height_mm(bore, printer.z_step_mm, house)
    first = recipe.first_layer_height_mm or height
    widths = _widths(recipe, nozzle, house)
    slope = _slope_heights(recipe.variable_height, printer, bore, height)
    _refuse_unpressed(widths, height if slope is None else max(height, slope.max_mm), first)
    _refuse_above_bore(bore, height, first)
    beads = _Beads(bore, height, first, widths, slope)
    shape = _shape(recipe, printer, material, standards, beads)
    if shape.infill_lines_side_by_side > 1 and shape.infill_pattern in BENT_PATTERNS:
        raise RecipeError(
            f"Doubled lines are not laid in a {shape.infill_pattern.replace('_', ' ')} infill, whose walls bend.",
            field="infill.lines_side_by_side",
            remedy="Use one line, or a straight pattern such as grid, triangles or cubic.",
        )
    if shape.spiral and shape.copies.count > 1:
        raise RecipeError(
            "Spiral mode prints one part at a time: between copies the nozzle would have to stop.",
            field="copies.count",
            remedy="Print one, or turn spiral mode off.",
        )
    return _pace(recipe, printer, nozzle, material, standards, shape)


@dataclass(frozen=True)
class _Beads:
    """The beads that a shape is made of, mm."""

    bore_mm: float
    height_mm: float
    first_mm: float
    widths: Widths
    slope: SlopeHeights | None

    @property
    def layer_height_mm(self) -> float:
        return self.height_mm

    @property
    def slope_heights(self) -> SlopeHeights | None:
        return self.slope


def _shape(recipe: Recipe, printer: Printer, material: Material, standards: Standards, beads: _Beads) -> Shape:
    infill, spiral, house = recipe.infill, _or(recipe.spiral, defaults.SPIRAL.value), standards.house
    widths, height = beads.widths, beads.height_mm
    kind = recipe.adhesion.kind or defaults.adhesion(material, printer, house)
    strength = house.strength
    pattern = infill.pattern or ("adaptive" if strength == "adaptive" else defaults.PATTERN.value)
    doubled = strength == "doubled_lines" and infill.density is None and pattern not in BENT_PATTERNS
    usual_density = defaults.DENSITY_BY_STRENGTH[strength] if strength != "doubled_lines" or doubled else None
    lines = _or(infill.lines_side_by_side, 2 if doubled else defaults.LINES_SIDE_BY_SIDE.value)
    if lines == 1 and doubled:
        usual_density = None
    least = (standards.limits.infill_density or 0.0) / lines
    density = _or(infill.density, max(_or(usual_density, defaults.DENSITY.value), round(least, 4)))
    top_layers = _or(recipe.top_layers, defaults.top_layers(height, density))
    bottom_layers = _or(recipe.bottom_layers, defaults.bottom_layers(height))
    if recipe.skins.top_mm is not None:
        top_layers = defaults.reaching(recipe.skins.top_mm, height)
    if recipe.skins.bottom_mm is not None:
        bottom_layers = defaults.reaching(recipe.skins.bottom_mm, height)
    usual_walls = defaults.walls(widths.outer_wall, widths.inner_wall, height, standards.limits, spiral=spiral)
    return Shape(
        bore_mm=beads.bore_mm,
        layer_height_mm=height,
        first_layer_height_mm=beads.first_mm,
        slope_heights=beads.slope,
        walls=_or(recipe.walls, usual_walls),
        top_layers=top_layers,
        bottom_layers=bottom_layers,
        height_ranges=recipe.height_ranges,
        width_mm=widths,
        thin_walls=recipe.thin_walls or defaults.THIN_WALLS.value,
        wall_order=recipe.wall_order or defaults.WALL_ORDER.value,
        spiral=spiral,
        seam=recipe.seam or ("scattered" if house.seam == "scattered" else defaults.SEAM.value),
        travel=recipe.travel or ("straight" if house.retraction == "every_hop" else defaults.TRAVEL.value),
        infill_density=density,
        infill_pattern=pattern,
        infill_angle_deg=_or(infill.angle_deg, defaults.INFILL_ANGLE_DEG.value),
        infill_angles_deg=infill.angles_deg,
        infill_lines_side_by_side=lines,
        infill_overlap_mm=_overlap_mm(infill, defaults.INFILL_OVERLAP.value, widths.infill),
        infill_join=_or(infill.join, defaults.JOIN.value),
        skins=_skins(recipe.skins, widths, house),
        bridge_flow_ratio=_or(recipe.bridge_flow_ratio, material.bridge_flow_ratio, defaults.BRIDGE_FLOW_RATIO.value),
        ironing=_ironing(recipe.ironing, beads, house),
        supports=_supports(recipe, printer, material, beads),
        adhesion=kind,
        skirt_loops=_or(recipe.adhesion.loops, defaults.SKIRT_LOOPS.value),
        skirt_distance_mm=_or(recipe.adhesion.distance_mm, defaults.SKIRT_DISTANCE_MM.value),
        brim_width_mm=_or(recipe.adhesion.width_mm, defaults.adhesion_width_mm(kind)),
        brim_holes=_or(recipe.adhesion.holes, defaults.BRIM_HOLES.value),
        raft_layers=_or(recipe.adhesion.layers, defaults.RAFT_LAYERS.value),
        raft_layer_mm=_or(recipe.adhesion.raft_layer_mm, defaults.raft_layer_mm(beads.bore_mm)),
        copies=CopyShape(
            count=_or(recipe.copies.count, defaults.COPIES.value),
            order=recipe.copies.order or defaults.COPY_ORDER.value,
            gap_mm=_or(recipe.copies.gap_mm, defaults.copy_gap_mm(recipe.copies.order)),
        ),
    )


def _overlap_mm(asked: Infill | Skins, usual: float, width_mm: float) -> float:
    """How far strokes reach into the walls, mm: as given, or a share of their width."""
    return _or(asked.overlap_mm, round(_or(asked.overlap, usual) * width_mm, 4))


def _skins(asked: Skins, widths: Widths, house: HouseRules) -> SkinShape:
    pattern = asked.pattern or defaults.SKIN_PATTERN.value
    return SkinShape(
        pattern=pattern,
        top_pattern=asked.top_pattern or pattern,
        first_layer_pattern=asked.first_layer_pattern or pattern,
        angle_deg=_or(asked.angle_deg, defaults.SKIN_ANGLE_DEG.value),
        angles_deg=asked.angles_deg,
        overlap_mm=_overlap_mm(asked, defaults.SKIN_OVERLAP.value, widths.solid),
        drop_narrow_mm=_or(asked.drop_narrow_mm, defaults.DROP_NARROW_MM.value),
        grow_mm=_or(asked.grow_mm, defaults.GROW_MM.value),
        order=asked.order or ("one_way" if house.smooth_top == "one_way" else defaults.SKIN_ORDER.value),
        extra_top=_or(asked.extra_top, defaults.EXTRA_TOP.value),
        over_sparse=asked.over_sparse or defaults.OVER_SPARSE.value,
    )


def _ironing(asked: Ironing, beads: _Beads, house: HouseRules) -> IroningShape:
    usual = "topmost" if house.smooth_top == "ironing" else defaults.IRONING.value
    return IroningShape(
        kind=asked.kind or usual,
        pattern=asked.pattern or defaults.IRONING_PATTERN.value,
        flow=_or(asked.flow, defaults.IRONING_FLOW.value),
        spacing_mm=_or(asked.spacing_mm, defaults.ironing_spacing_mm(beads.bore_mm)),
        inset_mm=_or(asked.inset_mm, defaults.ironing_inset_mm(beads.widths.top)),
    )


def _pace(
    recipe: Recipe, printer: Printer, nozzle: Nozzle, material: Material, standards: Standards, shape: Shape
) -> Plan:
    accelerations, house = recipe.acceleration_mm_s2, standards.house
    nozzle_c = _or(recipe.nozzle_temp_c, defaults.nozzle_temp_c(material, nozzle, printer, house))
    first_c = _or(recipe.first_layer_nozzle_temp_c, _first_layer_c(recipe, material, printer, nozzle_c))
    bed_c = _or(recipe.bed_temp_c, material.bed_temp_c)
    first_bed = material.first_layer_bed_temp_c if recipe.bed_temp_c is None else None
    print_acceleration = _or(accelerations.print, printer.acceleration_mm_s2.print)
    own_clean = printer.clean_acceleration_mm_s2
    clean = print_acceleration
    if accelerations.print is None and own_clean is not None:
        clean = min(print_acceleration, own_clean)
    # Where the fan that was chosen is more, bridges get no less.
    fan = _fan(recipe, material)
    return Plan(
        shape=shape,
        nozzle_temp_c=nozzle_c,
        first_layer_nozzle_temp_c=first_c,
        bed_temp_c=bed_c,
        first_layer_bed_temp_c=_or(recipe.first_layer_bed_temp_c, first_bed, bed_c),
        speed_mm_s=_speeds(
            recipe, shape, material, standards, _free_flows(nozzle_c, first_c, printer, nozzle, material, standards)
        ),
        outer_wall_acceleration_mm_s2=_or(accelerations.outer_wall, clean),
        infill_acceleration_mm_s2=_or(accelerations.infill, print_acceleration),
        print_acceleration_mm_s2=print_acceleration,
        travel_acceleration_mm_s2=_or(accelerations.travel, printer.acceleration_mm_s2.travel),
        retraction_mm=_or(
            recipe.retraction.length_mm, printer.pull_length_mm, defaults.RETRACTION_MM.value[printer.drive]
        ),
        retraction_speed_mm_s=_or(recipe.retraction.speed_mm_s, defaults.RETRACTION_MM_S.value[printer.drive]),
        min_travel_mm=_or(
            recipe.retraction.min_travel_mm, 0.0 if house.retraction == "every_hop" else defaults.MIN_TRAVEL_MM.value
        ),
        z_hop_mm=_or(recipe.retraction.z_hop_mm, defaults.Z_HOP_MM.value),
        wipe_mm=_or(recipe.retraction.wipe_mm, defaults.WIPE_MM.value),
        min_layer_time_s=_min_layer_time_s(recipe),
        min_speed_mm_s=_or(recipe.cooling.min_speed_mm_s, defaults.MIN_SPEED_MM_S.value),
        short_layers=recipe.cooling.short_layers or defaults.SHORT_LAYERS.value,
        fan=fan,
        bridge_fan=_or(recipe.cooling.bridge_fan, max(fan, _or(material.bridge_fan, 1.0))),
        fan_off_layers=_or(recipe.cooling.fan_off_layers, material.fan_off_layers),
        above_melt=recipe.above_melt or defaults.ABOVE_MELT.value,
        flow_ratio=_or(recipe.flow_ratio, defaults.FLOW_RATIO.value),
    )


def _fan(recipe: Recipe, material: Material) -> float:
    return _or(recipe.cooling.fan, material.fan_max)


def _min_layer_time_s(recipe: Recipe) -> float:
    return _or(recipe.cooling.min_layer_time_s, defaults.MIN_LAYER_TIME_S.value)


def _first_layer_c(recipe: Recipe, material: Material, printer: Printer, nozzle_c: float) -> float:
    """A plastic's own first-layer temperature; a temperature that was chosen is for all layers."""
    own = material.first_layer_nozzle_temp_c
    if own is None or recipe.nozzle_temp_c is not None:
        return nozzle_c
    return min(own, printer.highest_nozzle_c) if printer.highest_nozzle_c >= material.nozzle_temp_min_c else own


def _free_flows(
    nozzle_c: float, first_c: float, printer: Printer, nozzle: Nozzle, material: Material, standards: Standards
) -> tuple[float, float]:
    """Flows that defaults may ask for above the first layer and on it, mm3/s: the melt ceiling less the purpose's margin."""
    free = 1 - (standards.limits.flow_margin or 0.0)
    above, first = (melt_ceiling(printer, nozzle, material, temp).plan_mm3_s * free for temp in (nozzle_c, first_c))
    return above, first


def _speeds(
    recipe: Recipe, shape: Shape, material: Material, standards: Standards, flows_mm3_s: tuple[float, float]
) -> FeatureSpeeds:
    """Speeds as chosen, or as usual as far as the hot end melts that much and the part's purpose takes it."""
    asked, widths, limits = recipe.speed_mm_s, shape.width_mm, standards.limits
    usual, ratio = defaults.paces_mm_s(standards.house), _or(recipe.flow_ratio, defaults.FLOW_RATIO.value)
    height = shape.layer_height_mm if shape.slope_heights is None else shape.slope_heights.max_mm
    above, first = (flow / ratio for flow in flows_mm3_s)
    if limits.outer_speed_mm_s is not None:
        usual["outer_wall"] = min(usual["outer_wall"], limits.outer_speed_mm_s)

    def melting(feature: str, speed_mm_s: float) -> float:
        width = getattr(widths, feature)
        return defaults.melts_mm_s(speed_mm_s, width, height, above, spread=feature in ("solid", "top"))

    outer = _or(asked.outer_wall, melting("outer_wall", usual["outer_wall"]))
    solid = _or(asked.solid, melting("solid", usual["solid"]))
    # A wide bore's strand is thick: it is drawn no faster than it melts.
    strand_mm2 = math.pi * shape.bore_mm**2 / 4 * shape.bridge_flow_ratio
    bridge = _or(material.bridge_speed_mm_s, defaults.BRIDGE_MM_S.value)
    if above > 0 and strand_mm2 * bridge > above:
        bridge = max(float(math.floor(above / strand_mm2)), 1.0)
    first_usual = defaults.FIRST_LAYER_MM_S.value
    return FeatureSpeeds(
        outer_wall=outer,
        inner_wall=_or(asked.inner_wall, melting("inner_wall", usual["inner_wall"])),
        infill=_or(asked.infill, melting("infill", usual["infill"])),
        solid=solid,
        top=_or(asked.top, melting("top", min(outer, solid, _or(material.top_speed_mm_s, math.inf)))),
        bridge=_or(asked.bridge, bridge),
        support=_or(asked.support, melting("infill", defaults.SUPPORT_MM_S.value)),
        ironing=_or(recipe.ironing.speed_mm_s, defaults.IRONING_MM_S.value),
        first_layer=_or(
            asked.first_layer,
            defaults.melts_mm_s(first_usual, widths.first_layer, shape.first_layer_height_mm, first, spread=True),
        ),
        travel=_or(asked.travel, defaults.TRAVEL_MM_S.value),
    )


def _slope_heights(asked: VariableHeight, printer: Printer, bore_mm: float, height_mm: float) -> SlopeHeights | None:
    if asked.kind != "by_slope":
        return None
    full = asked.full_steps if asked.full_steps is not None else printer.z_step_mm is not None
    if full and printer.z_step_mm is None:
        raise RecipeError(
            "Full-step heights need the machine's step height, which its description does not give.",
            field="variable_height.full_steps",
            remedy="Give z_step_mm in the machine's description, or allow any height.",
        )
    step = printer.z_step_mm if full and printer.z_step_mm else 0.0
    grid = step or defaults.ANY_HEIGHT_STEP_MM
    least = _or(asked.min_mm, defaults.lowest_layer_mm(bore_mm, grid))
    most = _or(asked.max_mm, defaults.highest_layer_mm(bore_mm, grid, least))
    if most < least:
        raise RecipeError(
            f"The highest layer ({most:g} mm) is lower than the lowest ({least:g} mm).",
            field="variable_height.max_mm",
            remedy=f"Give at least {least:g} mm, or lower min_mm.",
        )
    return SlopeHeights(
        min_mm=least,
        max_mm=most,
        ridge_mm=_or(asked.ridge_mm, defaults.ridge_mm(height_mm)),
        max_step_mm=_or(asked.max_step_mm, max(defaults.LARGEST_STEP_MM.value, step)),
        step_mm=step,
    )


def _supports(recipe: Recipe, printer: Printer, material: Material, beads: _Beads) -> SupportShape:
    asked, outer_mm = recipe.supports, beads.widths.outer_wall
    kind, angle = asked.kind or defaults.SUPPORTS.value, asked.angle_deg
    if angle is None:
        # Where there are none, what the cooling does changes no stroke.
        cooled = 1.0 if kind == "none" else cooled_share(_fan(recipe, material), _min_layer_time_s(recipe))
        angle = defaults.support_angle_deg(steepest_clean_deg(beads.bore_mm, outer_mm, beads, printer, cooled))
    return SupportShape(
        kind=kind,
        angle_deg=angle,
        spacing_mm=_or(asked.spacing_mm, defaults.SUPPORT_SPACING_MM.value),
        interface_layers=_or(asked.interface_layers, defaults.INTERFACE_LAYERS.value),
        gap_layers=_or(asked.gap_layers, defaults.GAP_LAYERS.value),
        gap_mm=_or(asked.gap_mm, round(outer_mm, 3)),
        bed_only=_or(asked.bed_only, defaults.BED_ONLY.value),
    )


def _or(value: Chosen | None, *otherwise: Chosen | None) -> Chosen:
    """The first that is given."""
    for found in (value, *otherwise):
        if found is not None:
            return found
    raise AssertionError("the last default is always given")


def _widths(recipe: Recipe, nozzle: Nozzle, house: HouseRules) -> Widths:
    """Widths: the house's, and each left open following the one before it."""
    asked = recipe.line_width_mm
    outer = asked.outer_wall or defaults.outer_width_mm(nozzle, house)
    inner = asked.inner_wall or (outer if asked.outer_wall else defaults.inner_width_mm(outer, nozzle, house))
    infill = asked.infill or inner
    solid = asked.solid or infill
    top = asked.top or (solid if asked.solid else defaults.top_width_mm(outer, solid, house))
    return Widths(outer, inner, infill, solid, top, asked.first_layer or outer)


def _refuse_above_bore(bore_mm: float, height_mm: float, first_mm: float) -> None:
    for field, height in (("layer_height_mm", height_mm), ("first_layer_height_mm", first_mm)):
        if height > bore_mm:
            raise RecipeError(
                f"A layer {height:g} mm high is higher than the bore of {bore_mm:g} mm: the strand would drop, not bond.",
                field=field,
                remedy=f"Stay below {0.8 * bore_mm:.2g} mm, or use a larger nozzle.",
            )


def _refuse_unpressed(widths: Widths, height_mm: float, first_mm: float) -> None:
    for feature in ("outer_wall", "inner_wall", "infill", "solid", "top"):
        width = getattr(widths, feature)
        if width < height_mm:
            raise RecipeError(
                f"A line {width:g} mm wide cannot be {height_mm:g} mm high: the strand would not be pressed down.",
                field=f"line_width_mm.{feature}",
                remedy=f"Make the line at least {height_mm:g} mm wide, or the layer at most {width:g} mm high.",
            )
    if widths.first_layer < first_mm:
        raise RecipeError(
            f"A first layer {first_mm:g} mm high needs a wider line than {widths.first_layer:g} mm.",
            field="first_layer_height_mm",
            remedy=f"Make the first layer at most {widths.first_layer:g} mm high, or its line wider.",
        )
