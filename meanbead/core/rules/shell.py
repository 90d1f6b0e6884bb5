"""Rules of walls, skins and filling: slivers, lost details, shells that changed, tops that sag, thin floors."""

from __future__ import annotations

import math
from collections.abc import Iterator

from meanbead.core.formulas.bead import bead_spacing_mm, filament_area_mm2
from meanbead.core.formulas.strength import OPEN_PITCHES, cell_line_mm, filled_density, open_span_mm, shell_mm
from meanbead.core.model.finding import Finding, Remedy
from meanbead.core.rules.rule_input import RuleInput, remedy

__all__ = [
    "density_limit",
    "detail_limit",
    "infill_off",
    "lost_detail",
    "shell_limit",
    "sliver",
    "spiral_outside",
    "thin_floor",
    "thin_top",
    "void",
]

LOST_SHARE = 0.005
VOID_SHARE = 0.02
INFILL_OFF = 0.03
"""Infill that is off by less is what was asked for."""
INFILL_COUNTS = 0.01
"""What is a smaller share of all plastic is not worth a word."""
SLIVER_SURFACE_SHARE = 0.08
"""A thickness that less of the surface has is not worth a wall everywhere."""

SAG_ROOT_MM = 0.35
"""Top thickness over the root of the opening that it spans, mm^0.5. Typical: with 0.2 mm layers over a grid at 15 % it names
tops of three layers and is silent from four on, at 10 % it is silent from five on, as tops show in practice."""

MIN_FLOOR_MM = 0.4


def sliver(s: RuleInput) -> Iterator[Finding]:
    """A sliver of filling inside thin walls, and the count of walls that removes it."""
    if s.insight is None or s.plan.shape.walls == 0 or s.plan.shape.spiral:
        return
    height, shape = s.plan.shape.layer_height_mm, s.plan.shape
    spacing = bead_spacing_mm(shape.width_mm.inner_wall, height)
    laid = 2 * (bead_spacing_mm(shape.width_mm.outer_wall, height) + (shape.walls - 1) * spacing)
    bands = [
        band
        for band in s.insight.walls
        if _rest_is_sliver(band.thickness_mm - laid, spacing)
        and band.area_mm2 >= SLIVER_SURFACE_SHARE * s.insight.surface_mm2
    ]
    if not bands:
        return
    worst = max(bands, key=lambda band: band.area_mm2)
    rest = worst.thickness_mm - laid
    # Enough that no band is left with a sliver: one more at a time, as a person would.
    walls = shape.walls
    while any(
        _rest_is_sliver(band.thickness_mm - laid - 2 * (walls - shape.walls) * spacing, spacing) for band in bands
    ):
        walls += 1
    share = worst.area_mm2 / s.insight.surface_mm2
    yield Finding(
        rule="sliver",
        severity="waste",
        field="walls",
        sentence=(
            f"{100 * share:.0f} % of the surface belongs to walls about {worst.thickness_mm:.1f} mm thick: {shape.walls} line"
            f"{'s' if shape.walls > 1 else ''} from each side leave {rest:.1f} mm to fill in tiny strokes."
        ),
        remedy=f"{walls} walls meet in the middle.",
        value=rest,
        limit=spacing,
        reason="Strokes shorter than their ramps never reach their speed; walls that meet have none of them.",
        source="Wall thickness behind the surface against lines at their spacing",
        where=s.spots("thin_wall"),
        remedies=[remedy(f"{walls} walls", {"walls": walls})],
    )


def _rest_is_sliver(rest_mm: float, spacing_mm: float) -> bool:
    """Whether what two shells leave is too narrow for filling to run well, and wide enough to get some."""
    return spacing_mm < rest_mm < 2.6 * spacing_mm


