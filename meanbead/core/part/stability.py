"""How steady a part stands."""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray

from meanbead.core.part.solid import Solid

__all__ = ["STABLE_DEG", "centre_of_mass", "tip_angle_deg"]

STABLE_DEG = 8.0
"""A part that falls when it leans by less than this is not worth printing that way without something to hold it."""

Floats = NDArray[np.float64]


def centre_of_mass(solid: Solid) -> tuple[float, Floats]:
    """Volume, mm3, and centre of mass, float64 (3,), of a solid of even density, by the divergence theorem."""
    a, b, c = (solid.vertices[solid.faces[:, k]] for k in range(3))
    signed = np.einsum("ij,ij->i", a, np.cross(b, c)) / 6
    volume = float(signed.sum())
    centre: Floats = (signed[:, None] * (a + b + c) / 4).sum(axis=0) / volume
    return volume, centre


def tip_angle_deg(solid: Solid) -> float:
    """By how much a part can lean before its centre of mass passes the edge of what it stands on, degrees.

    The ground is the hull of all corners within a tenth of a millimetre of the bed; 0 for a point or a line.
    """
    ground = solid.vertices[solid.vertices[:, 2] < 0.1][:, :2]
    hull = shapely.convex_hull(shapely.multipoints(ground))
    if hull.geom_type != "Polygon":
        return 0.0
    _, centre = centre_of_mass(solid)
    middle = shapely.Point(centre[0], centre[1])
    if not shapely.contains(hull, middle):
        return 0.0
    return float(np.degrees(np.arctan2(shapely.distance(hull.exterior, middle), max(float(centre[2]), 1e-9))))
