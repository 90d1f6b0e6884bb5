"""The pieces' shapes, in millimetres, standing on the bed. Grooves mark where a band begins."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from manifold3d import CrossSection, Manifold, OpType

from meanbead.core.part.read import RawMesh
from meanbead.core.part.solid import Solid, make_solid

__all__ = [
    "corner_block",
    "fan_of_leaves",
    "ladder",
    "rung_spans_mm",
    "slim_towers",
    "solid_of",
    "tube",
    "window_tower",
]

GROOVE_MM = 0.8
"""Depth and height of the grooves."""

_GLYPHS = {
    "M": ("10001", "11011", "10101", "10001", "10001"),
    "E": ("11111", "10000", "11110", "10000", "11111"),
    "B": ("11110", "10001", "11110", "10001", "11110"),
}


def solid_of(shape: Manifold) -> Solid:
    """A shape as a sound solid."""
    mesh = shape.to_mesh()
    vertices = np.asarray(mesh.vert_properties, dtype=float)[:, :3]
    return make_solid(RawMesh(vertices, np.asarray(mesh.tri_verts, dtype=int)), "mm")


def corner_block(starts_mm: Sequence[float], band_mm: float) -> Manifold:
    """A block with sharp corners, a notch and small raised letters in each band, 50 x 20 mm."""
    outline = CrossSection([[(0, 0), (50, 0), (50, 20), (30, 20), (30, 14), (24, 14), (24, 20), (0, 20)]])
    block = outline.extrude(starts_mm[-1] + band_mm)
    letters = [_text("MEB", 5, start + 1.2, band_mm - 2.4) for start in starts_mm]
    return _grooved(block + Manifold.batch_boolean(letters, OpType.Add), outline, starts_mm)


def _text(text: str, x: float, z: float, height: float) -> Manifold:
    """Raised letters on the front, 0.6 mm."""
    pixel = height / 5
    parts = []
    for place, letter in enumerate(text):
        for row, line in enumerate(_GLYPHS[letter]):
            for column, filled in enumerate(line):
                if filled == "1":
                    at = (x + (6 * place + column) * pixel * 1.4, -0.6, z + (4 - row) * pixel)
                    parts.append(Manifold.cube((pixel * 1.45, 0.8, pixel * 1.02), False).translate(at))
    return Manifold.batch_boolean(parts, OpType.Add)


def fan_of_leaves(angles_deg: Sequence[float]) -> Manifold:
    """Leaves that lean out by rising angles, from upright, each 8 mm wide, off one wall."""
    pitch, reach, thick = 11.0, 14.0, 4.0
    wall = Manifold.cube((4, pitch * len(angles_deg) + 3, 3), False)
    parts = [wall]
    for place, angle in enumerate(angles_deg):
        high = min(14.0, reach / math.tan(math.radians(angle)))
        over = high * math.tan(math.radians(angle))
        profile = CrossSection([[(0, 0), (thick, 0), (thick + over, high), (over, high)]])
        # Drawn in x and z, as wide as a leaf in y.
        leaf = profile.extrude(8).rotate((90, 0, 0)).translate((0, pitch * place + 9.5, 0))
        parts.append(leaf)
    mark = Manifold.cube((3, 3, 5), False).translate((-3, 2, 0))
    return Manifold.batch_boolean([*parts, mark], OpType.Add)


_GAP_LOW_MM, _GAP_HIGH_MM, _LENGTH_MM = 6.0, 62.0, 84.0


def rung_spans_mm() -> tuple[float, ...]:
    """Free spans of a ladder's rungs, mm."""
    return (10.0, 20.0, 30.0, 40.0, 50.0, 60.0)


def ladder(starts_mm: Sequence[float], band_mm: float) -> Manifold:
    """Two walls that part from each other, with rungs of rising span near the top of each band."""
    parts = []
    for side in (-1, 1):
        inner = [(side * _GAP_LOW_MM / 2, 0.0), (side * _GAP_HIGH_MM / 2, _LENGTH_MM)]
        outer = [(x + side * 2.4, y) for x, y in inner]
        ring = [*inner, *reversed(outer)]
        parts.append(CrossSection([ring if side < 0 else ring[::-1]]).extrude(starts_mm[-1] + band_mm))
    for start in starts_mm:
        for span in rung_spans_mm():
            y = _LENGTH_MM * (span - _GAP_LOW_MM) / (_GAP_HIGH_MM - _GAP_LOW_MM)
            rung = Manifold.cube((span + 3, 4, 1.0), True).translate(
                (0, min(max(y, 2.0), _LENGTH_MM - 2), start + band_mm - 0.5)
            )
            parts.append(rung)
    return Manifold.batch_boolean(parts, OpType.Add)


def slim_towers(starts_mm: Sequence[float], band_mm: float) -> Manifold:
    """Two towers 10 mm square, 35 mm apart, grooved where a band begins."""
    outline = CrossSection.square((10, 10), False)
    one = _grooved(outline.extrude(starts_mm[-1] + band_mm), outline, starts_mm)
    return one + one.translate((45, 0, 0))


def window_tower(starts_mm: Sequence[float], band_mm: float) -> Manifold:
    """A tower with a window to bridge and a leaning beak in each band."""
    outline = CrossSection.square((18, 12), False)
    body = outline.extrude(starts_mm[-1] + band_mm)
    for start in starts_mm:
        body -= Manifold.cube((10, 14, band_mm - 4), False).translate((4, -1, start + 2))
        beak = (
            CrossSection([[(0, 0), (4, 4), (4, 6), (0, 6)]])
            .extrude(12)
            .rotate((90, 0, 0))
            .translate((18, 12, start + 2))
        )
        body += beak
    return _grooved(body, outline, starts_mm)


def tube(starts_mm: Sequence[float], band_mm: float, diameter_mm: float) -> Manifold:
    """A round column, grooved where a band begins; printed as one wall that rises in a spiral."""
    outline = CrossSection.circle(diameter_mm / 2, 180)
    return _grooved(outline.extrude(starts_mm[-1] + band_mm), outline, starts_mm)


def _grooved(body: Manifold, outline: CrossSection, starts_mm: Sequence[float]) -> Manifold:
    inner = outline.offset(-GROOVE_MM)
    for start in starts_mm[1:]:
        ring = (outline.offset(GROOVE_MM) - inner).extrude(GROOVE_MM).translate((0, 0, start))
        body -= ring
    return body
