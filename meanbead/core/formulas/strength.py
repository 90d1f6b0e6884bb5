"""Strength indices: relative figures to compare recipes of one part. They are never a rating of what a part carries.

**Shell**: thickness of the walls, mm.

**Bond** between layers, pulled apart along the layers' normal: of all lines in the walls the one that holds least, for there a
crack begins. 1 for a bead of 0.44 x 0.2 mm at the material's usual temperature, laid at 60 mm/s: contact width over bead
width, times melt temperature above the flow temperature, times pace to the power -1/4, times how long the bead
stays hot to the power 1/4. The contact is the flat of the stadium, ``w - h (1 - pi/4)``; the power is that of healing by
interdiffusion in time (R. P. Wool and K. M. O'Connor, *J. Appl. Phys.* 52, 5953, 1981): the time that the nozzle stays
over a spot, and the time that the bead takes to cool, which for a lump that loses heat through its surface goes as section
over outline, ``A / P`` (lumped capacity, Biot number of a bead about 0.01). So larger beads bond better. Lines narrower
than the bore are drawn rather than pressed: from :data:`PRESSED_BORES` down the bond falls off, to a tenth at half a bore
(what practice finds; typical). Validity: comparisons within a factor of two in each input, same plastic, dry, same fan.

**Crush** of the filling along the layers' normal (stood on, pressed from above), relative to a plain grid at 15 %, and
**sideways**, pressed across like a tube in a vice, 1 for 0.84 mm of wall on that grid. Both take the lesser of yielding and of
buckling of the cells' walls (L. J. Gibson and M. F. Ashby, *Cellular Solids*, 2nd ed., 1997, sections 4.3 to 4.5 and 5.3), with
a plastic fifty times as stiff as strong (:data:`STIFF_PER_STRONG`, typical), t the wall's thickness, l the free edge of a
cell, d the share of the section that is plastic; stresses below are shares of the plastic's own strength:

- along the normal, walls that stand upright (grid, triangles, honeycomb) are plates held along their edges: ``d min(1, 2 e
  (t / l)^2)``, 3.6 for perfect ones; walls that lean (cubic, adaptive, gyroid, spatial honeycomb) carry half as much; lines and loops that only cross
  carry where they cross, ``d^2``;
- across, cells of four and six corners bend: ``min(0.5 (t / l)^2, 0.22 e (t / l)^3)``; triangles and what is built of them
  shorten: ``d / 3 min(1, (pi^2 / 12) e (t / l)^2)``, curved walls half of that; lines and loops that only cross, half of a grid.

So slender cells go with density to the third power, and doubled lines hold as much as single ones at twice their density, and a
little more for the notch that they share. A wall of stacked beads is notched between layers: ``1 / t^3`` is the mean of ``1 / t(z)^3`` over the
bead's height, with ``t(z) = (m - 1) s + (w - h) + 2 sqrt(h^2/4 - z^2)`` for m stadiums side by side. One notch is shared
by all m. Below about 40 % only; the order of patterns and densities is meant, not the ratio.

Sideways the wall is a ring of mean radius ``R = 2 V / S`` between two plates, which yields at ``F = t^2 / (6 x 0.318 R)`` times
its strength for each millimetre of length (W. C. Young and R. G. Budynas, *Roark's Formulas for Stress and Strain*, 7th ed.,
table 9.2); the filling of width ``R`` adds its own. Only plastic round the outside and cell walls count, not the bond between
layers, for nothing pulls them apart.

**Bend**: second moment of a square section as wide as twice the part's volume over half its surface, shell solid, core
filled at its density with stiffness in proportion to density squared (open fillings) or to density (fillings whose
cell walls stand along the load), relative to solid. It says that plastic far from the middle counts most. Validity:
prismatic parts in bending; layers, voids and direction are left out.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from meanbead.core.formulas.bead import bead_area_mm2, bead_spacing_mm
from meanbead.core.model.material import Material
from meanbead.core.model.plan import Plan

__all__ = [
    "OPEN_PITCHES",
    "PRESSED_BORES",
    "STIFF_PER_STRONG",
    "Strength",
    "across_strength",
    "bond_index",
    "cell_edge_mm",
    "cell_line_mm",
    "cell_wall_mm",
    "crush_index",
    "filled_density",
    "open_span_mm",
    "pressed_share",
    "shell_mm",
    "sideways_index",
    "strength",
]

REFERENCE_SPEED_MM_S = 60.0
REFERENCE_BEAD_MM = (0.44, 0.2)
REFERENCE_SHELL_MM = 0.84
REFERENCE_SLENDERNESS = 0.15 / 2
"""Cell-wall slenderness t / l of a grid at 15 %: density is two walls a cell."""

_NODES, _WEIGHTS = np.polynomial.legendre.leggauss(32)
_REFERENCE_CONTACT = bead_spacing_mm(1.1, 0.5) / 1.1
_OPEN = ("gyroid", "honeycomb_3d", "lines", "concentric")
"""Fillings whose walls do not stand along the load of a bent bar."""

_CROSSING = ("lines", "concentric")
_LEANING = ("cubic", "adaptive", "gyroid", "honeycomb_3d")
_STRETCHED = ("triangles", "cubic", "adaptive")
_CURVED = ("gyroid", "honeycomb_3d")
_EDGE_PER_SPACING = {
    "grid": 2.0,
    "lines": 2.0,
    "concentric": 2.0,
    "triangles": 3.46,
    "cubic": 3.46,
    "adaptive": 3.46,
    "honeycomb": 1.155,
    "gyroid": 2.45,
    "honeycomb_3d": 2.45,
}
"""Free edge of a cell over line spacing s / d: two families of lines, three that cross in triangles, hexagons; of curved walls
from bend to bend. Lines and loops that cross from layer to layer count as a grid's."""

