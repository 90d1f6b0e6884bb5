"""Make a test piece for a machine, nozzle and plastic, and write the file that prints it."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace

import numpy as np
from manifold3d import Manifold

from meanbead.core.errors import MeanBeadError
from meanbead.core.formulas.bead import bead_area_mm2
from meanbead.core.formulas.melt import melt_ceiling
from meanbead.core.gcode.write import BandChange, write_gcode
from meanbead.core.model import Material, Nozzle, Printer, Recipe, Standards
from meanbead.core.model.base import Result
from meanbead.core.model.printer import TYPICAL_CLEAN_MM_S2
from meanbead.core.part.solid import Solid
from meanbead.core.recipe.defaults import RETRACTION_MM
from meanbead.core.recipe.resolve import USUAL, resolve
from meanbead.core.strokes.features import WALL_FEATURES, Feature
from meanbead.core.strokes.planner import plan_strokes
from meanbead.core.strokes.table import Strokes
from meanbead.core.testpieces import shapes
from meanbead.core.testpieces.kinds import PieceKind, kind_of

__all__ = ["Band", "TestPiece", "make_piece", "piece_gcode"]


class Band(Result):
    """One band of a piece, from 1: between which heights it lies, mm, and what is tried in it. A fan's leaves all begin at the
    bed; they count along the fan, from its mark."""

    number: int
    from_mm: float
    to_mm: float
    value: float
    flow: float | None = None
    label: str


@dataclass(frozen=True)
class TestPiece:
    """A piece as it is to be printed: shape, recipe, bands, and what changes from band to band in the file."""

    kind: PieceKind
    solid: Solid
    recipe: Recipe
    bands: tuple[Band, ...]
    changes: tuple[BandChange, ...]
    unit: str
    spans_mm: tuple[float, ...] = ()


def make_piece(
    name: str, printer: Printer, nozzle: Nozzle, material: Material, standards: Standards = USUAL
) -> TestPiece:
    """A piece by its name. Raises :class:`MeanBeadError` where it does not fit on the bed, or has nothing to vary here."""
    kind = kind_of(name)
    piece = _MAKERS[kind.name](kind, printer, nozzle, material, standards)
    size = piece.solid.vertices.max(axis=0) - piece.solid.vertices.min(axis=0)
    room = (printer.bed_mm.x, printer.bed_mm.y, printer.bed_mm.z)
    if any(own + 10 > most for own, most in zip(size, room, strict=True)):
        raise MeanBeadError(f"{kind.title}: it is too large for this machine's bed.", field="kind")
    return piece


def piece_gcode(
    piece: TestPiece, printer: Printer, nozzle: Nozzle, material: Material, standards: Standards = USUAL
) -> str:
    """The file that prints a piece: heats, homes, and changes what is tried from band to band."""
    return "\n".join(_lines(piece, printer, nozzle, material, standards)) + "\n"


def _lines(
    piece: TestPiece, printer: Printer, nozzle: Nozzle, material: Material, standards: Standards
) -> Iterator[str]:
    plan = resolve(piece.recipe, printer, nozzle, material, standards)
    strokes = _on_bed(plan_strokes(piece.solid, plan.shape), printer)
    # A piece that asks how much melts must not be held back by what is thought to melt.
    ceiling = melt_ceiling(printer, nozzle, material, plan.nozzle_temp_c).plan_mm3_s
    yield f"; test piece: {piece.kind.title}"
    yield f"; nozzle {nozzle.bore_mm:g} mm"
    yield f"; judge: {piece.kind.judge}"
    for band in piece.bands:
        yield f"; band {band.number}: {band.from_mm:g} to {band.to_mm:g} mm, {band.label}"
    yield "; stay with it while it prints, and follow the maker's instructions"
    yield f"M140 S{plan.first_layer_bed_temp_c:g}"
    yield f"M104 S{plan.first_layer_nozzle_temp_c:g}"
    yield "G28"
    yield f"M190 S{plan.first_layer_bed_temp_c:g}"
    yield f"M109 S{plan.first_layer_nozzle_temp_c:g}"
    yield "G92 E0"
    free = math.inf if piece.kind.name == "flow_spiral" else ceiling
    fan = f"M106 S{round(255 * plan.fan)}" if plan.fan > 0 else "M107"
    changes = piece.changes or (BandChange(0.0),)
    fan_from = plan.shape.first_layer_height_mm * 1.5
    yield from write_gcode(strokes, plan, printer, free, _with_fan(changes, fan_from, fan))
    yield "M104 S0"
    yield "M140 S0"
    yield "M107"


def _on_bed(strokes: Strokes, printer: Printer) -> Strokes:
    """Strokes about the middle of the bed; a part stands about the origin."""
    low = np.minimum(strokes.start_xy.min(axis=0), strokes.end_xy.min(axis=0))
    high = np.maximum(strokes.start_xy.max(axis=0), strokes.end_xy.max(axis=0))
    by = np.array([printer.bed_mm.x, printer.bed_mm.y]) / 2 - (low + high) / 2
    return replace(strokes, start_xy=strokes.start_xy + by, end_xy=strokes.end_xy + by)


def _with_fan(changes: tuple[BandChange, ...], from_mm: float, fan: str) -> tuple[BandChange, ...]:
    """The fan comes on above the first layer, in whichever band that is."""
    first, *others = changes
    above = BandChange(
        max(from_mm, first.from_mm + 1e-6),
        (fan,),
        first.acceleration_mm_s2,
        first.pull_mm,
        first.speed_mm_s,
        first.flow,
    )
    return (first, above, *others)


def _banded(
    values: list[float], band_mm: float, unit: str, change: Callable[[float, float], BandChange], base_mm: float = 0.0
) -> tuple[tuple[Band, ...], tuple[BandChange, ...], list[float]]:
    starts = [base_mm + band_mm * place for place in range(len(values))]
    bands = tuple(
        Band(number=n, from_mm=start, to_mm=start + band_mm, value=value, label=f"{value:g} {unit}")
        for n, (start, value) in enumerate(zip(starts, values, strict=True), start=1)
    )
    # The first band holds from the bed on.
    changes = tuple(
        change(0.0 if place == 0 else start, value)
        for place, (start, value) in enumerate(zip(starts, values, strict=True))
    )
    return bands, changes, starts


def _steps(low: float, high: float, count: int, to: float) -> list[float]:
    """Values in equal ratios, rounded, without doubles."""
    ratio = (high / low) ** (1 / (count - 1))
    return sorted({max(to, round(low * ratio**step / to) * to) for step in range(count)})


def _solid(shape: Manifold) -> Solid:
    return shapes.solid_of(shape)


def _acceleration(
    kind: PieceKind, printer: Printer, nozzle: Nozzle, material: Material, standards: Standards
) -> TestPiece:
    most = min(printer.max_acceleration_mm_s2.x, printer.max_acceleration_mm_s2.y)
    typical = TYPICAL_CLEAN_MM_S2[printer.kinematics]
    values = _steps(max(200.0, 0.4 * typical), max(min(3.5 * typical, most), 0.8 * typical), 8, 50.0)
    values = [value for value in values if value <= most] or [most]
    if len(values) < 3:
        raise MeanBeadError(
            f"The machine's own limit of {most:g} mm/s² leaves nothing to try.",
            field="kind",
            remedy="Raise it on the shelf if it may be.",
        )

    def change(start: float, value: float) -> BandChange:
        return BandChange(start, (f"M117 {value:.0f} mm/s2",), acceleration_mm_s2=value)

    band = _whole(7.0, _height(nozzle, 0.5))
    bands, changes, starts = _banded(values, band, "mm/s²", change)
    outer = standards.limits.outer_speed_mm_s or 60.0
    recipe = _recipe(nozzle, walls=2, infill=0.0, top=0, speeds={"outer_wall": outer, "inner_wall": outer})
    return TestPiece(kind, _solid(shapes.corner_block(starts, band)), recipe, bands, changes, "mm/s²")


def _overhang(kind: PieceKind, printer: Printer, nozzle: Nozzle, material: Material, standards: Standards) -> TestPiece:
    angles = [35.0, 40.0, 45.0, 50.0, 55.0, 60.0, 65.0, 70.0, 75.0]
    bands = tuple(
        Band(number=n, from_mm=0.0, to_mm=14.0, value=angle, label=f"{angle:g}° from upright")
        for n, angle in enumerate(angles, start=1)
    )
    recipe = _recipe(nozzle, walls=2, infill=0.2, top=3)
    return TestPiece(kind, _solid(shapes.fan_of_leaves(angles)), recipe, bands, (), "°")


def _bridge(kind: PieceKind, printer: Printer, nozzle: Nozzle, material: Material, standards: Standards) -> TestPiece:
    tried = [(speed, flow) for flow in (0.95, 0.85) for speed in (15.0, 30.0)]
    band = _whole(5.0, _height(nozzle, 0.5))
    starts = [band * place for place in range(len(tried))]
    bands = tuple(
        Band(
            number=n,
            from_mm=start,
            to_mm=start + band,
            value=speed,
            flow=flow,
            label=f"{speed:g} mm/s, flow {flow:g}",
        )
        for n, (start, (speed, flow)) in enumerate(zip(starts, tried, strict=True), start=1)
    )
    recipe = _recipe(nozzle, walls=2, infill=0.0, top=2)
    plan = resolve(recipe, printer, nozzle, material, standards)
    own = plan.shape.bridge_flow_ratio
    changes = tuple(
        BandChange(start, speed_mm_s={Feature.BRIDGE: speed}, flow={Feature.BRIDGE: flow / own})
        for start, (speed, flow) in zip(starts, tried, strict=True)
    )
    spans = shapes.rung_spans_mm()
    return TestPiece(kind, _solid(shapes.ladder(starts, band)), recipe, bands, changes, "mm/s", spans)


def _pull(kind: PieceKind, printer: Printer, nozzle: Nozzle, material: Material, standards: Standards) -> TestPiece:
    usual = RETRACTION_MM.value[printer.drive]
    values = [round(usual * share, 2) for share in (0.25, 0.5, 0.75, 1.0, 1.25, 1.5, 2.0)]
    band = _whole(5.0, _height(nozzle, 0.5))
    bands, changes, starts = _banded(values, band, "mm", lambda start, value: BandChange(start, pull_mm=value))
    recipe = _recipe(nozzle, walls=2, infill=0.0, top=0).model_copy(
        update={"retraction": Recipe().retraction.model_copy(update={"length_mm": values[-1], "min_travel_mm": 1.0})}
    )
    return TestPiece(kind, _solid(shapes.slim_towers(starts, band)), recipe, bands, changes, "mm")


def _temperature(
    kind: PieceKind, printer: Printer, nozzle: Nozzle, material: Material, standards: Standards
) -> TestPiece:
    low, high = material.nozzle_temp_min_c, min(material.nozzle_temp_max_c, printer.highest_nozzle_c)
    count = int((high - low) // 5) + 1
    step = 5.0 if count <= 9 else math.ceil((high - low) / 8 / 5) * 5.0
    # Hottest at the foot: a block falls faster than the next band is reached, and cold plastic on the bed lets go.
    values = [high - step * place for place in range(int((high - low) / step + 1e-9) + 1)]
    if len(values) < 2:
        raise MeanBeadError(
            f"{material.name}'s window and this hot end leave nothing to try.",
            field="material_id",
            remedy="Widen the window on the shelf.",
        )

    def change(start: float, value: float) -> BandChange:
        return BandChange(start, (f"M104 S{value:g}", f"M117 {value:g} C"))

    band = _whole(10.0, _height(nozzle, 0.5))
    bands, changes, starts = _banded(values, band, "°C", change)
    recipe = _recipe(nozzle, walls=2, infill=0.1, top=2).model_copy(
        update={"nozzle_temp_c": high, "first_layer_nozzle_temp_c": high}
    )
    return TestPiece(kind, _solid(shapes.window_tower(starts, band)), recipe, bands, changes, "°C")


def _narrow_line(
    kind: PieceKind, printer: Printer, nozzle: Nozzle, material: Material, standards: Standards
) -> TestPiece:
    width = round(0.75 * nozzle.bore_mm, 3)
    height = math.floor(100 * min(0.5 * width, 0.4 * nozzle.bore_mm) + 1e-9) / 100
    values = _steps(8.0, 80.0, 8, 1.0)

    def change(start: float, value: float) -> BandChange:
        return BandChange(start, (f"M117 {value:.0f} mm/s",), speed_mm_s=dict.fromkeys(WALL_FEATURES, value))

    band = _whole(4.0, height)
    bands, changes, starts = _banded(values, band, "mm/s", change)
    recipe = Recipe.model_validate(
        {
            "layer_height_mm": height,
            "first_layer_height_mm": height,
            "walls": 2,
            "top_layers": 0,
            "bottom_layers": 0,
            "infill": {"density": 0.0},
            "line_width_mm": {"outer_wall": width, "inner_wall": width},
        }
    )
    return TestPiece(kind, _solid(shapes.corner_block(starts, band)), recipe, bands, changes, "mm/s")


def _flow_spiral(
    kind: PieceKind, printer: Printer, nozzle: Nozzle, material: Material, standards: Standards
) -> TestPiece:
    height, width = _height(nozzle, 0.6), round(1.4 * nozzle.bore_mm, 3)
    area = bead_area_mm2(width, height)
    plan = resolve(Recipe(), printer, nozzle, material, standards)
    knee = melt_ceiling(printer, nozzle, material, plan.nozzle_temp_c).knee_mm3_s
    fastest = min(printer.max_speed_mm_s.x, printer.max_speed_mm_s.y)
    values = [round(knee * (0.5 + 0.125 * step), 1) for step in range(10)]
    values = [flow for flow in values if flow / area <= fastest]
    if len(values) < 3:
        raise MeanBeadError(
            "This machine cannot move fast enough to ask so much of its hot end.",
            field="kind",
            remedy="Feed into free air instead.",
        )

    def change(start: float, value: float) -> BandChange:
        return BandChange(start, (f"M117 {value:g} mm3/s",), speed_mm_s=dict.fromkeys(WALL_FEATURES, value / area))

    band = _whole(5.0, height)
    bands, changes, starts = _banded(values, band, "mm³/s", change, base_mm=_whole(1.5, height))
    recipe = Recipe.model_validate(
        {
            "layer_height_mm": height,
            "first_layer_height_mm": height,
            "spiral": True,
            "walls": 1,
            "top_layers": 0,
            "bottom_layers": 2,
            "infill": {"density": 0.0},
            "line_width_mm": {"outer_wall": width},
            "flow_ratio": 1.0,
        }
    )
    return TestPiece(kind, _solid(shapes.tube(starts, band, 70.0)), recipe, bands, changes, "mm³/s")


def _height(nozzle: Nozzle, share: float) -> float:
    return round(math.floor(share * nozzle.bore_mm * 50 + 1e-9) / 50, 3)


def _whole(length_mm: float, height_mm: float) -> float:
    """A length in whole layers."""
    return round(math.ceil(length_mm / height_mm - 1e-9) * height_mm, 4)


def _recipe(nozzle: Nozzle, *, walls: int, infill: float, top: int, speeds: dict[str, float] | None = None) -> Recipe:
    height = _height(nozzle, 0.5)
    return Recipe.model_validate(
        {
            "layer_height_mm": height,
            "first_layer_height_mm": height,
            "walls": walls,
            "top_layers": top,
            "bottom_layers": 2,
            "infill": {"density": infill},
            "speed_mm_s": speeds or {},
        }
    )


_MAKERS: dict[str, Callable[[PieceKind, Printer, Nozzle, Material, Standards], TestPiece]] = {
    "acceleration": _acceleration,
    "overhang": _overhang,
    "bridge": _bridge,
    "pull": _pull,
    "temperature": _temperature,
    "narrow_line": _narrow_line,
    "flow_spiral": _flow_spiral,
}
