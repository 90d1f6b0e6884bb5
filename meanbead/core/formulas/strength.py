"""Strength indices: relative figures to compare recipes of one part. They are never a rating of what a part carries.

**Shell**: thickness of the walls, mm.

**Bond** between layers, 1 for a bead one and a tenth bores wide and half a bore high, at the material's usual
temperature, laid at 60 mm/s: contact width over bead width, times melt temperature above the flow temperature, times
pace to the power -1/4. The contact is the flat of the stadium, ``w - h (1 - pi/4)``; the power is that of healing by
interdiffusion in time, here the time that the nozzle stays over a spot (R. P. Wool and K. M. O'Connor, *J. Appl. Phys.*
52, 5953, 1981). Validity: comparisons within a factor of two in each input, same plastic, dry, same fan.

**Crush** of the filling along the layers' normal, relative to a plain grid at 15 %: ``(t / l)^2 d`` of its cell walls,
which buckle elastically at a stress that goes as ``(t / l)^2``, d being the share of the section that carries (L. J. Gibson
and M. F. Ashby, *Cellular Solids*, 2nd ed., 1997, section 4.4). l is the free edge of a cell. A wall of stacked beads is
notched between layers; bent across them its slices act in series, so ``1 / t^3`` is the mean of ``1 / t(z)^3`` over the
bead's height, with ``t(z) = (m - 1) s + (w - h) + 2 sqrt(h^2/4 - z^2)`` for m stadiums side by side. One notch is shared
by all m, so lines laid side by side are stiffer than as many apart. Fillings whose lines do not stand on each other act
like open foams, ``0.05 d^2`` against ``5.2 (t / l)^3`` (the same book, sections 4.4 and 5.3). Below about 40 % only.

**Bend**: second moment of a square section as wide as twice the part's volume over half its surface, shell solid, core
filled at its density with stiffness in proportion to density squared (open fillings) or to density (fillings whose
cell walls stand along the load), relative to solid. It says that plastic far from the middle counts most. Validity:
prismatic parts in bending; layers, voids and direction are left out.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from meanbead.core.formulas.bead import bead_spacing_mm
from meanbead.core.model.material import Material
from meanbead.core.model.plan import Plan

__all__ = ["Strength", "cell_edge_mm", "cell_wall_mm", "crush_index", "filled_density", "shell_mm", "strength"]

REFERENCE_SPEED_MM_S = 60.0
REFERENCE_SLENDERNESS = 0.15 / 2
"""Cell-wall slenderness t / l of a grid at 15 %: density is two walls a cell."""

_NODES, _WEIGHTS = np.polynomial.legendre.leggauss(32)
_REFERENCE_CONTACT = bead_spacing_mm(1.1, 0.5) / 1.1
_FOAM_LIKE = ("gyroid", "lines", "concentric")
_EDGE_PER_SPACING = {"grid": 2.0, "triangles": 3.46, "cubic": 3.46, "adaptive": 3.46, "honeycomb": 1.155}
"""Free edge of a cell over line spacing s / d: two families of lines, three that cross in triangles, hexagons."""

_ADAPTIVE_SHARE = 0.5
"""An adaptive filling is about half as dense where it is far from skins, and that part buckles first."""


@dataclass(frozen=True)
class Strength:
    """Indices of one recipe on one part; see the module's text. Comparisons, not ratings."""

    shell_mm: float
    bond: float
    crush: float
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
    bond = contact / _REFERENCE_CONTACT * warmth * pace
    walls = shell_mm(plan)
    density = filled_density(plan)
    side = 4.0 * volume_mm3 / max(surface_mm2, 1e-9)
    hollow = max(0.0, 1.0 - 2.0 * walls / max(side, 1e-9)) ** 4
    core = density**2 if shape.infill_pattern in _FOAM_LIKE else density * (0.5 + 0.5 * density)
    return Strength(shell_mm=walls, bond=bond, crush=crush_index(plan), bend=1.0 - (1.0 - core) * hollow)
