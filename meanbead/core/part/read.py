"""Read a part file into triangles, and say clearly why a file cannot be read.

Formats: STL (binary and ASCII), OBJ, 3MF, PLY, STEP, and zip archives of these. Sizes are limited here, before anything costly is done.
"""

from __future__ import annotations

import io
import re
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from meanbead.core.errors import PartError
from meanbead.core.part.archive import is_threemf, model_of
from meanbead.core.part.threemf import read_threemf
from meanbead.core.runtime import limits

__all__ = ["RawMesh", "read_mesh"]

_STL_HEADER = 84
_STL_RECORD = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("spare", "<u2")])


@dataclass(frozen=True)
class RawMesh:
    """Triangles as the file gives them.

    ``vertices`` float64 (n, 3) in the file's unit, ``faces`` int64 (m, 3). ``unit_mm`` is the unit's length in mm where
    the file states one, else None. ``notes`` are sentences about what had to be understood charitably.
    """

    vertices: NDArray[np.float64]
    faces: NDArray[np.int64]
    unit_mm: float | None = None
    notes: tuple[str, ...] = ()


def read_mesh(data: bytes, filename: str, member: str = "") -> RawMesh:
    """Read a part file; the content decides the format, the name's ending only settles doubt. ``member`` names the model
    of an archive with several.

    Raises :class:`SeveralModels` where none is named, and :class:`PartError` with a sentence for the user where the file is empty, truncated, too large or no mesh.
    """
    if not data:
        raise PartError("The file is empty.", field="file", remedy="Export the part again and check its size.")
    if len(data) > limits.PART_FILE_BYTES:
        raise PartError(
            f"The file is {len(data) / limits.MB:.1f} MB; the limit is {limits.megabytes(limits.PART_FILE_BYTES)}.",
            field="file",
            remedy="Export it with fewer triangles.",
            code="over_limit",
        )
    ending = filename.rsplit(".", 1)[-1].lower() if "." in filename else ""
    if data[:2] == b"PK" and ending != "3mf" and not is_threemf(data):
        return read_mesh(*model_of(data, member))
    if data[:2] == b"PK":
        raw = read_threemf(data, limits.TRIANGLES)
        mesh = RawMesh(raw.vertices, raw.faces, raw.unit_mm)
    elif ending == "3mf":
        raise PartError(
            "This is named .3mf but is not a 3MF archive.", field="file", remedy="Export the part again as STL or 3MF."
        )
    elif ending == "obj":
        mesh = _read_obj(data)
    elif data[:4] in (b"ply\n", b"ply\r") or ending == "ply":
        mesh = _read_ply(data)
    elif data[:12] == b"ISO-10303-21" or ending in ("step", "stp"):
        mesh = _read_step(data)
    elif ending == "stl" or _looks_like_stl(data):
        mesh = _read_stl(data)
    else:
        raise PartError(
            "This is not a part file that can be read here.",
            field="file",
            remedy="Use STL, OBJ, 3MF, PLY or STEP, exported from the program that the part was drawn in, or a zip of these.",
        )
    _check_numbers(mesh)
    return mesh


def _looks_like_stl(data: bytes) -> bool:
    if data[:5].lower() == b"solid" and b"facet" in data[:2000]:
        return True
    return len(data) >= _STL_HEADER and len(data) == _STL_HEADER + 50 * int.from_bytes(data[80:84], "little")


def _read_stl(data: bytes) -> RawMesh:
    count = int.from_bytes(data[80:84], "little") if len(data) >= _STL_HEADER else 0
    exact = len(data) == _STL_HEADER + 50 * count
    if not exact and data[:5].lower() == b"solid" and _is_text(data):
        return _read_ascii_stl(data)
    if len(data) < _STL_HEADER:
        raise PartError(
            f"The STL file ends after {len(data)} bytes, before its first triangle.",
            field="file",
            remedy="It was cut off while saving or sending: export or copy it again.",
        )
    if count > limits.TRIANGLES and len(data) - _STL_HEADER > 50 * limits.TRIANGLES:
        raise _too_many(count)
    whole = (len(data) - _STL_HEADER) // 50
    if whole < count:
        raise PartError(
            f"The STL file promises {count:,} triangles but holds {whole:,}.",
            field="file",
            remedy="It was cut off while saving or sending: export or copy it again.",
        )
    if count == 0:
        raise PartError(
            "The STL file holds no triangles.", field="file", remedy="Export the part again, with the body selected."
        )
    if whole > count and (len(data) - _STL_HEADER) % 50 == 0:
        raise PartError(
            f"The STL file says {count:,} triangles but holds {whole:,}.",
            field="file",
            remedy="Its triangle count is wrong, so it cannot be trusted: export the part again.",
        )
    records = np.frombuffer(data, _STL_RECORD, count, _STL_HEADER)
    with np.errstate(invalid="ignore"):  # what is no number is told below
        corners = records["corners"].astype(np.float64).reshape(-1, 3)
    spare = len(data) - _STL_HEADER - 50 * count
    notes = (f"{spare} stray bytes after the last triangle were ignored.",) if spare else ()
    return RawMesh(corners, np.arange(len(corners), dtype=np.int64).reshape(-1, 3), None, notes)


def _is_text(data: bytes) -> bool:
    return b"\0" not in data[:4096]


