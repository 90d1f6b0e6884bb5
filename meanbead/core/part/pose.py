"""Stand a part: turn, scale and mirror its mesh, and drop it on the bed."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from meanbead.core.errors import PartError
from meanbead.core.model.pose import Pose
from meanbead.core.part.solid import MAX_SIZE_MM, MIN_SIZE_MM, Solid, digest_of

__all__ = ["matrix_of", "pose_of", "posed", "standing_on"]

Floats = NDArray[np.float64]


def pose_of(matrix: Floats) -> Pose:
    """A 3 x 3 matrix as a pose; what differs from whole numbers by rounding only is rounded."""
    near = np.round(matrix)
    rows = np.where(np.abs(matrix - near) < 1e-12, near, matrix)
    return Pose(matrix=tuple(float(v) for v in rows.ravel()))


def matrix_of(pose: Pose) -> Floats:
    """The pose's matrix, float64 (3, 3)."""
    return np.array(pose.matrix, dtype=np.float64).reshape(3, 3)


def posed(solid: Solid, pose: Pose) -> Solid:
    """The solid in another pose, on the bed and centred. A mirroring turns its triangles, so that they face outwards.

    Raises :class:`PartError` where it becomes larger than :data:`MAX_SIZE_MM` or smaller than :data:`MIN_SIZE_MM`.
    """
    if pose == Pose():
        return solid
    matrix = matrix_of(pose)
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
