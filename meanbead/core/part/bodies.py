"""Several bodies in one file: find them, and make a part of each."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from meanbead.core.part.connected import surfaces_of
from meanbead.core.part.solid import Solid, digest_of

__all__ = ["body_of_faces", "split_bodies", "winding_number"]

Floats = NDArray[np.float64]


def body_of_faces(solid: Solid) -> NDArray[np.int64]:
    """The body that each triangle belongs to, int64 (m,), the largest first. A cavity belongs to the body around it."""
    surface = _surfaces(solid)
    count = int(surface.max()) + 1
    corners = solid.vertices[solid.faces]
    signed = np.einsum("ij,ij->i", corners[:, 0], np.cross(corners[:, 1], corners[:, 2])) / 6
    volume = np.bincount(surface, weights=signed, minlength=count)
    outer = np.flatnonzero(volume > 0)
    owner = np.arange(count)
    for cavity in np.flatnonzero(volume <= 0):
        point = corners[np.argmax(surface == cavity)].mean(axis=0)
        around = [ring for ring in outer if winding_number(corners[surface == ring], point) > 0.5]
        owner[cavity] = min(around, key=lambda ring: volume[ring]) if around else outer[np.argmax(volume[outer])]
    order = outer[np.argsort(-volume[outer], kind="stable")]
    rank = np.empty(count, dtype=np.int64)
    rank[order] = np.arange(len(order))
    found: NDArray[np.int64] = rank[owner][surface]
    return found


def split_bodies(solid: Solid) -> list[Solid]:
    """Each body as a part of its own, the largest first, standing on the bed as it is turned now."""
    body = body_of_faces(solid)
    parts = []
    for number in range(int(body.max()) + 1):
        used, faces = np.unique(solid.faces[body == number], return_inverse=True)
        vertices = solid.vertices[used]
        low, high = vertices.min(axis=0), vertices.max(axis=0)
        vertices = vertices - [(low[0] + high[0]) / 2, (low[1] + high[1]) / 2, low[2]]
        faces = faces.reshape(-1, 3)
        parts.append(Solid(vertices, faces, (), digest_of(vertices, faces)))
    return parts


def winding_number(corners: Floats, point: Floats) -> float:
    """How often a closed surface, float64 (m, 3, 3), goes round a point: 1 inside, 0 outside.

    Sum of the triangles' solid angles over 4 pi; A. van Oosterom and J. Strackee, "The solid angle of a plane
    triangle", IEEE Trans. Biomed. Eng. 30 (1983).
    """
    a, b, c = (corners[:, k] - point for k in range(3))
    la, lb, lc = (np.linalg.norm(side, axis=1) for side in (a, b, c))
    top = np.einsum("ij,ij->i", a, np.cross(b, c))
    bottom = la * lb * lc + _dot(a, b) * lc + _dot(b, c) * la + _dot(c, a) * lb
    return float(np.sum(2 * np.arctan2(top, bottom)) / (4 * np.pi))


def _dot(a: Floats, b: Floats) -> Floats:
    product: Floats = np.einsum("ij,ij->i", a, b)
    return product


def _surfaces(solid: Solid) -> NDArray[np.int64]:
    """The closed surface of each triangle, int64 (m,)."""
    label = surfaces_of(solid.faces, len(solid.vertices))[1][solid.faces[:, 0]]
    # Corners that no triangle uses have a label, too.
    surface: NDArray[np.int64] = np.unique(label, return_inverse=True)[1].astype(np.int64)
    return surface
