"""Strength indices: relative figures to compare recipes of one part. They are never a rating of what a part carries.

**Shell**: thickness of the walls, mm.

**Bond** between layers, 1 for a bead of 0.44 x 0.2 mm at the material's usual temperature, laid at 60 mm/s: contact width
over bead width, times melt temperature above the flow temperature, times pace to the power -1/4, times how long the bead
stays hot to the power 1/4. The contact is the flat of the stadium, ``w - h (1 - pi/4)``; the power is that of healing by
interdiffusion in time (R. P. Wool and K. M. O'Connor, *J. Appl. Phys.* 52, 5953, 1981): the time that the nozzle stays
over a spot, and the time that the bead takes to cool, which for a lump that loses heat through its surface goes as section
over outline, ``A / P`` (lumped capacity, Biot number of a bead about 0.01). So larger beads bond better. Validity:
comparisons within a factor of two in each input, same plastic, dry, same fan.

**Crush** of the filling along the layers' normal, relative to a plain grid at 15 %: ``(t / l)^2 d`` of its cell walls,
which buckle elastically at a stress that goes as ``(t / l)^2``, d being the share of the section that carries (L. J. Gibson
and M. F. Ashby, *Cellular Solids*, 2nd ed., 1997, section 4.4). l is the free edge of a cell. A wall of stacked beads is
notched between layers; bent across them its slices act in series, so ``1 / t^3`` is the mean of ``1 / t(z)^3`` over the
bead's height, with ``t(z) = (m - 1) s + (w - h) + 2 sqrt(h^2/4 - z^2)`` for m stadiums side by side. One notch is shared
by all m, so lines laid side by side are stiffer than as many apart. Fillings whose lines do not stand on each other act
like open foams, ``0.05 d^2`` against ``5.2 (t / l)^3`` (the same book, sections 4.4 and 5.3). Below about 40 % only.

**Sideways**, pressed across like a tube or a ring, 1 for 0.84 mm of wall on a plain grid at 15 %. The wall is a ring of
mean radius ``R = 2 V / S`` between two plates, which yields at ``F = t^2 / (6 x 0.318 R)`` times its strength for each
millimetre of length (W. C. Young and R. G. Budynas, *Roark's Formulas for Stress and Strain*, 7th ed., table 9.2); the
filling of width ``R`` adds its own strength across the cells: ``0.5 (t / l)^2`` where cell walls bend (the book below,
section 4.3), ``d / 3`` where triangles stretch them, ``0.3 d^1.5`` for foams (section 5.3). Only plastic round the outside
and cell walls count, not the bond between layers, for nothing pulls them apart.

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
    "Strength",
    "cell_edge_mm",
    "cell_line_mm",
    "cell_wall_mm",
    "crush_index",
    "filled_density",
    "open_span_mm",
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
_FOAM_LIKE = ("gyroid", "honeycomb_3d", "lines", "concentric")
_STRETCHED = ("triangles", "cubic", "adaptive")
_EDGE_PER_SPACING = {"grid": 2.0, "triangles": 3.46, "cubic": 3.46, "adaptive": 3.46, "honeycomb": 1.155}
"""Free edge of a cell over line spacing s / d: two families of lines, three that cross in triangles, hexagons."""

OPEN_PITCHES: dict[str, float] = {
    "lines": 1.0,
    "concentric": 1.35,
    "grid": 2.0,
    "triangles": 3.0,
    "cubic": 2.45,
    "adaptive": 2.45,
    "honeycomb": 2.4,
    "honeycomb_3d": 1.9,
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
    """Free edge of a cell of the filling, mm; infinite without filling or where lines do not stand on each other."""
    shape = plan.shape
    per_spacing = _EDGE_PER_SPACING.get(shape.infill_pattern)
    if shape.infill_density <= 0 or per_spacing is None:
        return float("inf")
    share = _ADAPTIVE_SHARE if shape.infill_pattern == "adaptive" else 1.0
    spacing = bead_spacing_mm(shape.width_mm.infill, shape.layer_height_mm)
    return per_spacing * spacing / (shape.infill_density * share)


def crush_index(plan: Plan) -> float:
    """Crush of the filling, 1 for a plain grid at 15 % with even walls; see the module's text."""
    shape = plan.shape
    density = filled_density(plan)
    if shape.infill_pattern in _FOAM_LIKE:
        return 0.05 * density**2 / (5.2 * REFERENCE_SLENDERNESS**3)
    wall = cell_wall_mm(shape.width_mm.infill, shape.layer_height_mm, shape.infill_lines_side_by_side)
    slender = min(1.0, wall / cell_edge_mm(plan))
    if shape.infill_pattern == "adaptive":
        density *= _ADAPTIVE_SHARE
    return slender**2 * density / (REFERENCE_SLENDERNESS**2 * 0.15)


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
    height, width = shape.layer_height_mm, shape.width_mm.inner_wall
    if shape.slope_heights is not None:
        height = (shape.slope_heights.min_mm + shape.slope_heights.max_mm) / 2
    contact = bead_spacing_mm(max(width, height), height) / max(width, height)
    usual = max(material.nozzle_temp_c - material.flow_temp_c, 1.0)
    warmth = max(plan.nozzle_temp_c - material.flow_temp_c, 0.0) / usual
    pace = (REFERENCE_SPEED_MM_S / plan.speed_mm_s.inner_wall) ** 0.25
    stays = (section_per_outline_mm(max(width, height), height) / section_per_outline_mm(*REFERENCE_BEAD_MM)) ** 0.25
    bond = contact / _REFERENCE_CONTACT * warmth * pace * stays
    walls = shell_mm(plan)
    density = filled_density(plan)
    side = 4.0 * volume_mm3 / max(surface_mm2, 1e-9)
    sideways = sideways_index(plan, side / 2)
    hollow = max(0.0, 1.0 - 2.0 * walls / max(side, 1e-9)) ** 4
    core = density**2 if shape.infill_pattern in _FOAM_LIKE else density * (0.5 + 0.5 * density)
    bend = 1.0 - (1.0 - core) * hollow
    return Strength(shell_mm=walls, bond=bond, crush=crush_index(plan), sideways=sideways, bend=bend)


