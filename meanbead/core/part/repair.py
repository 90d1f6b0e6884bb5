"""Mend a surface where that is safe: turn flipped triangles, close flat holes. What would need a guess is refused."""

from __future__ import annotations

from typing import TYPE_CHECKING

import manifold3d
import numpy as np
from numpy.typing import NDArray

from meanbead.core.errors import OpenSurface
from meanbead.core.part.solid import open_edges
from meanbead.core.part.wording import count_of, was

if TYPE_CHECKING:
    import trimesh

__all__ = ["repair_surface", "why_unsound"]

MAX_HOLE_EDGES = 400
FLATNESS = 0.02
"""Largest ratio of a rim's thickness to its width at which a lid over it is no guess."""


def repair_surface(
    vertices: NDArray[np.float64], faces: NDArray[np.int64]
) -> tuple[NDArray[np.float64], NDArray[np.int64], list[str]]:
    """Turn and close what safely can be; returns the surface and sentences about what was done.

    Whether the result is a solid is for the caller to find out: :func:`why_unsound` says why one is not.
    """
    import trimesh  # half a second to load, and most surfaces need no mending

    mesh = trimesh.Trimesh(vertices, faces, process=False, validate=False)
    mended: list[str] = []
    if not mesh.is_winding_consistent:
        before = mesh.faces.copy()
        trimesh.repair.fix_winding(mesh)  # type: ignore[no-untyped-call]
        flipped = int(np.count_nonzero((before != mesh.faces).any(axis=1)))
        if flipped:
            mended.append(f"{count_of(flipped, 'flipped triangle')} {was(flipped)} turned to face the same way.")
    if not mesh.is_watertight:
        filled = _fill_flat_holes(mesh)
        if filled:
            mended.append(f"{count_of(filled, 'flat hole')} in the surface {was(filled)} closed.")
            if not mesh.is_winding_consistent:
                trimesh.repair.fix_winding(mesh)  # type: ignore[no-untyped-call]
    return np.asarray(mesh.vertices, dtype=np.float64), np.asarray(mesh.faces, dtype=np.int64), mended


def why_unsound(vertices: NDArray[np.float64], faces: NDArray[np.int64]) -> OpenSurface:
    """The reason why a surface encloses no solid."""
    import trimesh

    alone = len(_open_edges(trimesh.Trimesh(vertices, faces, process=False, validate=False)))
    if alone:
        says = (
            f"The surface is not closed: {count_of(alone, 'edge')} {'has' if alone == 1 else 'have'} nothing on one side, "
            "and the gaps cannot be closed without guessing."
        )
    else:
        says = "The surface does not enclose a solid: more than two triangles meet in one edge, or it crosses itself there."
    return OpenSurface(
        says,
        remedy="Have it closed here by guessing, or close it in the program that it was drawn in and export it again.",
        surface=(vertices, faces),
        edges=open_edges(faces),
        sheets=alone > 0,
    )


def _open_edges(mesh: trimesh.Trimesh) -> NDArray[np.int64]:
    edges = np.asarray(mesh.edges_sorted)
    _, index, counts = np.unique(edges, axis=0, return_index=True, return_counts=True)
    lonely: NDArray[np.int64] = np.asarray(mesh.edges, dtype=np.int64)[index[counts == 1]]
    return lonely


def _fill_flat_holes(mesh: trimesh.Trimesh) -> int:
    """Close holes whose rim is one simple, nearly flat loop; others would need a guess. Returns how many."""
    follows: dict[int, int] = {}
    for start, end in _open_edges(mesh):
        if int(end) in follows:
            return 0  # two rims touch in a corner: which belongs to which is a guess
        follows[int(end)] = int(start)
    new_faces: list[NDArray[np.int64]] = []
    count = 0
    while follows:
        first = next(iter(follows))
        loop = [first]
        step = follows.pop(first)
        while step != first and step in follows:
            loop.append(step)
            step = follows.pop(step)
        if step != first or not 3 <= len(loop) <= MAX_HOLE_EDGES:
            continue
        faces = _lid(np.asarray(mesh.vertices), np.array(loop, dtype=np.int64))
        if faces is not None:
            new_faces.append(faces)
            count += 1
    if new_faces:
        mesh.faces = np.concatenate([np.asarray(mesh.faces), *new_faces])
    return count


def _lid(vertices: NDArray[np.float64], loop: NDArray[np.int64]) -> NDArray[np.int64] | None:
    """Triangles over a loop of corners, or None where it is not flat or crosses itself."""
    points = vertices[loop]
    centred = points - points.mean(axis=0)
    _, scale, axes = np.linalg.svd(centred, full_matrices=False)
    if scale[1] < 1e-9 or scale[2] > FLATNESS * scale[1]:
        return None
    flat = centred @ axes[:2].T
    area = 0.5 * float(np.sum(flat[:, 0] * np.roll(flat[:, 1], -1) - np.roll(flat[:, 0], -1) * flat[:, 1]))
    if area < 0:  # the triangulator wants counter-clockwise rims; mirror the plane, not the loop's sense
        flat = flat * [1.0, -1.0]
    triangles = np.asarray(manifold3d.triangulate([flat]), dtype=np.int64)
    if len(triangles) != len(loop) - 2:
        return None
    # The triangles run with the loop, so each lid edge is opposed to its neighbour in the surface.
    return loop[triangles]
