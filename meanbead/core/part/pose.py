"""Stand a part: cut, turn, scale and mirror its mesh, and drop it on the bed."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from meanbead.core.errors import PartError
from meanbead.core.model.pose import Cut, Pose
from meanbead.core.part.solid import MAX_SIZE_MM, MIN_SIZE_MM, Solid, digest_of

__all__ = ["Axis", "Side", "cut_in_place", "matrix_of", "pose_of", "posed", "standing_on"]

Floats = NDArray[np.float64]
Axis = Literal["x", "y", "z"]
Side = Literal["above", "below"]

_LEAST_MM3 = 1e-3


def pose_of(matrix: Floats) -> Pose:
    """A 3 x 3 matrix as a pose; what differs from whole numbers by rounding only is rounded."""
    near = np.round(matrix)
    rows = np.where(np.abs(matrix - near) < 1e-12, near, matrix)
    return Pose(matrix=tuple(float(v) for v in rows.ravel()))


def matrix_of(pose: Pose) -> Floats:
    """The pose's matrix, float64 (3, 3)."""
    return np.array(pose.matrix, dtype=np.float64).reshape(3, 3)


def posed(solid: Solid, pose: Pose) -> Solid:
    """The solid in another pose, on the bed and centred, without what was cut off. A mirroring turns its triangles, so that they face outwards.

    Raises :class:`PartError` where it becomes larger than :data:`MAX_SIZE_MM` or smaller than :data:`MIN_SIZE_MM`, or
    nothing is left of it.
    """
    if pose == Pose():
        return solid
    matrix = matrix_of(pose)
    solid = _cut(solid, pose.cuts)
    vertices = solid.vertices @ matrix.T
    low, high = vertices.min(axis=0), vertices.max(axis=0)
    size = high - low
    if size.max() > MAX_SIZE_MM or size.max() < MIN_SIZE_MM:
        raise PartError(
            f"That would make it {size[0]:.4g} x {size[1]:.4g} x {size[2]:.4g} mm.",
            field="pose",
            remedy=f"A part has to be between {MIN_SIZE_MM:g} and {MAX_SIZE_MM:g} mm long.",
            code="over_limit",
        )
    vertices = vertices - [(low[0] + high[0]) / 2, (low[1] + high[1]) / 2, low[2]]
    faces = solid.faces if np.linalg.det(matrix) > 0 else np.ascontiguousarray(solid.faces[:, ::-1])
    return Solid(vertices, faces, solid.mended, digest_of(vertices, faces))


def _cut(solid: Solid, cuts: tuple[Cut, ...]) -> Solid:
    """What the planes leave of a mesh as read; closed again where it was cut, flat to the last bit of the plane."""
    if not cuts:
        return solid
    left = solid.manifold
    for cut in cuts:
        length = math.sqrt(sum(value * value for value in cut.normal))
        left = left.trim_by_plane(tuple(value / length for value in cut.normal), cut.offset_mm / length)
    if left.is_empty() or left.volume() < _LEAST_MM3:
        raise PartError(
            "Nothing would be left of the part.", field="cut", remedy="Cut where the part is, or keep the other side."
        )
    mesh = left.to_mesh64()
    vertices = np.asarray(mesh.vert_properties[:, :3], dtype=np.float64)
    faces = np.asarray(mesh.tri_verts, dtype=np.int64)
    return Solid(vertices, faces, solid.mended, digest_of(vertices, faces))


def cut_in_place(solid: Solid, pose: Pose, axis: Axis, at_mm: float, keep: Side) -> Pose:
    """A pose with the part, as it stands in one, cut at ``at_mm`` along an axis; z counts from the bed. ``solid`` is the mesh
    as read.

    A plane ``n . v = d`` of the part as it stands, ``v = M x - t``, is ``(M^T n) . x = d + n . t`` of the mesh as read.
    Raises :class:`PartError` where the plane misses the part.
    """
    matrix = matrix_of(pose)
    before = _cut(solid, pose.cuts).vertices @ matrix.T
    low, high = before.min(axis=0), before.max(axis=0)
    moved = np.array([(low[0] + high[0]) / 2, (low[1] + high[1]) / 2, low[2]])
    which = "xyz".index(axis)
    least, most = low[which] - moved[which], high[which] - moved[which]
    if not least + 1e-6 < at_mm < most - 1e-6:
        raise PartError(
            f"A cut at {at_mm:g} mm misses the part, which runs from {least:.2f} to {most:.2f} mm in {axis}.",
            field="cut",
            remedy="Give a place inside it.",
        )
    normal = np.zeros(3)
    normal[which] = 1.0 if keep == "above" else -1.0
    offset = float(normal[which] * at_mm + normal @ moved)
    cut = Cut(normal=tuple(float(value) for value in matrix.T @ normal), offset_mm=offset)
    return pose.model_copy(update={"cuts": (*pose.cuts, cut)})


def standing_on(direction: Floats) -> Floats:
    """The shortest turn that points a direction down, float64 (3, 3).

    By Rodrigues' formula for the turn between two unit vectors, ``I + K + K^2 / (1 + c)``.
    """
    a = direction / np.linalg.norm(direction)
    down = np.array([0.0, 0.0, -1.0])
    cosine = float(a @ down)
    if cosine < -1 + 1e-9:
        return np.diag([1.0, -1.0, -1.0])
    x, y, z = np.cross(a, down)
    cross = np.array([[0.0, -z, y], [z, 0.0, -x], [-y, x, 0.0]])
    turn: Floats = np.eye(3) + cross + cross @ cross / (1 + cosine)
    return turn
