"""From triangles to a sound solid: closed, facing outwards, in millimetres, standing on the bed.

What can safely be mended is mended and said; what cannot is refused with the reason.
"""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from functools import cached_property

import manifold3d
import numpy as np
import trimesh
from numpy.typing import NDArray

from meanbead.core.errors import PartError, UnitUnclear
from meanbead.core.part.read import RawMesh

UNIT_MM = {"mm": 1.0, "inch": 25.4, "m": 1000.0, "cm": 10.0}
MAX_SIZE_MM = 2000.0
MIN_SIZE_MM = 0.2
LOOKS_LIKE_INCHES_BELOW_MM = 8.0
LOOKS_LIKE_METRES_BELOW_MM = 0.5
MAX_HOLE_EDGES = 400
FLATNESS = 0.02


@dataclass(frozen=True)
class Solid:
    """A sound solid, dropped on the bed (lowest z is 0) and centred on x = y = 0.

    ``vertices`` float64 (n, 3) mm, ``faces`` int64 (m, 3), outward by the right-hand rule; ``mended`` are sentences.
    ``digest`` identifies the geometry.
    """

    vertices: NDArray[np.float64]
    faces: NDArray[np.int64]
    mended: tuple[str, ...]
    digest: str

    @cached_property
    def manifold(self) -> manifold3d.Manifold:
        """The solid for boolean and section work; made once, for that takes longer than slicing it."""
        return _manifold(self.vertices, self.faces)


def make_sound(raw: RawMesh, unit: str = "auto") -> Solid:
    """Weld, orient and close a mesh, in millimetres.

    ``unit`` is one of ``auto mm cm inch m``. ``auto`` takes the file's own unit, or millimetres, and raises
    :class:`UnitUnclear` when the size looks like inches or metres. Raises :class:`PartError` where the mesh has no
    area or volume, is too large or small, or cannot safely be closed.
    """
    vertices = raw.vertices * _unit_mm(raw, unit)
    _check_size(vertices[np.unique(raw.faces)])
    mended = list(raw.notes)
    mesh = trimesh.Trimesh(vertices, raw.faces, process=False, validate=False)
    mesh.merge_vertices(digits_vertex=5)
    keep = mesh.nondegenerate_faces(height=1e-7) & _first_of_each(mesh.faces)
    dropped = int(np.count_nonzero(~keep))
    mesh.update_faces(keep)
    mesh.remove_unreferenced_vertices()
    if not len(mesh.faces) or mesh.area < 1e-6:
        raise PartError(
            "The mesh has no area: all its triangles are points or lines.",
            field="file",
            remedy="Export the body itself, not a sketch or a path.",
        )
    if dropped:
        mended.append(f"{_count(dropped, 'triangle')} without area or laid twice {_was(dropped)} removed.")
    # Move before closing, so that the manifold made for the check is the one that is sliced.
    low, high = mesh.bounds
    mesh.vertices = mesh.vertices - [(low[0] + high[0]) / 2, (low[1] + high[1]) / 2, low[2]]
    _refuse_flat(mesh)
    manifold = _close(mesh, mended)
    vertices = np.asarray(mesh.vertices, dtype=np.float64)
    faces = np.asarray(mesh.faces, dtype=np.int64)
    digest = hashlib.sha256(np.round(vertices, 6).tobytes() + faces.tobytes()).hexdigest()
    solid = Solid(vertices, faces, tuple(mended), digest)
    solid.__dict__["manifold"] = manifold
    return solid


def solid_from_arrays(vertices: NDArray[np.float64], faces: NDArray[np.int64], digest: str) -> Solid:
    """A solid from arrays that :func:`make_sound` once returned, without checking them again."""
    return Solid(vertices, faces, (), digest)


def _unit_mm(raw: RawMesh, unit: str) -> float:
    if unit != "auto":
        if unit not in UNIT_MM:
            raise PartError(
                f"The unit {unit!r:.20} is not known.", field="unit", remedy=f"Use one of {', '.join(UNIT_MM)}."
            )
        return UNIT_MM[unit]
    if raw.unit_mm is not None:
        return raw.unit_mm
    used = raw.vertices[np.unique(raw.faces)]
    x, y, z = (float(v) for v in np.ptp(used, axis=0))
    largest = max(x, y, z)
    for limit, suggested, name in (
        (LOOKS_LIKE_METRES_BELOW_MM, "m", "metres"),
        (LOOKS_LIKE_INCHES_BELOW_MM, "inch", "inches"),
    ):
        if 0 < largest < limit:
            factor = UNIT_MM[suggested]
            raise UnitUnclear(
                f"Read as millimetres, this part is only {x:.3g} x {y:.3g} x {z:.3g} mm. It looks like {name}, which "
                f"would make it {x * factor:.3g} x {y * factor:.3g} x {z * factor:.3g} mm.",
                remedy="Say which unit the file is in.",
                extents=(x, y, z),
                suggested=suggested,
            )
    return 1.0


