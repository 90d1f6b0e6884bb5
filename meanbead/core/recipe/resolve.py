"""From a recipe, which holds choices only, to a plan, in which every figure is set.

What it leaves open comes from :mod:`meanbead.core.recipe.defaults`.
"""

from __future__ import annotations

import math
from typing import TypeVar

from meanbead.core.errors import RecipeError
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
from meanbead.core.model.recipe import (
    Recipe,
    VariableHeight,
)
from meanbead.core.recipe import defaults

__all__ = ["resolve"]

Chosen = TypeVar("Chosen", bool, int, float)


def resolve(recipe: Recipe, printer: Printer, nozzle: Nozzle, material: Material) -> Plan:
    """Fill in what a recipe leaves open.

    Raises :class:`RecipeError` where the choices contradict each other: a nozzle that is not the one fitted, or a
    line narrower than the layer is high.
    """
    bore = nozzle.bore_mm
    if recipe.nozzle_diameter_mm is not None and abs(recipe.nozzle_diameter_mm - bore) > 1e-6:
        raise RecipeError(
            f"The recipe asks for a {recipe.nozzle_diameter_mm:g} mm nozzle, but a {bore:g} mm nozzle is given.",
            field="nozzle_diameter_mm",
            remedy="Change one of the two.",
        )
    height = recipe.layer_height_mm or defaults.layer_height_mm(bore, printer.z_step_mm)
    first = recipe.first_layer_height_mm or height
    widths = _widths(recipe, bore)
    slope = _slope_heights(recipe.variable_height, printer, bore, height)
    _refuse_unpressed(widths, height if slope is None else max(height, slope.max_mm), first)
    _refuse_above_bore(bore, height, first)
    shape = _shape(recipe, bore, height, first, widths, slope)
    if shape.infill_lines_side_by_side > 1 and shape.infill_pattern in ("honeycomb", "gyroid"):
        raise RecipeError(
            f"Doubled lines are not laid in a {shape.infill_pattern} infill, whose walls bend.",
            field="infill.lines_side_by_side",
            remedy="Use one line, or a straight pattern such as grid, triangles or cubic.",
        )
    if shape.spiral and shape.copies.count > 1:
        raise RecipeError(
            "Spiral mode prints one part at a time: between copies the nozzle would have to stop.",
            field="copies.count",
            remedy="Print one, or turn spiral mode off.",
        )
    return _pace(recipe, printer, material, shape)


def _shape(
    recipe: Recipe, bore_mm: float, height: float, first: float, widths: Widths, slope: SlopeHeights | None
) -> Shape:
    skins, infill, adhesion, spiral = (
        recipe.skins,
        recipe.infill,
        recipe.adhesion,
        _or(recipe.spiral, defaults.SPIRAL.value),
    )
    top_layers = _or(recipe.top_layers, defaults.skin_layers(defaults.TOP_MM, height))
    bottom_layers = _or(recipe.bottom_layers, defaults.skin_layers(defaults.BOTTOM_MM, height))
    if skins.top_mm is not None:
        top_layers = _layers_for(skins.top_mm, height)
    if skins.bottom_mm is not None:
        bottom_layers = _layers_for(skins.bottom_mm, height)
    return Shape(
        bore_mm=bore_mm,
        layer_height_mm=height,
        first_layer_height_mm=first,
        slope_heights=slope,
        walls=_or(recipe.walls, defaults.walls(widths.inner_wall, height, spiral=spiral)),
        top_layers=top_layers,
        bottom_layers=bottom_layers,
        height_ranges=recipe.height_ranges,
        width_mm=widths,
        thin_walls=recipe.thin_walls or defaults.THIN_WALLS.value,
        wall_order=recipe.wall_order or defaults.WALL_ORDER.value,
        spiral=spiral,
        seam=recipe.seam or defaults.SEAM.value,
        travel=recipe.travel or defaults.TRAVEL.value,
        infill_density=_or(infill.density, defaults.DENSITY.value),
        infill_pattern=infill.pattern or defaults.PATTERN.value,
        infill_angle_deg=_or(infill.angle_deg, defaults.INFILL_ANGLE_DEG.value),
        infill_lines_side_by_side=_or(infill.lines_side_by_side, defaults.LINES_SIDE_BY_SIDE.value),
        infill_overlap_mm=_or(infill.overlap_mm, defaults.INFILL_OVERLAP_MM.value),
        infill_join=_or(infill.join, defaults.JOIN.value),
        skins=SkinShape(
            pattern=skins.pattern or defaults.SKIN_PATTERN.value,
            angle_deg=_or(skins.angle_deg, defaults.SKIN_ANGLE_DEG.value),
            overlap_mm=_or(skins.overlap_mm, defaults.SKIN_OVERLAP_MM.value),
            one_way=_or(skins.one_way, defaults.ONE_WAY.value),
            extra_top=_or(skins.extra_top, defaults.EXTRA_TOP.value),
            over_sparse=skins.over_sparse or defaults.OVER_SPARSE.value,
        ),
        bridge_flow_ratio=_or(recipe.bridge_flow_ratio, defaults.BRIDGE_FLOW_RATIO.value),
        ironing=IroningShape(
            kind=recipe.ironing.kind or defaults.IRONING.value,
            flow=_or(recipe.ironing.flow, defaults.IRONING_FLOW.value),
            spacing_mm=_or(recipe.ironing.spacing_mm, defaults.ironing_spacing_mm(bore_mm)),
            inset_mm=_or(recipe.ironing.inset_mm, defaults.ironing_inset_mm(widths.top)),
        ),
        supports=_supports(recipe, widths, height),
        adhesion=adhesion.kind or defaults.ADHESION.value,
        skirt_loops=_or(adhesion.loops, defaults.SKIRT_LOOPS.value),
        skirt_distance_mm=_or(adhesion.distance_mm, defaults.SKIRT_DISTANCE_MM.value),
        brim_width_mm=_or(adhesion.width_mm, defaults.adhesion_width_mm(adhesion.kind)),
        brim_holes=_or(adhesion.holes, defaults.BRIM_HOLES.value),
        raft_layers=_or(adhesion.layers, defaults.RAFT_LAYERS.value),
        raft_layer_mm=_or(adhesion.raft_layer_mm, defaults.raft_layer_mm(bore_mm)),
        copies=CopyShape(
            count=_or(recipe.copies.count, defaults.COPIES.value),
            order=recipe.copies.order or defaults.COPY_ORDER.value,
            gap_mm=_or(recipe.copies.gap_mm, defaults.copy_gap_mm(recipe.copies.order)),
        ),
    )


