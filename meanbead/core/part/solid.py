"""From triangles to a sound solid: closed, facing outwards, in millimetres, standing on the bed.

What can safely be mended is mended and said; what cannot is refused with the reason.
"""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from functools import cached_property

import manifold3d
import numpy as np
from numpy.typing import NDArray

from meanbead.core.errors import OpenSurface, PartError, UnitUnclear
from meanbead.core.part.read import RawMesh
from meanbead.core.part.wording import count_of, was

__all__ = [
    "MAX_SIZE_MM",
    "MIN_SIZE_MM",
    "Solid",
    "digest_of",
    "is_flat",
    "make_solid",
    "open_edges",
    "solid_from_arrays",
    "solid_manifold",
    "surface_of",
]

UNIT_MM = {"mm": 1.0, "inch": 25.4, "m": 1000.0, "cm": 10.0}
MAX_SIZE_MM = 2000.0
MIN_SIZE_MM = 0.2
LOOKS_LIKE_INCHES_BELOW_MM = 8.0
LOOKS_LIKE_METRES_BELOW_MM = 0.5
WELD_MM = 1e-5


@dataclass(frozen=True)
class Solid:
    """A sound solid, dropped on the bed (lowest z is 0) and centred on x = y = 0.

    ``vertices`` float64 (n, 3) mm, ``faces`` int64 (m, 3), outward by the right-hand rule; ``mended`` are sentences.
    ``digest`` identifies the geometry. ``guessed`` bool (m,) marks triangles that no file held: the surface was open there
    and somebody has agreed to guess; None where nothing was.
    """

    vertices: NDArray[np.float64]
    faces: NDArray[np.int64]
    mended: tuple[str, ...]
    digest: str
    guessed: NDArray[np.bool_] | None = None

    @cached_property
    def manifold(self) -> manifold3d.Manifold:
        """The solid for boolean and section work; made once, for that takes longer than slicing it."""
        return _manifold(self.vertices, self.faces)


def make_solid(raw: RawMesh, unit: str = "auto") -> Solid:
    """Weld, orient and close a mesh, in millimetres.

    ``unit`` is one of ``auto mm cm inch m``. ``auto`` takes the file's own unit, or millimetres, and raises
    :class:`UnitUnclear` when the size looks like inches or metres. Raises :class:`PartError` where the mesh has no
    area or volume, is too large or small, or cannot safely be closed.
    """
    vertices, faces, mended = surface_of(raw, unit)
    _refuse_flat(vertices, faces)
    made = solid_manifold(vertices, faces)
    if made is None:
        # The repair library takes longer to load than a sound part to check.
        from meanbead.core.part.repair import repair_surface, why_unsound

        vertices, faces, done = repair_surface(vertices, faces)
        mended += done
        made = solid_manifold(vertices, faces)
        if made is None:
            raise why_unsound(vertices, faces)
    volume = float(made.volume())
    if abs(volume) < 1e-3:
        raise _no_volume()
    if volume < 0:
        faces = np.ascontiguousarray(faces[:, ::-1])
        mended.append("The whole surface faced inwards and was turned.")
        made = _manifold(vertices, faces)
    solid = Solid(vertices, faces, tuple(mended), digest_of(vertices, faces))
    solid.__dict__["manifold"] = made
    return solid


def surface_of(raw: RawMesh, unit: str = "auto") -> tuple[NDArray[np.float64], NDArray[np.int64], list[str]]:
    """A mesh as a welded surface in millimetres, centred, its lowest corner at z = 0; and what was mended.

    Raises :class:`UnitUnclear` and :class:`PartError` as :func:`make_solid` does.
    """
    vertices = raw.vertices * _unit_mm(raw, unit)
    _check_size(vertices[np.unique(raw.faces)])
    mended = list(raw.notes)
    vertices, faces, dropped = _weld(vertices, raw.faces)
    if not len(faces):
        raise PartError(
            "The mesh has no area: all its triangles are points or lines.",
            field="file",
            remedy="Export the body itself, not a sketch or a path.",
        )
    if dropped:
        mended.append(f"{count_of(dropped, 'triangle')} without area or laid twice {was(dropped)} removed.")
    low, high = vertices.min(axis=0), vertices.max(axis=0)
    return vertices - [(low[0] + high[0]) / 2, (low[1] + high[1]) / 2, low[2]], faces, mended


def digest_of(vertices: NDArray[np.float64], faces: NDArray[np.int64]) -> str:
    """Identifies a geometry, to a millionth of a millimetre."""
    return hashlib.sha256(np.round(vertices, 6).tobytes() + faces.tobytes()).hexdigest()


def solid_from_arrays(vertices: NDArray[np.float64], faces: NDArray[np.int64], digest: str) -> Solid:
    """A solid from arrays that :func:`make_solid` once returned, without checking them again."""
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
            code="over_limit",
        )
    if largest < MIN_SIZE_MM:
        raise PartError(
            f"The part is {size}, smaller than a single bead.",
            field="file",
            remedy="Check the unit that it was exported in.",
        )


