"""Read the meshes of a 3MF archive (3MF Core Specification 1.3): objects, components, build items, unit.

The archive comes from strangers. Its unpacked size is bounded before and while unpacking, paths that climb out are
refused, and XML entities are not expanded.
"""

from __future__ import annotations

import io
import zipfile
import zlib
from dataclasses import dataclass, field
from xml.etree.ElementTree import Element, ParseError

import defusedxml.ElementTree as SafeXml
import numpy as np
from defusedxml.common import DefusedXmlException
from numpy.typing import NDArray

from meanbead.core.errors import PartError
from meanbead.core.part.archive import bomb, check_entries
from meanbead.core.runtime import limits

__all__ = ["ThreeMfMesh", "read_threemf"]

UNIT_MM = {
    "micron": 0.001,
    "millimeter": 1.0,
    "centimeter": 10.0,
    "inch": 25.4,
    "foot": 304.8,
    "meter": 1000.0,
}
_NS = "{http://schemas.microsoft.com/3dmanufacturing/core/2015/02}"
_DAMAGED = (zipfile.BadZipFile, zlib.error, EOFError, RuntimeError, OSError, ValueError)
"""What unpacking a damaged archive raises; an unknown way of packing is a RuntimeError, too."""

_Matrix = NDArray[np.float64]


@dataclass(frozen=True)
class ThreeMfMesh:
    """All build items joined: vertices float64 (n, 3) in the file's unit, faces int64 (m, 3), unit in mm."""

    vertices: NDArray[np.float64]
    faces: NDArray[np.int64]
    unit_mm: float


@dataclass
class _Object:
    vertices: NDArray[np.float64] = field(default_factory=lambda: np.empty((0, 3)))
    faces: NDArray[np.int64] = field(default_factory=lambda: np.empty((0, 3), np.int64))
    components: list[tuple[str, _Matrix]] = field(default_factory=list)


def read_threemf(data: bytes, max_triangles: int) -> ThreeMfMesh:
    """Read an archive's build items. Raises :class:`PartError` where the archive is unsafe or holds no mesh."""
    root = _model_root(data)
    unit = UNIT_MM.get(root.get("unit", "millimeter"))
    if unit is None:
        raise PartError(
            f"The 3MF file uses a unit that is not known: {root.get('unit')!r:.40}.",
            field="file",
            remedy="Export it again in millimetres.",
        )
    objects: dict[str, _Object] = {}
    total = 0
    for node in root.iter(f"{_NS}object"):
        mesh = _read_object(node)
        total += len(mesh.faces)
        if total > max_triangles:
            raise PartError(
                f"The part has more than {max_triangles:,} triangles.",
                field="file",
                remedy="Export it with a coarser resolution; 0.01 mm is finer than any print.",
            )
        objects[node.get("id", "")] = mesh
    items = [(n.get("objectid", ""), _transform(n.get("transform"))) for n in root.iter(f"{_NS}item")]
    if not items:
        items = [(name, np.eye(4)) for name, mesh in objects.items() if len(mesh.faces)]
    pieces: list[tuple[NDArray[np.float64], NDArray[np.int64]]] = []
    placed = [0, 0]
    for name, matrix in items:
        _place(objects, name, matrix, pieces, 0, placed, max_triangles)
    if not sum(len(f) for _, f in pieces):
        raise PartError("The 3MF file holds no mesh.", field="file", remedy="Export it again, with the body selected.")
    offsets = np.cumsum([0] + [len(v) for v, _ in pieces[:-1]])
    vertices = np.concatenate([v for v, _ in pieces])
    faces = np.concatenate([f + o for (_, f), o in zip(pieces, offsets, strict=True)])
    return ThreeMfMesh(vertices, faces, unit)