def void(s: RuleInput) -> Iterator[Finding]:
    """Strips between walls that stay empty because no bead of filling fits in."""
    if s.estimate is None or s.estimate.filament_mm3 <= 0 or s.plan.shape.spiral:
        return
    share = s.estimate.void_mm3 / s.estimate.filament_mm3
    if share < VOID_SHARE:
        return
    fixed = s.plan.shape.thin_walls == "fixed"
    ways = [remedy("Thin walls: variable", {"thin_walls": "variable"})] if fixed else []
    yield Finding(
        rule="void",
        severity="note",
        field="thin_walls",
        sentence=f"Between walls {s.estimate.void_mm3:.0f} mm³ stay empty, {100 * share:.1f} % of the plastic: the strips are "
        "narrower than a line, and no filling runs in them.",
        remedy="Lines of variable width close them, for more plastic; or leave them: nothing is laid there, so no time is "
        "lost."
        if fixed
        else "Leave them: they are the tips of corners, and walls surround them.",
        value=share,
        limit=VOID_SHARE,
        reason="A bead cannot be laid where it does not fit.",
        source="What the walls leave, opened by half a line, layer by layer",
        where=s.spots("thin_wall"),
        remedies=ways,
    )


def spiral_outside(s: RuleInput) -> Iterator[Finding]:
    """A spiral round a hollow part follows its outside only."""
    if s.estimate is None or s.estimate.ignored is None:
        return
    ignored, shape = s.estimate.ignored, s.plan.shape
    walls = f"{shape.walls} walls" if shape.walls > 1 else "one wall"
    floor = f"{shape.bottom_layers} layers" if shape.bottom_layers != 1 else "1 layer"
    yield Finding(
        rule="spiral_outside",
        severity="note",
        field="spiral",
        sentence=f"The spiral follows the outside only: the hollow's own surface, {ignored.area_mm2 / 100:.1f} cm² between "
        f"{ignored.from_mm:.1f} and {ignored.to_mm:.1f} mm of its height, is not printed, and the wall is {shell_mm(s.plan):.2f} mm "
        f"thick ({walls}). The floor has {floor}.",
        remedy="Set more walls or a wider outer wall for a thicker wall, or turn spiral mode off to print the hollow as "
        "modelled.",
        value=ignored.area_mm2,
        reason="A spiral is one continuous line; it cannot cross from the outside to the inside.",
        source="The outlines of each layer above the floor",
        remedies=[remedy("Spiral off", {"spiral": False})],
    )


def infill_off(s: RuleInput) -> Iterator[Finding]:
    """More or less infill than the density asks for, because its lines do not divide the part evenly or are joined."""
    found, shape = s.estimate, s.plan.shape
    if found is None or "infill" not in found.by_feature or found.infill_asked_mm3 <= 0:
        return
    laid_mm3 = found.by_feature["infill"].filament_mm * filament_area_mm2(s.printer.filament_diameter_mm)
    off = laid_mm3 / found.infill_asked_mm3 - 1
    if (
        abs(off) < INFILL_OFF + found.filament_error
        or abs(off) * found.infill_asked_mm3 < INFILL_COUNTS * found.filament_mm3
    ):
        return
    joined = shape.infill_join and off > 0
    because = (
        "the links along the walls are part of it"
        if joined
        else "its lines are so far apart that they do not divide this part evenly"
    )
    yield Finding(
        rule="infill_off",
        severity="note",
        field="infill.join" if joined else "infill.density",
        sentence=f"The infill takes {100 * abs(off):.0f} % {'more' if off > 0 else 'less'} plastic than "
        f"{100 * filled_density(s.plan):g} % asks for: {because}.",
        remedy="Turn joined strokes off, or set less infill."
        if joined
        else "Set a denser infill or a pattern with closer lines where the figure matters; minutes and grams are those of what "
        "is laid.",
        value=off,
        limit=INFILL_OFF,
        reason="Infill lines keep their places from layer to layer, so that each is laid on the one below.",
        source="The strokes laid against density times area, layer by layer",
    )