def section_per_outline_mm(width_mm: float, height_mm: float) -> float:
    """A bead's section over its outline, mm: how long it stays hot."""
    return bead_area_mm2(width_mm, height_mm) / (2 * (width_mm - height_mm) + math.pi * height_mm)


def sideways_index(plan: Plan, radius_mm: float) -> float:
    """Strength pressed across, 1 for the reference wall and filling on the same part; see the module's text."""
    radius = max(radius_mm, 1e-3)
    wall = min(shell_mm(plan), radius)
    reference = _ring(min(REFERENCE_SHELL_MM, radius), radius) + 0.5 * REFERENCE_SLENDERNESS**2 * radius
    return (_ring(wall, radius) + _across(plan) * max(radius - wall, 0.0)) / reference


def _ring(wall_mm: float, radius_mm: float) -> float:
    return wall_mm**2 / (6 * 0.318 * radius_mm)


def _across(plan: Plan) -> float:
    """Strength of the filling across its cells, as a share of the plastic's."""
    shape, density = plan.shape, filled_density(plan)
    if shape.infill_pattern in _FOAM_LIKE:
        return 0.3 * density * math.sqrt(density)
    if shape.infill_pattern in _STRETCHED:
        return density * (_ADAPTIVE_SHARE if shape.infill_pattern == "adaptive" else 1.0) / 3
    wall = cell_wall_mm(shape.width_mm.infill, shape.layer_height_mm, shape.infill_lines_side_by_side)
    slender = min(1.0, wall / cell_edge_mm(plan))
    return 0.5 * slender * slender