def _pace(recipe: Recipe, printer: Printer, material: Material, shape: Shape) -> Plan:
    speeds, accelerations = recipe.speed_mm_s, recipe.acceleration_mm_s2
    solid_speed = _or(speeds.solid, defaults.SOLID_MM_S.value)
    outer_speed = _or(speeds.outer_wall, defaults.OUTER_WALL_MM_S.value)
    print_acceleration = _or(accelerations.print, printer.acceleration_mm_s2.print)
    return Plan(
        shape=shape,
        nozzle_temp_c=_or(recipe.nozzle_temp_c, material.nozzle_temp_c),
        bed_temp_c=_or(recipe.bed_temp_c, material.bed_temp_c),
        speed_mm_s=FeatureSpeeds(
            outer_wall=outer_speed,
            inner_wall=_or(speeds.inner_wall, defaults.INNER_WALL_MM_S.value),
            infill=_or(speeds.infill, defaults.INFILL_MM_S.value),
            solid=solid_speed,
            top=_or(speeds.top, min(outer_speed, solid_speed)),
            bridge=_or(speeds.bridge, defaults.BRIDGE_MM_S.value),
            support=_or(speeds.support, defaults.SUPPORT_MM_S.value),
            ironing=_or(recipe.ironing.speed_mm_s, defaults.IRONING_MM_S.value),
            first_layer=_or(speeds.first_layer, defaults.FIRST_LAYER_MM_S.value),
            travel=_or(speeds.travel, defaults.TRAVEL_MM_S.value),
        ),
        outer_wall_acceleration_mm_s2=_or(accelerations.outer_wall, print_acceleration),
        print_acceleration_mm_s2=print_acceleration,
        travel_acceleration_mm_s2=_or(accelerations.travel, printer.acceleration_mm_s2.travel),
        retraction_mm=_or(recipe.retraction.length_mm, defaults.RETRACTION_MM.value[printer.drive]),
        retraction_speed_mm_s=_or(recipe.retraction.speed_mm_s, defaults.RETRACTION_MM_S.value[printer.drive]),
        min_travel_mm=_or(recipe.retraction.min_travel_mm, defaults.MIN_TRAVEL_MM.value),
        z_hop_mm=_or(recipe.retraction.z_hop_mm, defaults.Z_HOP_MM.value),
        wipe_mm=_or(recipe.retraction.wipe_mm, defaults.WIPE_MM.value),
        min_layer_time_s=_or(recipe.cooling.min_layer_time_s, defaults.MIN_LAYER_TIME_S.value),
        min_speed_mm_s=_or(recipe.cooling.min_speed_mm_s, defaults.MIN_SPEED_MM_S.value),
        short_layers=recipe.cooling.short_layers or defaults.SHORT_LAYERS.value,
        fan=_or(recipe.cooling.fan, defaults.FAN.value),
        bridge_fan=_or(recipe.cooling.bridge_fan, defaults.BRIDGE_FAN.value),
        flow_ratio=_or(recipe.flow_ratio, defaults.FLOW_RATIO.value),
    )


def _layers_for(thickness_mm: float, height_mm: float) -> int:
    """Layers that make at least a thickness; a hundredth of a layer short still counts as reached."""
    return max(0, math.ceil(thickness_mm / height_mm - 0.01))


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


def _supports(recipe: Recipe, widths: Widths, height_mm: float) -> SupportShape:
    asked = recipe.supports
    kind = asked.kind or defaults.SUPPORTS.value
    return SupportShape(
        kind=kind,
        angle_deg=_or(asked.angle_deg, defaults.SUPPORT_ANGLE_DEG.value),
        spacing_mm=_or(asked.spacing_mm, defaults.support_spacing_mm(kind)),
        interface_layers=_or(asked.interface_layers, defaults.INTERFACE_LAYERS.value),
        gap_layers=_or(asked.gap_layers, defaults.GAP_LAYERS.value),
        gap_mm=_or(asked.gap_mm, round(widths.outer_wall, 3)),
        bed_only=_or(asked.bed_only, defaults.BED_ONLY.value),
    )


def _or(value: Chosen | None, default: Chosen) -> Chosen:
    return default if value is None else value


def _widths(recipe: Recipe, bore_mm: float) -> Widths:
    """Widths, each left open following the one before it; the outer wall's default is 1.1 bores."""
    asked = recipe.line_width_mm
    outer = asked.outer_wall or defaults.outer_width_mm(bore_mm)
    inner = asked.inner_wall or outer
    infill = asked.infill or inner
    solid = asked.solid or infill
    return Widths(outer, inner, infill, solid, asked.top or solid, asked.first_layer or outer)


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
