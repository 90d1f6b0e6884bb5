"""From a recipe, which holds choices only, to a plan, in which every figure is set.

Defaults follow the first school of each matter in docs/method.md: heights and widths from the bore, shell in
millimetres, slow outer wall and faster inside.
"""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import TypeVar

from meanbead.core.bead import bead_spacing_mm
from meanbead.core.errors import RecipeError
from meanbead.core.vocabulary.material import Material
from meanbead.core.vocabulary.nozzle import Nozzle
from meanbead.core.vocabulary.printer import Printer
from meanbead.core.vocabulary.recipe import (
    Adhesion,
    AdhesionKind,
    Cooling,
    Infill,
    InfillPattern,
    LineWidths,
    Recipe,
    RecipeAccelerations,
    Retraction,
    SeamPlace,
    Speeds,
)

Number = TypeVar("Number", int, float)

DEFAULT_SHELL_MM = 0.85
DEFAULT_TOP_MM = 0.8
DEFAULT_BOTTOM_MM = 0.6
DEFAULT_BRIM_MM = 6.0
DEFAULT_SPEED_MM_S = {"outer_wall": 40.0, "inner_wall": 60.0, "infill": 80.0, "solid": 60.0, "first_layer": 25.0}
DEFAULT_TRAVEL_MM_S = 150.0
RETRACTION_MM = {"direct": (0.8, 35.0), "long_tube": (4.5, 40.0)}


@dataclass(frozen=True)
class Widths:
    """Bead width by feature, mm."""

    outer_wall: float
    inner_wall: float
    infill: float
    solid: float
    top: float
    first_layer: float


@dataclass(frozen=True)
class FeatureSpeeds:
    """Speed asked for by feature, mm/s."""

    outer_wall: float
    inner_wall: float
    infill: float
    solid: float
    top: float
    first_layer: float
    travel: float


@dataclass(frozen=True)
class Shape:
    """All that decides where strokes go. Nothing else may enter the strokes' cache key."""

    layer_height_mm: float
    first_layer_height_mm: float
    walls: int
    top_layers: int
    bottom_layers: int
    width_mm: Widths
    infill_density: float
    infill_pattern: InfillPattern
    infill_angle_deg: float
    infill_line_multiplier: int
    adhesion: AdhesionKind
    skirt_loops: int
    skirt_distance_mm: float
    brim_width_mm: float
    seam: SeamPlace


@dataclass(frozen=True)
class Plan:
    """A recipe with nothing left open: where strokes go (``shape``) and how they are run."""

    shape: Shape
    nozzle_temp_c: float
    bed_temp_c: float
    speed_mm_s: FeatureSpeeds
    outer_wall_acceleration_mm_s2: float
    print_acceleration_mm_s2: float
    travel_acceleration_mm_s2: float
    retraction_mm: float
    retraction_speed_mm_s: float
    min_travel_mm: float
    z_hop_mm: float
    wipe_mm: float
    min_layer_time_s: float
    min_speed_mm_s: float
    flow_ratio: float

    def as_recipe(self) -> Recipe:
        """The same plan as a recipe in which every key is given; resolving it gives this plan again."""
        shape, widths, speeds = self.shape, self.shape.width_mm, self.speed_mm_s
        return Recipe(
            layer_height_mm=shape.layer_height_mm,
            first_layer_height_mm=shape.first_layer_height_mm,
            walls=shape.walls,
            top_layers=shape.top_layers,
            bottom_layers=shape.bottom_layers,
            nozzle_temp_c=self.nozzle_temp_c,
            bed_temp_c=self.bed_temp_c,
            line_width_mm=LineWidths(**asdict(widths)),
            infill=Infill(
                density=shape.infill_density,
                pattern=shape.infill_pattern,
                angle_deg=shape.infill_angle_deg,
                line_multiplier=shape.infill_line_multiplier,
            ),
            speed_mm_s=Speeds(**asdict(speeds)),
            acceleration_mm_s2=RecipeAccelerations(
                outer_wall=self.outer_wall_acceleration_mm_s2,
                print=self.print_acceleration_mm_s2,
                travel=self.travel_acceleration_mm_s2,
            ),
            retraction=Retraction(
                length_mm=self.retraction_mm,
                speed_mm_s=self.retraction_speed_mm_s,
                min_travel_mm=self.min_travel_mm,
                z_hop_mm=self.z_hop_mm,
                wipe_mm=self.wipe_mm,
            ),
            cooling=Cooling(min_layer_time_s=self.min_layer_time_s, min_speed_mm_s=self.min_speed_mm_s),
            adhesion=Adhesion(
                kind=shape.adhesion,
                loops=shape.skirt_loops,
                distance_mm=shape.skirt_distance_mm,
                width_mm=shape.brim_width_mm,
            ),
            seam=shape.seam,
            flow_ratio=self.flow_ratio,
        )


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
    _refuse_unpressed(widths, height, first)
    wall_spacing = bead_spacing_mm(widths.inner_wall, height)
    speeds = recipe.speed_mm_s
    accelerations = recipe.acceleration_mm_s2
    retraction = RETRACTION_MM[printer.drive]
    solid_speed = _or(speeds.solid, DEFAULT_SPEED_MM_S["solid"])
    outer_speed = _or(speeds.outer_wall, DEFAULT_SPEED_MM_S["outer_wall"])
    print_acceleration = _or(accelerations.print, printer.acceleration_mm_s2.print)
    shape = Shape(
        layer_height_mm=height,
        first_layer_height_mm=first,
        walls=_or(recipe.walls, max(1, round(DEFAULT_SHELL_MM / wall_spacing))),
        top_layers=_or(recipe.top_layers, max(2, round(DEFAULT_TOP_MM / height))),
        bottom_layers=_or(recipe.bottom_layers, max(2, round(DEFAULT_BOTTOM_MM / height))),
        width_mm=widths,
        infill_density=_or(recipe.infill.density, 0.15),
        infill_pattern=recipe.infill.pattern or "grid",
        infill_angle_deg=_or(recipe.infill.angle_deg, 45.0),
        infill_line_multiplier=_or(recipe.infill.line_multiplier, 1),
        adhesion=recipe.adhesion.kind or "skirt",
        skirt_loops=_or(recipe.adhesion.loops, 1),
        skirt_distance_mm=_or(recipe.adhesion.distance_mm, 4.0),
        brim_width_mm=_or(recipe.adhesion.width_mm, DEFAULT_BRIM_MM),
        seam=recipe.seam or "back",
    )
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
        flow_ratio=_or(recipe.flow_ratio, 1.0),
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