def lost_detail(s: RuleInput) -> Iterator[Finding]:
    """What is too thin for the line is not printed."""
    if s.estimate is None or s.estimate.filament_mm3 <= 0:
        return
    share = s.estimate.lost_mm3 / s.estimate.filament_mm3
    if share < LOST_SHARE:
        return
    ways = []
    if s.plan.shape.thin_walls == "fixed":
        ways.append(remedy("Let lines vary in width", {"thin_walls": "variable"}))
    narrower = round(0.95 * s.nozzle.bore_mm, 2)
    if s.plan.shape.width_mm.outer_wall > narrower:
        ways.append(remedy(f"Outer lines of {narrower:g} mm", {"line_width_mm.outer_wall": narrower}))
    for number, nozzle in sorted(s.nozzles.items(), key=lambda item: -item[1].bore_mm):
        if nozzle.bore_mm < s.nozzle.bore_mm - 1e-6:
            ways.append(remedy(f"The {nozzle.bore_mm:g} mm nozzle", {"nozzle": number}))
    area = s.estimate.lost_mm3 / max(s.facts.extents_mm.z, 1e-9)
    yield Finding(
        rule="lost_detail",
        severity="risk",
        field="line_width_mm.outer_wall",
        sentence=f"{100 * share:.1f} % of what should be filled is too thin for these lines and is left out: "
        f"{s.estimate.lost_mm3:.1f} mm³, {area:.2g} mm² of a layer on average.",
        remedy="A narrower line, lines that vary in width, or a smaller nozzle.",
        value=share,
        limit=LOST_SHARE,
        reason="A bead cannot be laid where it does not fit.",
        source="Area asked for against area laid, layer by layer",
        where=s.spots("detail"),
        remedies=ways,
    )


def detail_limit(s: RuleInput) -> Iterator[Finding]:
    """The narrowest detail that the purpose asks for."""
    limit = s.limits.detail_mm
    narrowest = s.plan.shape.width_mm.outer_wall * (0.6 if s.plan.shape.thin_walls == "variable" else 1.0)
    if limit is None or narrowest <= limit + 1e-9:
        return
    if s.insight is not None and (s.insight.smallest_detail_mm is None or s.insight.smallest_detail_mm > narrowest):
        return
    ways = [
        remedy(f"The {nozzle.bore_mm:g} mm nozzle", {"nozzle": number})
        for number, nozzle in sorted(s.nozzles.items(), key=lambda item: -item[1].bore_mm)
        if nozzle.bore_mm * 1.1 * 0.6 <= limit and nozzle.bore_mm < s.nozzle.bore_mm
    ][:1]
    yield Finding(
        rule="detail_limit",
        severity="risk",
        field="line_width_mm.outer_wall",
        sentence=f"Details under {narrowest:.2g} mm are lost; this part's purpose asks for {limit:g} mm.",
        remedy="A narrower line or a smaller nozzle.",
        value=narrowest,
        limit=limit,
        reason="The part has details that narrow.",
        source="The part's purpose",
        where=s.spots("detail"),
        remedies=ways,
    )


def shell_limit(s: RuleInput) -> Iterator[Finding]:
    """The shell against the purpose's least, and against the column that another nozzle's recipe was made from."""
    if s.plan.shape.spiral:
        return
    shell = shell_mm(s.plan)
    least = s.limits.shell_mm
    if least is not None and shell < least - 1e-6:
        yield _shell(s, shell, least, "shell_limit", f"this part's purpose asks for {least:g} mm", "The part's purpose")
        return
    before = s.shell_before_mm
    if before is not None and before > 0 and abs(shell / before - 1) > 0.3:
        says = f"the first column's, with another nozzle, is {before:.2f} mm"
        yield _shell(s, shell, before, "shell_changed", says, "The first column", near=True)


def _shell(
    s: RuleInput, shell: float, requested: float, rule: str, says: str, source: str, *, near: bool = False
) -> Finding:
    height = s.plan.shape.layer_height_mm
    outer = s.plan.shape.width_mm.outer_wall
    spacing = bead_spacing_mm(s.plan.shape.width_mm.inner_wall, height)
    count = (requested - outer) / spacing + 1
    walls = max(1, round(count) if near else math.ceil(count - 1e-6))
    ways: list[Remedy] = []
    reached = outer + (walls - 1) * spacing
    if not near or abs(reached / requested - 1) <= 0.3:
        ways.append(remedy(f"{walls} wall{'s' if walls > 1 else ''}", {"walls": walls}))
    return Finding(
        rule=rule,
        severity="note" if near else "risk",
        field="walls",
        sentence=f"The shell is {shell:.2f} mm thick; {says}.",
        remedy=f"{walls} wall{'s' if walls > 1 else ''}.",
        value=shell,
        limit=requested,
        reason="Walls count in millimetres, not in lines: two of a small nozzle are about one of a large one.",
        source=source,
        remedies=ways,
    )