def _check_size(used: NDArray[np.float64]) -> None:
    x, y, z = (float(v) for v in np.ptp(used, axis=0))
    largest = max(x, y, z)
    size = f"{x:.4g} x {y:.4g} x {z:.4g} mm"
    if largest > MAX_SIZE_MM:
        raise PartError(
            f"The part is {size}, larger than {MAX_SIZE_MM:g} mm, which no machine here prints.",
            field="file",
            remedy="Check the unit that it was exported in, or cut it into pieces.",
        )
    if largest < MIN_SIZE_MM:
        raise PartError(
            f"The part is {size}, smaller than a single bead.",
            field="file",
            remedy="Check the unit that it was exported in.",
        )


def _first_of_each(faces: NDArray[np.int64]) -> NDArray[np.bool_]:
    """True for the first triangle of each set of corners in the same turning sense."""
    turned = np.array([np.roll(faces, -k, axis=1) for k in range(3)])
    first = turned[np.argmin(faces, axis=1), np.arange(len(faces))]
    _, index = np.unique(first, axis=0, return_index=True)
    mask = np.zeros(len(faces), dtype=bool)
    mask[index] = True
    return mask


def _close(mesh: trimesh.Trimesh, mended: list[str]) -> manifold3d.Manifold:
    """Mend ``mesh`` in place until it is an oriented closed manifold, and return that."""
    made = _manifold(mesh.vertices, mesh.faces)
    if not _is_sound(made) and not mesh.is_winding_consistent:
        before = mesh.faces.copy()
        trimesh.repair.fix_winding(mesh)  # type: ignore[no-untyped-call]
        flipped = int(np.count_nonzero((before != mesh.faces).any(axis=1)))
        if flipped:
            mended.append(f"{_count(flipped, 'flipped triangle')} {_was(flipped)} turned to face the same way.")
        made = _manifold(mesh.vertices, mesh.faces)
    if not _is_sound(made) and not mesh.is_watertight:
        filled = _fill_flat_holes(mesh)
        if filled:
            mended.append(f"{_count(filled, 'flat hole')} in the surface {_was(filled)} closed.")
            if not mesh.is_winding_consistent:
                trimesh.repair.fix_winding(mesh)  # type: ignore[no-untyped-call]
            made = _manifold(mesh.vertices, mesh.faces)
    if _is_sound(made):
        volume = float(made.volume())
        if abs(volume) < 1e-3:
            raise _no_volume()
        if volume < 0:
            mesh.invert()
            mended.append("The whole surface faced inwards and was turned.")
            made = _manifold(mesh.vertices, mesh.faces)
        return made
    open_edges = len(_open_edges(mesh))
    if open_edges:
        raise PartError(
            f"The surface is not closed: {_count(open_edges, 'edge')} {'has' if open_edges == 1 else 'have'} nothing on"
            " one side, and the gaps cannot be closed without guessing.",
            field="file",
            remedy="Close the body in the program that it was drawn in, and export it again.",
        )
    raise PartError(
        "The surface does not enclose a solid: more than two triangles meet in one edge, or it crosses itself there.",
        field="file",
        remedy="Join the bodies into one solid in the program that it was drawn in, and export it again.",
    )


def _manifold(vertices: NDArray[np.float64], faces: NDArray[np.int64]) -> manifold3d.Manifold:
    return manifold3d.Manifold(
        manifold3d.Mesh64(
            vert_properties=np.ascontiguousarray(vertices, dtype=np.float64),
            tri_verts=np.ascontiguousarray(faces, dtype=np.uint64),
        )
    )


def _refuse_flat(mesh: trimesh.Trimesh) -> None:
    """Refuse corners that all lie in one plane, whichever way it is tilted."""
    centred = np.asarray(mesh.vertices) - np.asarray(mesh.vertices).mean(axis=0)
    thickness = float(np.sqrt(max(0.0, np.linalg.eigvalsh(centred.T @ centred / len(centred))[0])))
    if thickness < 1e-4:
        raise _no_volume()


def _no_volume() -> PartError:
    return PartError(
        "The mesh has no volume: it is a flat sheet.",
        field="file",
        remedy="Give the body a thickness in the program that it was drawn in.",
    )


def _is_sound(made: manifold3d.Manifold) -> bool:
    return bool(made.status() == manifold3d.Error.NoError and made.num_tri() > 0)


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


def _count(number: int, noun: str) -> str:
    return f"{number:,} {noun}{'' if number == 1 else 's'}"


def _was(number: int) -> str:
    return "was" if number == 1 else "were"
