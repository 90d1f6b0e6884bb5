"""The bead: the strand that the nozzle lays, as a flat stadium.

A strand of width ``w`` pressed to height ``h`` has straight top and bottom and half-round sides. Its section is a
rectangle ``(w - h) x h`` and a circle of diameter ``h``. Derivation: docs/method.md, "Bead". Valid for ``w >= h > 0``;
narrower strands are not pressed into a stadium and are refused.
"""

from __future__ import annotations

import math

from meanbead.core.errors import RecipeError

__all__ = [
    "SIDE_LOSS",
    "bead_area_mm2",
    "bead_spacing_mm",
    "filament_area_mm2",
    "filament_length_mm",
    "filament_mass_g",
    "speed_for_flow_mm_s",
    "width_for_spacing_mm",
]

SIDE_LOSS = 1.0 - math.pi / 4.0
"""Part of the height that a half-round side leaves empty, per side pair: two neighbours must overlap by this much."""


def bead_area_mm2(width_mm: float, height_mm: float) -> float:
    """Section of a pressed bead, mm2: ``h (w - h) + pi h^2 / 4``.

    Raises :class:`RecipeError` unless ``width_mm >= height_mm > 0``.
    """
    if height_mm <= 0:
        raise RecipeError("The layer height must be above 0.", field="layer_height_mm", remedy="Give a height in mm.")
    if width_mm < height_mm - 1e-9:
        raise RecipeError(
            f"A line {width_mm:g} mm wide cannot be {height_mm:g} mm high: the strand would not be pressed down.",
            field="line_width_mm",
            remedy=f"Make the line at least {height_mm:g} mm wide or the layer lower.",
        )
    return height_mm * (width_mm - height_mm) + math.pi * height_mm**2 / 4


def bead_spacing_mm(width_mm: float, height_mm: float) -> float:
    """Distance between neighbouring beads that leaves no gap, mm: ``w - h (1 - pi/4)``.

    At this distance each bead's section equals spacing x height, so a filled layer holds exactly its volume.
    """
    return width_mm - height_mm * SIDE_LOSS


def width_for_spacing_mm(spacing_mm: float, height_mm: float) -> float:
    """Width of the bead that fills a spacing without gaps, mm: the inverse of :func:`bead_spacing_mm`."""
    return spacing_mm + height_mm * SIDE_LOSS


def filament_area_mm2(diameter_mm: float) -> float:
    """Section of the filament, mm2: ``pi D^2 / 4``."""
    return math.pi * diameter_mm**2 / 4


def filament_length_mm(volume_mm3: float, diameter_mm: float) -> float:
    """Filament that holds a volume, mm."""
    return volume_mm3 / filament_area_mm2(diameter_mm)


def filament_mass_g(volume_mm3: float, density_g_cm3: float) -> float:
    """Mass of a volume of plastic, g (1 cm3 = 1000 mm3)."""
    return volume_mm3 * density_g_cm3 / 1000


def speed_for_flow_mm_s(flow_mm3_s: float, area_mm2: float) -> float:
    """Speed at which a bead of a section takes a flow, mm/s: ``v = Q / A``."""
    return flow_mm3_s / area_mm2
