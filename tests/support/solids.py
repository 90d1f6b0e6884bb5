"""Solids with closed forms, as sound meshes."""

from __future__ import annotations

import io

import trimesh

from meanbead.core.part.read import RawMesh
from meanbead.core.part.sound import Solid, make_sound


def sound(mesh: trimesh.Trimesh) -> Solid:
    """A trimesh as a sound solid."""
    return make_sound(RawMesh(mesh.vertices, mesh.faces), "mm")


def box(x: float, y: float, z: float) -> Solid:
    """A box."""
    return sound(trimesh.creation.box((x, y, z)))


def cylinder(radius: float, height: float, sections: int = 256) -> Solid:
    """An upright cylinder."""
    return sound(trimesh.creation.cylinder(radius, height, sections=sections))


def cone(radius: float, height: float, sections: int = 256) -> Solid:
    """An upright cone."""
    return sound(trimesh.creation.cone(radius, height, sections=sections))


def sphere(radius: float, subdivisions: int = 5) -> Solid:
    """A sphere."""
    return sound(trimesh.creation.icosphere(subdivisions=subdivisions, radius=radius))


def stl_bytes(mesh: trimesh.Trimesh, *, text: bool = False) -> bytes:
    """A mesh as STL, binary or text."""
    data = mesh.export(file_type="stl_ascii" if text else "stl")
    return data.encode() if isinstance(data, str) else data


def obj_bytes(mesh: trimesh.Trimesh) -> bytes:
    """A mesh as OBJ."""
    buffer = io.BytesIO()
    mesh.export(buffer, file_type="obj")
    return buffer.getvalue()
