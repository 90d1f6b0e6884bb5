"""What a part covers of the bed, seen from above, and where it stands."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely
import shapely.affinity
from numpy.typing import NDArray

from meanbead.core.part.solid import Solid, digest_of

__all__ = ["Placed", "Standing", "merged_solid", "outline_of", "stood"]

_SIMPLER_MM = 0.05
"""Outlines are simplified outwards by about this."""


@dataclass(frozen=True)
class Standing:
    """A kind of part to be placed: its outline seen from above around its own middle, mm, and its height, mm."""

    outline: shapely.Geometry
    height_mm: float


@dataclass(frozen=True)
class Placed:
    """Where a part stands: its middle from the bed's middle, mm, turned by ``turn_deg`` anticlockwise. ``of`` is its kind's
    place in the list of kinds."""

    of: int
    x_mm: float
    y_mm: float
    turn_deg: float = 0.0

    def outline(self, kinds: list[Standing]) -> shapely.Geometry:
        """Its outline on the bed."""
        turned = shapely.affinity.rotate(kinds[self.of].outline, self.turn_deg, origin=(0, 0))
        return shapely.affinity.translate(turned, self.x_mm, self.y_mm)


def outline_of(solid: Solid, brim_mm: float = 0.0) -> Standing:
    """A solid's shadow on the bed, with a brim around it: everything that any layer covers.

    The shadow is the union of all triangles seen from above (manifold3d); holes stay, so that a small part may stand in
    a frame.
    """
    rings = [shapely.Polygon(ring) for ring in solid.manifold.project().to_polygons() if len(ring) >= 3]
    # Outer rings turn anticlockwise, holes clockwise.
    outer = [ring for ring in rings if shapely.is_ccw(ring.exterior)]
    holes = [ring for ring in rings if not shapely.is_ccw(ring.exterior)]
    shadow = shapely.union_all([ring.buffer(0) for ring in outer])
    for hole in holes:
        shadow = shadow.difference(hole.buffer(0))
    room = shapely.buffer(shadow, brim_mm + _SIMPLER_MM, quad_segs=6)
    return Standing(shapely.simplify(room, _SIMPLER_MM), float(solid.vertices[:, 2].max()))


def merged_solid(solids: list[Solid], placed: list[Placed]) -> Solid:
    """All parts of a plate as one solid, where they stand, its middle on the origin; and so its layers are those of the whole
    plate. Parts must not touch."""
    vertices, faces, begin = [], [], 0
    for one in placed:
        vertices.append(stood(solids[one.of], one))
        faces.append(solids[one.of].faces + begin)
        begin += len(vertices[-1])
    points = np.concatenate(vertices)
    middle = (points.min(axis=0) + points.max(axis=0)) / 2
    points = points - (middle[0], middle[1], points[:, 2].min())
    joined = np.concatenate(faces)
    return Solid(points, joined, (), digest_of(points, joined))


def stood(solid: Solid, one: Placed) -> NDArray[np.float64]:
    """A solid's vertices (n, 3) where it stands on the plate, mm."""
    angle = np.deg2rad(one.turn_deg)
    turn = np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]])
    moved = solid.vertices.copy()
    moved[:, :2] = moved[:, :2] @ turn.T + (one.x_mm, one.y_mm)
    return moved