STIFF_PER_STRONG = 50.0
"""Stiffness over strength of a plastic: 36 (nylon) to 60 (PLA). Typical."""

PRESSED_BORES = 0.85
"""Lines of so many bores and wider are pressed by the nozzle's flat, and bond fully."""

_DRAWN_BORES, _DRAWN_BOND = 0.5, 0.1

OPEN_PITCHES: dict[str, float] = {
    "lines": 1.0,
    "concentric": 1.35,
    "grid": 2.0,
    "triangles": 3.0,
    "cubic": 2.45,
    "adaptive": 2.45,
    "honeycomb": 2.4,
    "honeycomb_3d": 2.2,
    "gyroid": 1.26,
}
"""Width of the widest opening over line spacing over density, by pattern; a test finds them in the strokes."""

_ADAPTIVE_SHARE = 0.5
"""An adaptive filling is about half as dense where it is far from skins, and that part buckles first."""


@dataclass(frozen=True)
class Strength:
    """Indices of one recipe on one part; see the module's text. Comparisons, not ratings."""

    shell_mm: float
    bond: float
    crush: float
    sideways: float
    bend: float


def shell_mm(plan: Plan) -> float:
    """Thickness of the walls, mm, from the surface to the inner edge of the last line: ``w + (n - 1) s``."""
    shape = plan.shape
    if shape.walls == 0:
        return 0.0
    return shape.width_mm.outer_wall + (shape.walls - 1) * bead_spacing_mm(
        shape.width_mm.inner_wall, shape.layer_height_mm
    )


def cell_edge_mm(plan: Plan) -> float:
    """Free edge of a cell of the filling, mm; infinite without filling."""
    shape = plan.shape
    if shape.infill_density <= 0:
        return float("inf")
    share = _ADAPTIVE_SHARE if shape.infill_pattern == "adaptive" else 1.0
    spacing = bead_spacing_mm(shape.width_mm.infill, shape.layer_height_mm)
    return _EDGE_PER_SPACING[shape.infill_pattern] * spacing / (shape.infill_density * share)