def _model_root(data: bytes) -> Element:
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            name = _model_entry(archive)
            with archive.open(name) as stream:
                content = stream.read(limits.UNPACKED_BYTES + 1)
    except PartError:
        raise
    except _DAMAGED:
        raise PartError(
            "The 3MF archive is damaged and cannot be unpacked.", field="file", remedy="Export or copy it again."
        ) from None
    if len(content) > limits.UNPACKED_BYTES:
        raise bomb("3MF archive")
    try:
        root: Element = SafeXml.fromstring(content, forbid_dtd=True)
    except DefusedXmlException:
        raise PartError(
            "The 3MF file defines XML entities, which no part needs and which can be used to attack a program.",
            field="file",
            remedy="Export the part again from the program that it was drawn in.",
        ) from None
    except ParseError:
        raise PartError(
            "The 3MF file's model is not well-formed XML.", field="file", remedy="Export or copy it again."
        ) from None
    return root


def _model_entry(archive: zipfile.ZipFile) -> str:
    """The name of the model's entry; hostile archives are refused."""
    check_entries(archive, "3MF archive")
    models = [entry.filename for entry in archive.infolist() if entry.filename.lower().endswith(".model")]
    if not models:
        raise PartError("The archive holds no 3D model.", field="file", remedy="Export the part again as 3MF or STL.")
    preferred = [name for name in models if name.lower() == "3d/3dmodel.model"]
    return (preferred or models)[0]


def _read_object(node: Element) -> _Object:
    found = _Object()
    try:
        mesh = node.find(f"{_NS}mesh")
        if mesh is not None:
            corners = [(v.get("x"), v.get("y"), v.get("z")) for v in mesh.iter(f"{_NS}vertex")]
            faces = [(t.get("v1"), t.get("v2"), t.get("v3")) for t in mesh.iter(f"{_NS}triangle")]
            if corners and faces:
                found.vertices = np.array(corners, dtype=np.float64)
                found.faces = np.array(faces, dtype=np.int64)
                if found.faces.min() < 0 or found.faces.max() >= len(found.vertices):
                    raise ValueError("index")
        found.components = [
            (c.get("objectid", ""), _transform(c.get("transform"))) for c in node.iter(f"{_NS}component")
        ]
    except (TypeError, ValueError):
        raise PartError(
            "The 3MF file has a corner or triangle that is not three numbers.",
            field="file",
            remedy="Export it again.",
        ) from None
    return found


def _transform(text: str | None) -> _Matrix:
    """3MF's 12 numbers, row vectors times a 4x3 matrix, as a 4x4 matrix for column vectors."""
    matrix = np.eye(4)
    if text:
        try:
            numbers = np.array(text.split(), dtype=np.float64)
        except ValueError:
            numbers = np.empty(0)
        if numbers.shape != (12,):
            raise PartError("The 3MF file has a broken transform.", field="file", remedy="Export it again.")
        matrix[:3, :] = numbers.reshape(4, 3).T
    return matrix


def _place(
    objects: dict[str, _Object],
    name: str,
    matrix: _Matrix,
    pieces: list[tuple[NDArray[np.float64], NDArray[np.int64]]],
    depth: int,
    placed: list[int],
    max_triangles: int,
) -> None:
    mesh = objects.get(name)
    placed[0] += 1
    # Components may repeat each other without end, or double at each level: both counts are bounded.
    if mesh is None or depth > limits.COMPONENT_DEPTH or placed[0] > limits.PLACED_OBJECTS:
        raise PartError(
            "The 3MF file's components do not add up to a part.", field="file", remedy="Export the part again as STL."
        )
    if len(mesh.faces):
        placed[1] += len(mesh.faces)
        if placed[1] > max_triangles:
            raise PartError(
                f"The part has more than {max_triangles:,} triangles.",
                field="file",
                remedy="Export fewer copies, or with a coarser resolution.",
            )
        pieces.append((mesh.vertices @ matrix[:3, :3].T + matrix[:3, 3], mesh.faces))
    for child, transform in mesh.components:
        _place(objects, child, matrix @ transform, pieces, depth + 1, placed, max_triangles)