def _read_ascii_stl(data: bytes) -> RawMesh:
    words = data.split()
    numbers: list[bytes] = []
    facets = data.count(b"endfacet")
    if facets > limits.TRIANGLES:
        raise _too_many(facets)
    for place, word in enumerate(words):
        if word == b"vertex":
            numbers.extend(words[place + 1 : place + 4])
    if not numbers:
        raise PartError(
            "The STL file holds no triangles.", field="file", remedy="Export the part again, with the body selected."
        )
    if b"endsolid" not in data or len(numbers) % 9 or len(numbers) // 9 != facets:
        raise PartError(
            f"The text STL file breaks off after {facets:,} whole triangles.",
            field="file",
            remedy="It was cut off while saving or sending: export or copy it again.",
        )
    try:
        corners = np.array(numbers, dtype=np.float64).reshape(-1, 3)
    except ValueError:
        raise PartError(
            "The text STL file has a corner that is not three numbers.",
            field="file",
            remedy="Export it again, with a point as the decimal sign.",
        ) from None
    return RawMesh(corners, np.arange(len(corners), dtype=np.int64).reshape(-1, 3))


def _read_obj(data: bytes) -> RawMesh:
    lines = data.count(b"\nf ") + data.startswith(b"f ")
    if lines > limits.TRIANGLES:
        raise _too_many(lines)
    import trimesh  # takes longer to load than most parts to read, and only this format needs it

    try:
        loaded: Any = trimesh.load(io.BytesIO(data), file_type="obj", process=False, force="mesh", skip_materials=True)
        vertices = np.asarray(loaded.vertices, dtype=np.float64)
        faces = np.asarray(loaded.faces, dtype=np.int64)
    except Exception:  # the loader raises whatever its parsing stumbles on
        vertices, faces = np.empty((0, 3)), np.empty((0, 3), np.int64)
    # The loader passes on corners of two numbers, and faces of other than three corners, as they come.
    whole = vertices.ndim == faces.ndim == 2 and vertices.shape[1] == faces.shape[1] == 3
    if not whole or not len(faces):
        raise PartError(
            "No faces could be read from the OBJ file.",
            field="file",
            remedy="Export the part again as OBJ with polygons (not curves), or as STL.",
        )
    return RawMesh(vertices, faces)


def _read_ply(data: bytes) -> RawMesh:
    head = data[:100_000].split(b"end_header", 1)
    counts = dict(re.findall(rb"element\s+(vertex|face)\s+(\d{1,18})", head[0]))
    if len(head) < 2 or not data.startswith(b"ply") or b"vertex" not in counts:
        raise PartError(
            "The PLY file has no header that can be read.", field="file", remedy="Export the part again as PLY or STL."
        )
    if int(counts.get(b"face", 0)) == 0:
        raise PartError(
            "The PLY file holds points, but no faces.",
            field="file",
            remedy="Have the scanning program make a surface of them.",
        )
    # A triangle takes at least seven bytes: a header that promises more than the file holds was cut off, or lies.
    if int(counts[b"face"]) > limits.TRIANGLES:
        raise _too_many(int(counts[b"face"]))
    if 7 * int(counts[b"face"]) + 6 * int(counts[b"vertex"]) > len(data):
        raise PartError(
            f"The PLY file promises {int(counts[b'face']):,} faces but is too short for them.",
            field="file",
            remedy="It was cut off while saving or sending: export or copy it again.",
        )
    import trimesh

    try:
        loaded: Any = trimesh.load(io.BytesIO(data), file_type="ply", process=False, force="mesh")
        vertices, faces = np.asarray(loaded.vertices, dtype=np.float64), np.asarray(loaded.faces, dtype=np.int64)
    except Exception:  # the loader raises whatever its parsing stumbles on
        vertices, faces = np.empty((0, 3)), np.empty((0, 3), np.int64)
    whole = vertices.ndim == faces.ndim == 2 and vertices.shape[1] == faces.shape[1] == 3
    if not whole or not len(faces):
        raise PartError(
            "No faces could be read from the PLY file.", field="file", remedy="Export the part again as PLY or STL."
        )
    return RawMesh(vertices, faces)


def _read_step(data: bytes) -> RawMesh:
    if not data.startswith(b"ISO-10303-21"):
        raise PartError(
            "This is named as a STEP file but is none.", field="file", remedy="Export the part again as STEP or STL."
        )
    from meanbead.core.part.step import read_step

    # The file states its own unit, and its length is in millimetres here.
    return RawMesh(*read_step(data), unit_mm=1.0)


def _check_numbers(mesh: RawMesh) -> None:
    if len(mesh.faces) > limits.TRIANGLES:
        raise _too_many(len(mesh.faces))
    if mesh.faces.min() < 0 or mesh.faces.max() >= len(mesh.vertices):
        raise PartError("A triangle names a corner that does not exist.", field="file", remedy="Export the part again.")
    used = mesh.vertices[mesh.faces.ravel()]
    bad = int(np.count_nonzero(~np.isfinite(used).all(axis=1)))
    if bad:
        raise PartError(
            f"{bad:,} corners are not numbers (NaN or infinite).",
            field="file",
            remedy="The exporting program wrote a broken file: export it again, or mend the body there first.",
        )


def _too_many(count: int) -> PartError:
    return PartError(
        f"The part has {count:,} triangles; the limit is {limits.TRIANGLES:,}.",
        field="file",
        remedy="Export it with a coarser resolution; 0.01 mm is finer than any print.",
        code="over_limit",
    )