def _slenderness(plan: Plan) -> float:
    """Thickness of the cells' walls over their free edge, at most 1."""
    shape = plan.shape
    wall = cell_wall_mm(shape.width_mm.infill, shape.layer_height_mm, shape.infill_lines_side_by_side)
    return min(1.0, wall / cell_edge_mm(plan))


def _carrying_density(plan: Plan) -> float:
    return filled_density(plan) * (_ADAPTIVE_SHARE if plan.shape.infill_pattern == "adaptive" else 1.0)


def _upright(slender: float, density: float) -> float:
    return density * min(1.0, 2.0 * STIFF_PER_STRONG * slender**2)


def _bent(slender: float) -> float:
    return min(0.5 * slender**2, 0.22 * STIFF_PER_STRONG * slender**3)


def crush_index(plan: Plan) -> float:
    """Crush of the filling along the layers' normal, 1 for a plain grid at 15 % with even walls; see the module's text."""
    density, pattern = _carrying_density(plan), plan.shape.infill_pattern
    if pattern in _CROSSING:
        carried = density**2
    else:
        carried = _upright(_slenderness(plan), density) * (0.5 if pattern in _LEANING else 1.0)
    return carried / _upright(REFERENCE_SLENDERNESS, 0.15)


def cell_wall_mm(width_mm: float, height_mm: float, lines: int) -> float:
    """Thickness of an even wall as stiff, bent across the layers, as beads stacked with their notches, mm."""
    heights = height_mm / 2 * _NODES
    across = (lines - 1) * bead_spacing_mm(width_mm, height_mm) + (width_mm - height_mm)
    thick = across + 2.0 * np.sqrt(np.maximum(height_mm**2 / 4 - heights**2, 0.0))
    return float((0.5 * np.sum(_WEIGHTS * np.maximum(thick, 1e-6) ** -3)) ** (-1 / 3))


def open_span_mm(plan: Plan) -> float:
    """Widest opening between strokes of the sparse filling, mm: what the first layer of a top has to span, from one
    line's edge to the next; infinite without filling.

    Lines leave strips a pitch wide, ``s / d``. Of a grid's two families each has half the plastic: its cells are two pitches
    wide. Three families leave hexagons three pitches wide beside their triangles; cubic ones on some layers. Of the others,
    and of concentric loops, which stand further apart at corners, it is what the strokes themselves show.
    """
    shape = plan.shape
    if shape.infill_density <= 0:
        return float("inf")
    pitch = bead_spacing_mm(shape.width_mm.infill, shape.layer_height_mm) / shape.infill_density
    lines = shape.infill_lines_side_by_side
    wall = cell_line_mm(shape.width_mm.infill, shape.layer_height_mm, lines)
    return max(0.0, OPEN_PITCHES[shape.infill_pattern] * pitch - wall)


def cell_line_mm(width_mm: float, height_mm: float, lines: int) -> float:
    """Width of so many lines side by side, mm."""
    return width_mm + (lines - 1) * bead_spacing_mm(width_mm, height_mm)


def filled_density(plan: Plan) -> float:
    """Share of the filling that is plastic, lines side by side counted, at most 1."""
    return min(1.0, plan.shape.infill_density * plan.shape.infill_lines_side_by_side)


def strength(plan: Plan, material: Material, volume_mm3: float, surface_mm2: float) -> Strength:
    """The indices of a plan on a part of a volume and surface."""
    shape = plan.shape
    bond = bond_index(plan, material)
    walls = shell_mm(plan)
    density = filled_density(plan)
    side = 4.0 * volume_mm3 / max(surface_mm2, 1e-9)
    sideways = sideways_index(plan, side / 2)
    hollow = max(0.0, 1.0 - 2.0 * walls / max(side, 1e-9)) ** 4
    core = density**2 if shape.infill_pattern in _OPEN else density * (0.5 + 0.5 * density)
    bend = 1.0 - (1.0 - core) * hollow
    return Strength(shell_mm=walls, bond=bond, crush=crush_index(plan), sideways=sideways, bend=bend)


