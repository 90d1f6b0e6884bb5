"""Facts of a solid that decide settings."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from meanbead.core.model.part import Extents, PartFacts
from meanbead.core.part.connected import surfaces_of
from meanbead.core.part.solid import Solid

__all__ = ["BED_CONTACT_MM", "part_facts"]

BED_CONTACT_MM = 0.05
"""Faces within this height of the bed and looking down count as footprint."""

LEVEL_MM = 0.01
"""Faces so near to the top count as a flat one."""


def part_facts(solid: Solid) -> PartFacts:
    """Volume, surface, size and footprint of a solid, mm.

    Volume by the divergence theorem, ``sum(a . (b x c)) / 6`` over the triangles; exact for a closed mesh.
    """
    corners = solid.vertices[solid.faces]
    a, b, c = corners[:, 0], corners[:, 1], corners[:, 2]
    normals = np.cross(b - a, c - a)
    x, y, z = (float(v) for v in np.ptp(solid.vertices, axis=0))
    return PartFacts(
        volume_mm3=float(np.einsum("ij,ij->", a, np.cross(b, c)) / 6),
        surface_mm2=float(np.linalg.norm(normals, axis=1).sum() / 2),
        extents_mm=Extents(x=x, y=y, z=z),
        triangles=len(solid.faces),
        bodies=_bodies(solid),
        sound=True,
        mended=list(solid.mended),
        footprint_mm2=_level_mm2(corners, normals, at_top=False),
        flat_summit_mm2=_level_mm2(corners, normals, at_top=True),
        digest=solid.digest,
    )


def _bodies(solid: Solid) -> int:
    """Surfaces that hang together. A cavity has a surface of its own, so a hollow ball counts two."""
    return surfaces_of(solid.faces, len(solid.vertices))[0]


def _level_mm2(corners: NDArray[np.float64], normals: NDArray[np.float64], *, at_top: bool) -> float:
    """Area of the faces that lie on the bed, or within :data:`LEVEL_MM` of the top, in plan."""
    z = corners[:, :, 2]
    if at_top:
        level = (z.min(axis=1) > z.max() - LEVEL_MM) & (normals[:, 2] > 0)
    else:
        level = (z.max(axis=1) < BED_CONTACT_MM) & (normals[:, 2] < 0)
    return abs(float(normals[level, 2].sum() / 2))  # never minus zero
