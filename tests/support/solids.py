"""Solids with closed forms, as sound meshes."""

from __future__ import annotations

import io

import manifold3d
import numpy as np
import trimesh

from meanbead.core.part.read import RawMesh
from meanbead.core.part.solid import Solid, make_solid


def sound(mesh: trimesh.Trimesh) -> Solid:
    """A trimesh as a sound solid."""
    return make_solid(RawMesh(mesh.vertices, mesh.faces), "mm")


def box(x: float, y: float, z: float) -> Solid:
    """A box."""
    return sound(trimesh.creation.box((x, y, z)))


def solid_of(manifold: manifold3d.Manifold) -> Solid:
    """A manifold as a sound solid."""
    mesh = manifold.to_mesh()
    return make_solid(RawMesh(np.asarray(mesh.vert_properties, float)[:, :3], np.asarray(mesh.tri_verts, int)), "mm")


def block(x: float, y: float, z: float, at: tuple[float, float, float] = (0, 0, 0)) -> manifold3d.Manifold:
    """A box with its low corner at a place, to build solids from."""
    return manifold3d.Manifold.cube((x, y, z)).translate(at)


def table(span: float, width: float = 20, leg: float = 6, height: float = 10, top: float = 2) -> Solid:
    """Two walls with a plate across: its underside between the walls is a bridge."""
    long = span + 2 * leg
    return solid_of(
        block(leg, width, height)
        + block(leg, width, height, (long - leg, 0, 0))
        + block(long, width, top, (0, 0, height))
    )


def ledge(reach: float, width: float = 20, height: float = 10, top: float = 2) -> Solid:
    """A wall with a plate that stands out to one side: an overhang that rests on nothing."""
    return solid_of(block(6, width, height) + block(6 + reach, width, top, (0, 0, height)))


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
    return data.encode() if isinstance(data, str) else data  # type: ignore[return-value]


def obj_bytes(mesh: trimesh.Trimesh) -> bytes:
    """A mesh as OBJ."""
    buffer = io.BytesIO()
    mesh.export(buffer, file_type="obj")
    return buffer.getvalue()


def spur_gear(teeth: int = 24, root: float = 18.5, tip: float = 21.0, bore: float = 4.0, height: float = 8.0) -> Solid:
    """A spur gear with rounded teeth, its bore through it: few layers, narrow tips."""
    steps = 12
    turn = np.arange(teeth * steps) / (teeth * steps)
    phase = np.arange(teeth * steps) % steps / steps
    radius = tip - (tip - root) * np.clip((np.abs(phase - 0.5) - 0.15) / 0.15, 0, 1)
    rim = np.column_stack([radius * np.cos(2 * np.pi * turn), radius * np.sin(2 * np.pi * turn)])
    back = -2 * np.pi * np.arange(96) / 96
    hole = bore * np.column_stack([np.cos(back), np.sin(back)])
    return solid_of(manifold3d.CrossSection([rim, hole]).extrude(height))
