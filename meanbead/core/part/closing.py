"""Close a surface by guessing, body by body, where a person has agreed to that.

Mending that needs no guess is :mod:`meanbead.core.part.repair`; here holes of any shape are filled, crossings within a body
are cut out, bodies are united, and sheets without thickness are given one where that is asked for. What was added is
known triangle by triangle, and what was left out is said.
"""

from __future__ import annotations

import tempfile
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import manifold3d
import numpy as np
from numpy.typing import NDArray

from meanbead.core.errors import PartError
from meanbead.core.model.part import Guesses
from meanbead.core.part.apart import run_apart
from meanbead.core.part.connected import surfaces_of
from meanbead.core.part.facts import part_facts
from meanbead.core.part.read import RawMesh
from meanbead.core.part.solid import Solid, digest_of, solid_manifold, surface_of
from meanbead.core.part.wording import count_of, was
from meanbead.core.runtime import limits

__all__ = ["Closed", "close_gaps"]

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
ProgressCallback = Callable[[float, str], None]

SHEET_MM = 0.15
"""A closed body with less volume per area than this is a sheet that was folded shut: it would print as nothing."""

OPEN_SHARE = 0.35
"""Where somebody gives sheets a thickness, a body that would have to get more of its surface than this is taken as one: a
bent sheet that is shut gets about half."""

_SAME_MM = 1e-4


@dataclass(frozen=True)
class Closed:
    """A solid with its guessed triangles marked, and what was guessed."""

    solid: Solid
    guesses: Guesses


@dataclass(frozen=True)
class _Body:
    vertices: Floats
    faces: Ints
    guessed: NDArray[np.bool_]


def close_gaps(
    raw: RawMesh,
    unit: str = "auto",
    sheet_mm: float | None = None,
    progress: ProgressCallback = lambda fraction, message: None,
) -> Closed:
    """Close a mesh's surface and say what was guessed; a surface that is sound comes back as it is, nothing guessed.

    ``sheet_mm`` is the thickness given to sheets, mm; None leaves them out. ``progress`` may raise to end it. Raises
    :class:`UnitUnclear`, and :class:`PartError` where nothing is left that encloses a volume.
    """
    vertices, faces, mended = surface_of(raw, unit)
    pieces = _bodies(vertices, faces)
    if len(pieces) > limits.BODIES_CLOSED:
        raise PartError(
            f"The surface falls into {len(pieces):,} pieces; up to {limits.BODIES_CLOSED:,} can be closed.",
            field="file",
            remedy="Join them in the program that it was drawn in.",
            code="over_limit",
        )
    sound = [_as_it_is(v, f) for v, f in pieces]
    broken = [k for k, solid in enumerate(sound) if solid is None]
    progress(0.05, f"{count_of(len(broken), 'open body')}, {len(pieces)} in all".replace("bodys", "bodies"))
    filled = _filled([pieces[k] for k in broken], lambda fraction, message: progress(0.05 + 0.75 * fraction, message))
    bodies: list[_Body] = [entry for entry in sound if entry is not None]
    sheets: list[tuple[Floats, Ints]] = []
    for k, made in zip(broken, filled, strict=True):
        if made is None or _is_sheet(made) or (sheet_mm is not None and _added_share(made) > OPEN_SHARE):
            sheets.append(pieces[k])
        else:
            bodies.append(made)
    thick = (
        []
        if sheet_mm is None
        else [plate for plate in (_thickened(*sheet, sheet_mm) for sheet in sheets) if plate is not None]
    )
    bodies += thick
    if not bodies:
        raise PartError(
            "Nothing of this surface encloses a volume: it is made of sheets without thickness.",
            field="sheet_mm",
            remedy="Give the sheets a thickness.",
        )
    progress(0.85, "joining the bodies")
    solid = _joined(bodies, mended)
    progress(0.97, "measuring it")
    closed = sum(1 for body in bodies if body.guessed.any()) - len(thick)
    return Closed(solid, _guesses(solid, len(pieces), closed, sheets, thick, sheet_mm))