def density_limit(s: RuleInput) -> Iterator[Finding]:
    """The filling that the purpose asks for at least."""
    least = s.limits.infill_density
    if least is None or s.plan.shape.spiral or filled_density(s.plan) >= least - 1e-9 or not s.has("infill"):
        return
    yield Finding(
        rule="density_limit",
        severity="risk",
        field="infill.density",
        sentence=f"Filled to {100 * filled_density(s.plan):.0f} %; this part's purpose asks for {100 * least:.0f} %.",
        remedy=f"Fill to {100 * least:.0f} %.",
        value=filled_density(s.plan),
        limit=least,
        reason="What the part is for needs walls that are held apart.",
        source="The part's purpose",
        remedies=[remedy(f"{100 * least:.0f} % filling", {"infill.density": round(least, 4)})],
    )


def thin_top(s: RuleInput) -> Iterator[Finding]:
    """Too few top layers over the gaps of the filling sag and show its pattern."""
    shape = s.plan.shape
    if shape.spiral or not (s.has("top") and s.has("infill")) or shape.top_layers == 0:
        return
    density = shape.infill_density
    if density <= 0:
        return
    gap = open_span_mm(s.plan)
    needed = SAG_ROOT_MM * math.sqrt(gap)
    thick = shape.top_layers * shape.layer_height_mm
    if thick >= needed - 0.5 * shape.layer_height_mm:
        return
    layers = math.ceil(needed / shape.layer_height_mm - 1e-9)
    denser = _density_that_closes(s, thick + 0.5 * shape.layer_height_mm)
    yield Finding(
        rule="thin_top",
        severity="risk",
        field="top_layers",
        sentence=f"{shape.top_layers} top layers, {thick:.2f} mm, over gaps of {gap:.1f} mm: expect the filling to show.",
        remedy=f"{layers} top layers, or denser filling.",
        value=thick,
        limit=needed,
        reason="Each strand over an opening sags; layers on it even that out a little each.",
        source="Typical: 0.35 times the root of the opening between the filling's strokes",
        where=s.spots("flat_top"),
        remedies=[
            remedy(f"{layers} top layers", {"top_layers": layers, "skins.top_mm": None}),
            remedy(f"{100 * denser:.0f} % filling", {"infill.density": denser}),
        ],
    )


def _density_that_closes(s: RuleInput, thick_mm: float) -> float:
    """The least whole percentage of filling over which a top of a thickness closes."""
    shape = s.plan.shape
    span = (thick_mm / SAG_ROOT_MM) ** 2
    spacing = bead_spacing_mm(shape.width_mm.infill, shape.layer_height_mm)
    wall = cell_line_mm(shape.width_mm.infill, shape.layer_height_mm, shape.infill_lines_side_by_side)
    return min(1.0, math.ceil(100 * OPEN_PITCHES[shape.infill_pattern] * spacing / (span + wall) - 1e-6) / 100)


def thin_floor(s: RuleInput) -> Iterator[Finding]:
    """A floor that can be pushed through."""
    shape = s.plan.shape
    thick = shape.bottom_layers * shape.layer_height_mm
    if shape.bottom_layers == 0 or thick >= MIN_FLOOR_MM - 1e-9 or not s.has("bottom"):
        return
    layers = math.ceil(MIN_FLOOR_MM / shape.layer_height_mm - 1e-9)
    yield Finding(
        rule="thin_floor",
        severity="risk",
        field="bottom_layers",
        sentence=f"The floor is {thick:.2f} mm thick.",
        remedy=f"{layers} bottom layers.",
        value=thick,
        limit=MIN_FLOOR_MM,
        reason="One line's gaps go through it, and the filling shows on the underside.",
        source="Common practice, typical figure",
        remedies=[remedy(f"{layers} bottom layers", {"bottom_layers": layers, "skins.bottom_mm": None})],
    )
