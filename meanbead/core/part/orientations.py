"""Ways to stand a part, and what each is like before it is estimated."""

from __future__ import annotations

import manifold3d
import numpy as np
from numpy.typing import NDArray

from meanbead.core.model.base import Result
from meanbead.core.model.pose import Pose
from meanbead.core.part.insight import OVERHANG_DEG, Surface
from meanbead.core.part.pose import pose_of, posed, standing_on
from meanbead.core.part.solid import Solid
from meanbead.core.part.stability import tip_angle_deg

__all__ = [
    "Orientation",
    "OrientationEstimate",
    "OrientationEstimates",
    "candidate_directions",
    "measure",
    "orientations",
    "simpler",
]

ALIKE_DEG = 6.0
"""Directions closer than this count as one way to stand."""

_AXES = np.array([[0, 0, -1], [0, 0, 1], [0, -1, 0], [0, 1, 0], [-1, 0, 0], [1, 0, 0]], dtype=np.float64)

Floats = NDArray[np.float64]


class Orientation(Result):
    """A way to stand: ``pose`` turns the part from how it stands now.

    ``overhang_mm2`` leans out by more than 45 degrees; ``ridge_mm`` is the mean height of the steps on what leans and
    shows, at layers of ``layer_height_mm`` (``h cos(slope)``); ``tip_angle_deg`` by how much it can lean.
    """

    pose: Pose
    height_mm: float
    footprint_mm2: float
    overhang_mm2: float
    step_mm2: float
    ridge_mm: float
    tip_angle_deg: float


class OrientationEstimate(Result):
    """A way to stand with what it costs: the whole print, and the supports in it. ``picture`` is a data address.

    ``problem`` says why it cannot be printed that way; ``steady`` is False where the part would fall easily.
    """

    stance: Orientation
    present: bool
    picture: str
    steady: bool
    print_time_s: float | None
    filament_g: float | None
    support_s: float
    support_g: float
    problem: str


class OrientationEstimates(Result):
    """Ways to stand a part, the best first."""

    ways: list[OrientationEstimate]


def candidate_directions(solid: Solid, count: int = 10) -> Floats:
    """Directions of the part that could point down, float64 (k, 3): as it stands first, then the largest flats of its
    hull, then the axes."""
    from scipy.spatial import ConvexHull  # a third of a second that only this needs

    hull = ConvexHull(_hull_points(solid))
    corners = hull.points[hull.simplices]
    area = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1) / 2
    normals, which = np.unique(np.round(hull.equations[:, :3], 3), axis=0, return_inverse=True)
    flats = np.bincount(which.ravel(), weights=area)
    order = np.argsort(-flats, kind="stable")
    worth = order[flats[order] > 0.01 * area.sum()]
    requested = np.concatenate([_AXES[:1], normals[worth], _AXES[1:]])
    requested = requested / np.linalg.norm(requested, axis=1)[:, None]
    chosen: list[Floats] = []
    for direction in requested:
        if all(direction @ other < np.cos(np.radians(ALIKE_DEG)) for other in chosen):
            chosen.append(direction)
            if len(chosen) == count:
                break
    return np.array(chosen)


def orientations(solid: Solid, layer_height_mm: float, count: int = 10) -> list[tuple[Orientation, Solid]]:
    """Candidate ways to stand a part, the present one first, each with the solid that stands so."""
    found = []
    for direction in candidate_directions(solid, count):
        pose = pose_of(standing_on(direction))
        stood = posed(solid, pose)
        found.append((measure(stood, pose, layer_height_mm), stood))
    return found


def measure(stood: Solid, pose: Pose, layer_height_mm: float) -> Orientation:
    """What can be said of a way to stand without laying a stroke."""
    surface = Surface.of(stood)
    slope = surface.slope_deg
    shows = (slope > 2.0) & (slope < 88.0)
    step_area = float(surface.area_mm2[shows].sum())
    ridge = float(np.sum((surface.area_mm2 * np.cos(np.radians(slope)))[shows])) * layer_height_mm
    footprint = float((surface.area_mm2 * -surface.normal[:, 2])[surface.on_bed].sum())
    return Orientation(
        pose=pose,
        height_mm=float(stood.vertices[:, 2].max()),
        footprint_mm2=footprint,
        overhang_mm2=float(surface.area_mm2[surface.overhang_deg > OVERHANG_DEG].sum()),
        step_mm2=step_area,
        ridge_mm=ridge / step_area if step_area > 0 else 0.0,
        tip_angle_deg=tip_angle_deg(stood),
    )


def simpler(solid: Solid, tolerance_mm: float = 0.02) -> Solid:
    """A solid with fewer triangles that nowhere differs by more than a tolerance, for a first look; itself if small."""
    if len(solid.faces) < 60_000:
        return solid
    mesh = solid.manifold.simplify(tolerance_mm).to_mesh64()
    vertices = np.asarray(mesh.vert_properties, dtype=np.float64)[:, :3]
    faces = np.asarray(mesh.tri_verts, dtype=np.int64)
    return Solid(vertices, faces, solid.mended, f"{solid.digest[:40]}~{tolerance_mm:g}")


def _hull_points(solid: Solid) -> Floats:
    """Corners of the hull. The solid library finds them; equal facets are then told apart by their planes."""
    mesh = manifold3d.Manifold.hull_points(solid.vertices).to_mesh64()
    points: Floats = np.asarray(mesh.vert_properties, dtype=np.float64)[:, :3]
    return points