def _bodies(vertices: Floats, faces: Ints) -> list[tuple[Floats, Ints]]:
    """Pieces of a surface that hang together by their corners, the one of most triangles first."""
    label = surfaces_of(faces, len(vertices))[1][faces[:, 0]]
    names, sizes = np.unique(label, return_counts=True)
    pieces = []
    for name in names[np.argsort(-sizes, kind="stable")]:
        used, mine = np.unique(faces[label == name], return_inverse=True)
        pieces.append((vertices[used], mine.reshape(-1, 3).astype(np.int64)))
    return pieces


def _as_it_is(vertices: Floats, faces: Ints) -> _Body | None:
    """A body that needs no guess, turned outwards if it faced inwards."""
    made = solid_manifold(vertices, faces)
    if made is None or abs(made.volume()) < 1e-3:
        return None
    faces = faces if made.volume() > 0 else np.ascontiguousarray(faces[:, ::-1])
    return _Body(vertices, faces, np.zeros(len(faces), dtype=bool))


def _filled(pieces: list[tuple[Floats, Ints]], progress: ProgressCallback) -> list[_Body | None]:
    """Bodies closed in a process of its own; None for those that come to nothing."""
    if not pieces:
        return []
    with tempfile.TemporaryDirectory(prefix="meanbead-close-") as folder:
        source, made = Path(folder, "open.npz"), Path(folder, "closed.npz")
        arrays: dict[str, Any] = {}
        for k, (vertices, faces) in enumerate(pieces):
            arrays[f"v{k}"], arrays[f"f{k}"] = vertices, faces
        np.savez(source, **arrays)

        def hear(line: str) -> None:
            done = int(line) if line.isdigit() else 0
            progress(done / len(pieces), f"body {min(done + 1, len(pieces))} of {len(pieces)}")

        run_apart("meanbead.core.part.closer", [str(source), str(made)], "closing the surface", hear=hear)
        found: list[_Body | None] = []
        with np.load(made) as closed_arrays:
            for k, (vertices, faces) in enumerate(pieces):
                closed = (
                    _as_it_is(closed_arrays[f"v{k}"].astype(np.float64), closed_arrays[f"f{k}"].astype(np.int64))
                    if len(closed_arrays[f"f{k}"])
                    else None
                )
                if closed is not None:
                    closed = _Body(closed.vertices, closed.faces, ~_known(closed, vertices, faces))
                found.append(closed)
    return found


def _known(body: _Body, vertices: Floats, faces: Ints) -> NDArray[np.bool_]:
    """Which of a body's triangles the surface had, bool (m,): by their corners, whatever their order."""

    def names(where: Floats, triangles: Ints) -> NDArray[np.void]:
        grid = np.round(where / _SAME_MM).astype(np.int64)[triangles]
        order = np.lexsort((grid[..., 2], grid[..., 1], grid[..., 0]), axis=1)
        rows = np.ascontiguousarray(np.take_along_axis(grid, order[..., None], axis=1).reshape(len(triangles), 9))
        return rows.view([("", np.int64)] * 9).ravel()

    return np.isin(names(body.vertices, body.faces), names(vertices, faces))


def _area_mm2(vertices: Floats, faces: Ints) -> Floats:
    a, b, c = (vertices[faces[:, k]] for k in range(3))
    area: Floats = np.linalg.norm(np.cross(b - a, c - a), axis=1) / 2
    return area


def _added_share(body: _Body) -> float:
    area = _area_mm2(body.vertices, body.faces)
    return float(area[body.guessed].sum() / max(area.sum(), 1e-9))


def _is_sheet(body: _Body) -> bool:
    corners = body.vertices[body.faces]
    volume = float(np.einsum("ij,ij->", corners[:, 0], np.cross(corners[:, 1], corners[:, 2])) / 6)
    return volume < SHEET_MM * float(_area_mm2(body.vertices, body.faces).sum()) / 2