def bond_index(plan: Plan, material: Material) -> float:
    """Bond between layers of the line that holds least, 1 for the usual bead; see the module's text.

    All walls that are there count; a part without walls holds by its filling.
    """
    shape, pace = plan.shape, plan.speed_mm_s
    height = shape.layer_height_mm
    if shape.slope_heights is not None:
        height = (shape.slope_heights.min_mm + shape.slope_heights.max_mm) / 2
    lines = [(shape.width_mm.outer_wall, pace.outer_wall)] if shape.walls else [(shape.width_mm.infill, pace.infill)]
    if shape.walls > 1:
        lines.append((shape.width_mm.inner_wall, pace.inner_wall))
    usual = max(material.nozzle_temp_c - material.flow_temp_c, 1.0)
    warmth = max(plan.nozzle_temp_c - material.flow_temp_c, 0.0) / usual
    return warmth * min(_line_bond(width, height, speed, shape.bore_mm) for width, speed in lines)


def _line_bond(width_mm: float, height_mm: float, speed_mm_s: float, bore_mm: float) -> float:
    """Bond of one line at the usual temperature."""
    width = max(width_mm, height_mm)
    contact = bead_spacing_mm(width, height_mm) / width
    pace = (REFERENCE_SPEED_MM_S / speed_mm_s) ** 0.25
    stays = (section_per_outline_mm(width, height_mm) / section_per_outline_mm(*REFERENCE_BEAD_MM)) ** 0.25
    return float(contact / _REFERENCE_CONTACT * pace * stays) * pressed_share(width_mm / bore_mm)


def pressed_share(width_bores: float) -> float:
    """How much of its bond a line keeps that is narrower than the nozzle can press, by its width in bores: 1 from
    :data:`PRESSED_BORES` on, a tenth at half a bore and below, smooth between. Typical."""
    rise = (width_bores - _DRAWN_BORES) / (PRESSED_BORES - _DRAWN_BORES)
    rise = min(max(rise, 0.0), 1.0)
    return float(_DRAWN_BOND + (1 - _DRAWN_BOND) * rise * rise * (3 - 2 * rise))


def section_per_outline_mm(width_mm: float, height_mm: float) -> float:
    """A bead's section over its outline, mm: how long it stays hot."""
    return bead_area_mm2(width_mm, height_mm) / (2 * (width_mm - height_mm) + math.pi * height_mm)


def sideways_index(plan: Plan, radius_mm: float) -> float:
    """Strength pressed across, 1 for the reference wall and filling on the same part; see the module's text."""
    radius = max(radius_mm, 1e-3)
    wall = min(shell_mm(plan), radius)
    reference = _ring(min(REFERENCE_SHELL_MM, radius), radius) + _bent(REFERENCE_SLENDERNESS) * radius
    return (_ring(wall, radius) + across_strength(plan) * max(radius - wall, 0.0)) / reference


def _ring(wall_mm: float, radius_mm: float) -> float:
    return wall_mm**2 / (6 * 0.318 * radius_mm)


def across_strength(plan: Plan) -> float:
    """Strength of the filling across its cells, as a share of the plastic's; see the module's text."""
    slender, pattern = _slenderness(plan), plan.shape.infill_pattern
    if pattern in _STRETCHED or pattern in _CURVED:
        buckles = math.pi**2 / 12 * STIFF_PER_STRONG * slender**2
        return _carrying_density(plan) / 3 * min(1.0, buckles) * (0.5 if pattern in _CURVED else 1.0)
    return _bent(slender) * (0.5 if pattern in _CROSSING else 1.0)