def _weld(
    vertices: NDArray[np.float64], faces: NDArray[np.int64]
) -> tuple[NDArray[np.float64], NDArray[np.int64], int]:
    """Join corners that agree to :data:`WELD_MM`, drop triangles without area and doubles; the third is how many."""
    grid = np.round(vertices / WELD_MM).astype(np.int64)
    order = np.lexsort(grid.T)
    fresh = np.ones(len(order), dtype=bool)
    fresh[1:] = np.any(np.diff(grid[order], axis=0) != 0, axis=1)
    group = np.empty(len(order), dtype=np.int64)
    group[order] = np.cumsum(fresh) - 1
    welded = vertices[order[fresh]]
    faces_in = group[faces]
    kept = faces_in[_has_area(welded, faces_in)]
    kept = kept[_first_of_each(kept)]
    used, inverse = np.unique(kept, return_inverse=True)
    return welded[used], inverse.reshape(-1, 3).astype(np.int64), len(faces) - len(kept)


def _has_area(vertices: NDArray[np.float64], faces: NDArray[np.int64]) -> NDArray[np.bool_]:
    """True for triangles whose least height is over a ten-thousandth of a micrometre."""
    a, b, c = (vertices[faces[:, k]] for k in range(3))
    double_area = np.linalg.norm(np.cross(b - a, c - a), axis=1)
    longest = np.max([np.linalg.norm(side, axis=1) for side in (b - a, c - b, a - c)], axis=0)
    fat: NDArray[np.bool_] = double_area > 1e-7 * longest
    return fat


def _first_of_each(faces: NDArray[np.int64]) -> NDArray[np.bool_]:
    """True for the first triangle of each set of corners in the same turning sense."""
    if not len(faces):
        return np.zeros(0, dtype=bool)
    lead = np.argmin(faces, axis=1)
    rows = np.arange(len(faces))
    turned = np.stack([faces[rows, (lead + k) % 3] for k in range(3)], axis=1)
    order = np.lexsort(turned.T)
    first = np.ones(len(faces), dtype=bool)
    first[1:] = np.any(np.diff(turned[order], axis=0) != 0, axis=1)
    mask = np.zeros(len(faces), dtype=bool)
    mask[order[first]] = True
    return mask


def _manifold(vertices: NDArray[np.float64], faces: NDArray[np.int64]) -> manifold3d.Manifold:
    return manifold3d.Manifold(
        manifold3d.Mesh64(
            vert_properties=np.ascontiguousarray(vertices, dtype=np.float64),
            tri_verts=np.ascontiguousarray(faces, dtype=np.uint64),
        )
    )


def _refuse_flat(vertices: NDArray[np.float64], faces: NDArray[np.int64]) -> None:
    """Refuse corners that all lie in one plane, whichever way it is tilted."""
    if is_flat(vertices):
        raise OpenSurface(
            "The mesh has no volume: it is a flat sheet.",
            remedy="Give it a thickness here, or in the program that it was drawn in.",
            surface=(vertices, faces),
            edges=open_edges(faces),
            sheets=True,
        )


def is_flat(vertices: NDArray[np.float64]) -> bool:
    """Whether corners, float64 (n, 3), all lie within a tenth of a micrometre of one plane."""
    centred = vertices - vertices.mean(axis=0)
    return float(np.sqrt(max(0.0, np.linalg.eigvalsh(centred.T @ centred / len(centred))[0]))) < 1e-4


def open_edges(faces: NDArray[np.int64]) -> NDArray[np.int64]:
    """Edges that do not have exactly one triangle on either side, int64 (k, 2)."""
    edges = np.sort(np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]]), axis=1)
    unique, counts = np.unique(edges, axis=0, return_counts=True)
    found: NDArray[np.int64] = unique[counts != 2]
    return found


def _no_volume() -> PartError:
    return PartError(
        "The mesh has no volume.",
        field="file",
        remedy="Give the body a thickness in the program that it was drawn in.",
    )


def solid_manifold(vertices: NDArray[np.float64], faces: NDArray[np.int64]) -> manifold3d.Manifold | None:
    """The solid that a surface encloses, or None where it is not closed and turned alike everywhere."""
    if not _edges_balance(faces):
        return None
    made = _manifold(vertices, faces)
    return made if made.status() == manifold3d.Error.NoError and made.num_tri() > 0 else None


def _edges_balance(faces: NDArray[np.int64]) -> bool:
    """True when each edge is run through once in each direction.

    Asked before the solid is made, because the solid library is not safe against arbitrary triangles.
    """
    start, end = faces.ravel(), np.roll(faces, -1, axis=1).ravel()
    if np.any(start == end):
        return False
    size = int(faces.max()) + 1
    forward = np.sort(start * size + end)
    backward = np.sort(end * size + start)
    return bool(np.all(np.diff(forward) > 0) and np.array_equal(forward, backward))
