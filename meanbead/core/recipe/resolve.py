"""From a recipe, which holds choices only, to a plan, in which every figure is set.

Defaults follow the first school of each matter in docs/method.md: heights and widths from the bore, shell in
millimetres, slow outer wall and faster inside.
"""

from __future__ import annotations

import math
from typing import TypeVar

from meanbead.core.errors import RecipeError
from meanbead.core.formulas.bead import bead_spacing_mm
from meanbead.core.model.material import Material
from meanbead.core.model.nozzle import Nozzle
from meanbead.core.model.printer import Printer
from meanbead.core.model.recipe import (
    Recipe,
    VariableHeight,
)
from meanbead.core.recipe.plan import (
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

Number = TypeVar("Number", int, float)

DEFAULT_SHELL_MM = 0.85
DEFAULT_TOP_MM = 0.8
DEFAULT_BOTTOM_MM = 0.6
DEFAULT_BRIM_MM = 6.0
DEFAULT_RAFT_MARGIN_MM = 3.0
DEFAULT_BRIDGE_FLOW = 0.95
DEFAULT_SPEED_MM_S = {
    "outer_wall": 40.0,
    "inner_wall": 60.0,
    "infill": 80.0,
    "solid": 60.0,
    "bridge": 25.0,
    "support": 60.0,
    "ironing": 30.0,
    "first_layer": 25.0,
}
DEFAULT_TRAVEL_MM_S = 150.0
RETRACTION_MM = {"direct": (0.8, 35.0), "long_tube": (4.5, 40.0)}


def _round_to(value: float, step: float) -> float:
    return round(round(value / step) * step, 6)


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
    step = printer.z_step_mm or 0.01
    height = recipe.layer_height_mm or max(_round_to(0.5 * bore, step), step)
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
    wall_spacing = bead_spacing_mm(widths.inner_wall, height)
    skins, infill, adhesion, spiral = recipe.skins, recipe.infill, recipe.adhesion, bool(recipe.spiral)
    top_layers = _or(recipe.top_layers, max(2, round(DEFAULT_TOP_MM / height)))
    bottom_layers = _or(recipe.bottom_layers, max(2, round(DEFAULT_BOTTOM_MM / height)))
    if skins.top_mm is not None:
        top_layers = _layers_for(skins.top_mm, height)
    if skins.bottom_mm is not None:
        bottom_layers = _layers_for(skins.bottom_mm, height)
    return Shape(
        bore_mm=bore_mm,
        layer_height_mm=height,
        first_layer_height_mm=first,
        slope_heights=slope,
        walls=_or(recipe.walls, 1 if spiral else max(1, round(DEFAULT_SHELL_MM / wall_spacing))),
        top_layers=top_layers,
        bottom_layers=bottom_layers,
        height_ranges=recipe.height_ranges,
        width_mm=widths,
        thin_walls=recipe.thin_walls or "variable",
        wall_order=recipe.wall_order or "inside_out",
        spiral=spiral,
        seam=recipe.seam or "back",
        travel=recipe.travel or "straight",
        infill_density=_or(infill.density, 0.15),
        infill_pattern=infill.pattern or "grid",
        infill_angle_deg=_or(infill.angle_deg, 45.0),
        infill_lines_side_by_side=_or(infill.lines_side_by_side, 1),
        infill_overlap_mm=_or(infill.overlap_mm, 0.0),
        infill_join=bool(infill.join),
        skins=SkinShape(
            pattern=skins.pattern or "lines",
            angle_deg=_or(skins.angle_deg, 45.0),
            overlap_mm=_or(skins.overlap_mm, 0.0),
            one_way=bool(skins.one_way),
            extra_top=bool(skins.extra_top),
            over_sparse=skins.over_sparse or "by_gap",
        ),
        bridge_flow_ratio=_or(recipe.bridge_flow_ratio, DEFAULT_BRIDGE_FLOW),
        ironing=IroningShape(
            kind=recipe.ironing.kind or "none",
            flow=_or(recipe.ironing.flow, 0.15),
            spacing_mm=_or(recipe.ironing.spacing_mm, _round_to(0.35 * bore_mm, 0.01)),
            inset_mm=_or(recipe.ironing.inset_mm, _round_to(0.5 * widths.top, 0.01)),
        ),
        supports=_supports(recipe, widths, height),
        adhesion=adhesion.kind or "skirt",
        skirt_loops=_or(adhesion.loops, 1),
        skirt_distance_mm=_or(adhesion.distance_mm, 4.0),
        brim_width_mm=_or(adhesion.width_mm, DEFAULT_BRIM_MM if adhesion.kind != "raft" else DEFAULT_RAFT_MARGIN_MM),
        brim_holes=bool(adhesion.holes),
        raft_layers=_or(adhesion.layers, 3),
        raft_layer_mm=_or(adhesion.raft_layer_mm, _round_to(0.6 * bore_mm, 0.01)),
        copies=CopyShape(
            count=_or(recipe.copies.count, 1),
            order=recipe.copies.order or "by_layer",
            gap_mm=_or(recipe.copies.gap_mm, 5.0 if recipe.copies.order != "one_by_one" else 40.0),
        ),
    )


def _pace(recipe: Recipe, printer: Printer, material: Material, shape: Shape) -> Plan:
    speeds, accelerations = recipe.speed_mm_s, recipe.acceleration_mm_s2
    retraction = RETRACTION_MM[printer.drive]
    solid_speed = _or(speeds.solid, DEFAULT_SPEED_MM_S["solid"])
    outer_speed = _or(speeds.outer_wall, DEFAULT_SPEED_MM_S["outer_wall"])
    print_acceleration = _or(accelerations.print, printer.acceleration_mm_s2.print)
    return Plan(
        shape=shape,
        nozzle_temp_c=_or(recipe.nozzle_temp_c, material.nozzle_temp_c),
        bed_temp_c=_or(recipe.bed_temp_c, material.bed_temp_c),
        speed_mm_s=FeatureSpeeds(
            outer_wall=outer_speed,
            inner_wall=_or(speeds.inner_wall, DEFAULT_SPEED_MM_S["inner_wall"]),
            infill=_or(speeds.infill, DEFAULT_SPEED_MM_S["infill"]),
            solid=solid_speed,
            top=_or(speeds.top, min(outer_speed, solid_speed)),
            bridge=_or(speeds.bridge, DEFAULT_SPEED_MM_S["bridge"]),
            support=_or(speeds.support, DEFAULT_SPEED_MM_S["support"]),
            ironing=_or(recipe.ironing.speed_mm_s, DEFAULT_SPEED_MM_S["ironing"]),
            first_layer=_or(speeds.first_layer, DEFAULT_SPEED_MM_S["first_layer"]),
            travel=_or(speeds.travel, DEFAULT_TRAVEL_MM_S),
        ),
        outer_wall_acceleration_mm_s2=_or(accelerations.outer_wall, print_acceleration),
        print_acceleration_mm_s2=print_acceleration,
        travel_acceleration_mm_s2=_or(accelerations.travel, printer.acceleration_mm_s2.travel),
        retraction_mm=_or(recipe.retraction.length_mm, retraction[0]),
        retraction_speed_mm_s=_or(recipe.retraction.speed_mm_s, retraction[1]),
        min_travel_mm=_or(recipe.retraction.min_travel_mm, 2.0),
        z_hop_mm=_or(recipe.retraction.z_hop_mm, 0.0),
        wipe_mm=_or(recipe.retraction.wipe_mm, 0.0),
        min_layer_time_s=_or(recipe.cooling.min_layer_time_s, 8.0),
        min_speed_mm_s=_or(recipe.cooling.min_speed_mm_s, 10.0),
        short_layers=recipe.cooling.short_layers or "slow",
        fan=_or(recipe.cooling.fan, 1.0),
        bridge_fan=_or(recipe.cooling.bridge_fan, 1.0),
        flow_ratio=_or(recipe.flow_ratio, 1.0),
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
    grid = step or 0.01
    # Towards the inside: a default may not lie beyond the bounds of the bore.
    least = _or(asked.min_mm, max(round(math.ceil(0.25 * bore_mm / grid - 1e-6) * grid, 6), grid))
    most = _or(asked.max_mm, max(round(math.floor(0.75 * bore_mm / grid + 1e-6) * grid, 6), least))
    if most < least:
        raise RecipeError(
            f"The highest layer ({most:g} mm) is lower than the lowest ({least:g} mm).",
            field="variable_height.max_mm",
            remedy=f"Give at least {least:g} mm, or lower min_mm.",
        )
    return SlopeHeights(
        min_mm=least,
        max_mm=most,
        ridge_mm=_or(asked.ridge_mm, _round_to(0.25 * height_mm, 0.005) or 0.01),
        max_step_mm=_or(asked.max_step_mm, max(0.04, step)),
        step_mm=step,
    )


def _supports(recipe: Recipe, widths: Widths, height_mm: float) -> SupportShape:
    asked = recipe.supports
    kind = asked.kind or "none"
    return SupportShape(
        kind=kind,
        angle_deg=_or(asked.angle_deg, 50.0),
        spacing_mm=_or(asked.spacing_mm, 2.5 if kind != "trees" else 4.0),
        interface_layers=_or(asked.interface_layers, 1),
        gap_layers=_or(asked.gap_layers, 1),
        gap_mm=_or(asked.gap_mm, round(widths.outer_wall, 3)),
        bed_only=bool(asked.bed_only),
    )


def _or(value: Number | None, default: Number) -> Number:
    return default if value is None else value


def _widths(recipe: Recipe, bore_mm: float) -> Widths:
    """Widths, each left open following the one before it; the outer wall's default is 1.1 bores."""
    asked = recipe.line_width_mm
    outer = asked.outer_wall or _round_to(1.1 * bore_mm, 0.01)
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