def _thickened(vertices: Floats, faces: Ints, thickness_mm: float) -> _Body | None:
    """A sheet as a plate of some thickness, half to either side along the corners' normals; None where it branches."""
    starts, ends = faces.ravel(), np.roll(faces, -1, axis=1).ravel()
    count = len(vertices)
    forward = starts * count + ends
    if len(np.unique(forward)) != len(forward):
        return None
    rim = ~np.isin(forward, ends * count + starts)
    a, b, c = (vertices[faces[:, k]] for k in range(3))
    normal = np.zeros_like(vertices)
    across = np.cross(b - a, c - a)
    for k in range(3):
        np.add.at(normal, faces[:, k], across)
    normal /= np.maximum(np.linalg.norm(normal, axis=1), 1e-12)[:, None]
    upper, lower = vertices + normal * thickness_mm / 2, vertices - normal * thickness_mm / 2
    # Above as it was, below turned over, and two triangles along each open edge.
    sides = np.concatenate(
        [
            np.column_stack([ends[rim], starts[rim], starts[rim] + count]),
            np.column_stack([ends[rim], starts[rim] + count, ends[rim] + count]),
        ]
    )
    all_faces = np.concatenate([faces, faces[:, ::-1] + count, sides])
    body = _as_it_is(np.concatenate([upper, lower]), all_faces)
    return None if body is None else _Body(body.vertices, body.faces, np.ones(len(body.faces), dtype=bool))


def _joined(bodies: list[_Body], mended: list[str]) -> Solid:
    """All bodies as one solid; triangles keep whether they were guessed, through every cut."""
    if len(bodies) == 1:
        vertices, faces, guessed = bodies[0].vertices, bodies[0].faces, bodies[0].guessed
    else:
        made = manifold3d.Manifold.batch_boolean([_named(body) for body in bodies], manifold3d.OpType.Add)
        mesh = made.to_mesh64()
        vertices = np.asarray(mesh.vert_properties, dtype=np.float64)[:, :3]
        faces = np.asarray(mesh.tri_verts, dtype=np.int64)
        guessed = np.asarray(mesh.face_id, dtype=np.int64) % 2 == 1
    low, high = vertices.min(axis=0), vertices.max(axis=0)
    vertices = vertices - [(low[0] + high[0]) / 2, (low[1] + high[1]) / 2, low[2]]
    return Solid(vertices, faces, tuple(mended), digest_of(vertices, faces), guessed)


def _named(body: _Body) -> manifold3d.Manifold:
    """A body whose triangles carry odd numbers where they were guessed, even ones elsewhere; each is a face of its own, so
    that none is merged with another kind."""
    numbers = 2 * np.arange(len(body.faces), dtype=np.uint64) + body.guessed
    return manifold3d.Manifold(
        manifold3d.Mesh64(
            vert_properties=np.ascontiguousarray(body.vertices, dtype=np.float64),
            tri_verts=np.ascontiguousarray(body.faces, dtype=np.uint64),
            face_id=numbers.astype(np.uint64),
        )
    )


def _guesses(
    solid: Solid,
    pieces: int,
    closed: int,
    sheets: list[tuple[Floats, Ints]],
    thick: list[_Body],
    sheet_mm: float | None,
) -> Guesses:
    area = _area_mm2(solid.vertices, solid.faces)
    guessed = solid.guessed if solid.guessed is not None else np.zeros(len(area), dtype=bool)
    added, whole = float(area[guessed].sum()), float(area.sum())
    says = []
    if closed:
        of = "The surface" if pieces == 1 else f"{closed} of {pieces} bodies"
        says.append(
            f"{of} {was(closed)} closed by guessing: {added / 100:.1f} cm² were added, {100 * added / whole:.1f} % of it all."
        )
    if thick:
        says.append(f"{count_of(len(thick), 'sheet')} {was(len(thick))} given a thickness of {sheet_mm:g} mm.")
    left = len(sheets) - len(thick)
    if left:
        lost = sum(float(_area_mm2(*sheet).sum()) for sheet in sheets) if not thick else 0.0
        about = f", {lost / 100:.1f} cm² in all," if lost else ""
        why = (
            "branch where more than two surfaces meet"
            if sheet_mm is not None
            else "have no thickness and enclose nothing"
        )
        says.append(f"{count_of(left, 'sheet')}{about} {was(left)} left out: they {why}.")
    return Guesses(
        added_mm2=added, share=added / max(whole, 1e-9), volume_mm3=part_facts(solid).volume_mm3, sentences=says
    )
