"""The sample parts. Each one is there for a lesson about settings."""

from __future__ import annotations

import io
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from manifold3d import CrossSection, JoinType, Manifold, OpType

SEGMENTS = 96
_ADD = OpType.Add


@dataclass(frozen=True)
class SamplePart:
    """A part with its name, file name and lesson."""

    name: str
    file_name: str
    note: str
    make: Callable[[], Manifold]


def as_stl(solid: Manifold) -> bytes:
    """A solid as a binary STL file."""
    import trimesh  # half a second to load

    mesh = solid.to_mesh()
    made = trimesh.Trimesh(mesh.vert_properties[:, :3], mesh.tri_verts, process=False)
    buffer = io.BytesIO()
    made.export(buffer, file_type="stl")
    return buffer.getvalue()


def _box(x: float, y: float, z: float, at: tuple[float, float, float] = (0, 0, 0)) -> Manifold:
    return Manifold.cube((x, y, z), False).translate(at)


def _rod(
    height: float, radius: float, at: tuple[float, float, float] = (0, 0, 0), top: float | None = None
) -> Manifold:
    return Manifold.cylinder(height, radius, radius if top is None else top, SEGMENTS).translate(at)


def _rounded_plate(x: float, y: float, z: float, radius: float) -> Manifold:
    core = CrossSection.square((x - 2 * radius, y - 2 * radius), True)
    return core.offset(radius, JoinType.Round, 2.0, SEGMENTS).extrude(z)


def herb_trough() -> Manifold:
    """A trough whose wall is 2.35 mm thick: two lines a side leave a sliver to be filled, three a side fill it."""
    wall = 2.35
    outer = _rounded_plate(104, 46, 58, 11)
    inner = _rounded_plate(104 - 2 * wall, 46 - 2 * wall, 58, 11 - wall).translate((0, 0, 2))
    drains = Manifold.batch_boolean([_rod(6, 3, (x, 0, -1)) for x in (-30, 0, 30)], _ADD)
    return outer - inner - drains


def shelf_bracket() -> Manifold:
    """A solid bracket with two screw holes and a brace."""
    profile = CrossSection([[(0, 0), (70, 0), (70, 8), (26, 12), (12, 26), (8, 70), (0, 70)]])
    body = profile.extrude(22).rotate((90, 0, 0)).translate((0, 11, 0))
    down = _rod(30, 2.6, (55, 0, -5))
    through = _rod(40, 2.6).rotate((0, 90, 0)).translate((-5, 0, 58))
    return body - down - through


def domed_knob() -> Manifold:
    """A fluted knob with a domed top, on which layer steps show."""
    base = _rod(14, 21)
    dome = Manifold.sphere(30, 128).translate((0, 0, -8)) ^ _rod(30, 21)
    knob = base + (dome ^ _rod(40, 40, (0, 0, 13)))
    for index in range(12):
        angle = index * np.pi / 6
        knob = knob - _rod(40, 3.2, (22.4 * np.cos(angle), 22.4 * np.sin(angle), -1))
    return knob - _rod(12, 3.1, (0, 0, -1))


def drain_plate() -> Manifold:
    """A plate with many small holes, where travel and retraction decide the time."""
    plate = _rounded_plate(84, 84, 4, 6)
    holes = [
        Manifold.cylinder(10, 1.9, 1.9, 24).translate((7.0 * (i - 5) + 3.5 * (j % 2) - 1.75, 6.6 * (j - 5), -3))
        for i in range(11)
        for j in range(11)
    ]
    return plate - Manifold.batch_boolean(holes, _ADD)


def bin_tag() -> Manifold:
    """A tag with raised letters, whose detail is lost with wide lines."""
    tag = _rounded_plate(64, 24, 2.4, 4) - _rod(10, 2.2, (-27, 0, -2))
    letters = [_letter(rows).translate((-21 + 8.6 * place, -5.6, 2.4)) for place, rows in enumerate(_BOLT5)]
    return tag + Manifold.batch_boolean(letters, _ADD)


def flag_post() -> Manifold:
    """A tall slender post: small layers that have to wait for cooling, and a footprint that tips."""
    return _rod(3, 9) + _rod(150, 3.4) + Manifold.sphere(5.2, 64).translate((0, 0, 150))


def tool_box() -> Manifold:
    """A large open box with dividers: long straight moves, where wide lines and speed pay."""
    outer = _rounded_plate(180, 120, 62, 8)
    inner = _rounded_plate(174.6, 114.6, 62, 5.6).translate((0, 0, 2.4))
    walls = _box(2.4, 116, 50, (-30, -58, 0)) + _box(88, 2.4, 50, (-29, -1.2, 0))
    return (outer - inner) + walls


def snow_owl() -> Manifold:
    """A small figure: curves all round, overhangs under the wings, short strokes."""
    body = Manifold.sphere(15, 96).scale((1, 0.92, 1.25)).translate((0, 0, 17))
    head = Manifold.sphere(11, 96).translate((0, -1, 38))
    wing = Manifold.sphere(10, 64).scale((0.35, 0.8, 1.35))
    wings = wing.rotate((0, 14, 0)).translate((15, 1, 19)) + wing.rotate((0, -14, 0)).translate((-15, 1, 19))
    eye = Manifold.sphere(3.4, 48)
    eyes = eye.translate((4.2, -10.4, 40)) + eye.translate((-4.2, -10.4, 40))
    beak = Manifold.cylinder(5, 1.8, 0.3, 32).rotate((100, 0, 0)).translate((0, -10.6, 36))
    ear = Manifold.cylinder(8, 3, 0.4, 32)
    ears = ear.rotate((0, 18, 0)).translate((6, 0, 45)) + ear.rotate((0, -18, 0)).translate((-6, 0, 45))
    feet = Manifold.sphere(5, 48).scale((1, 1.5, 0.7)).translate((6.5, -7, 2.5))
    feet = feet + feet.mirror((1, 0, 0))
    figure = body + head + wings + eyes + beak + ears + feet
    return figure ^ _box(80, 80, 80, (-40, -40, 0))


def _letter(rows: tuple[str, ...]) -> Manifold:
    """A letter from a grid of cells 1.4 mm wide, raised by 1 mm."""
    cells = [
        _box(1.44, 1.64, 1.1, (1.4 * column, 1.6 * (len(rows) - 1 - line), -0.1))
        for line, row in enumerate(rows)
        for column, mark in enumerate(row)
        if mark == "#"
    ]
    # Cells are a little larger than their pitch, so that neighbours that touch in a corner only are joined.
    return Manifold.batch_boolean(cells, _ADD)


_BOLT5 = (
    ("####.", "#...#", "#...#", "####.", "#...#", "#...#", "####."),
    (".###.", "#...#", "#...#", "#...#", "#...#", "#...#", ".###."),
    ("#....", "#....", "#....", "#....", "#....", "#....", "#####"),
    ("#####", "..#..", "..#..", "..#..", "..#..", "..#..", "..#.."),
    ("#####", "#....", "####.", "....#", "....#", "#...#", ".###."),
)

SAMPLE_PARTS = (
    SamplePart(
        "Snow owl", "snow-owl.stl", "Curves all round: short strokes and hops, so acceleration counts.", snow_owl
    ),
    SamplePart("Tool box", "tool-box.stl", "Long straight walls: the place for a wide bead and speed.", tool_box),
    SamplePart(
        "Flag post", "flag-post.stl", "Tall and slender: small layers wait for cooling, and it may tip.", flag_post
    ),
    SamplePart("Bin tag", "bin-tag.stl", "Raised letters: detail that a wide line loses.", bin_tag),
    SamplePart(
        "Drain plate", "drain-plate.stl", "Over a hundred holes: travel and retraction take the time.", drain_plate
    ),
    SamplePart("Domed knob", "domed-knob.stl", "A dome: layer steps show where it is nearly flat.", domed_knob),
    SamplePart("Shelf bracket", "shelf-bracket.stl", "A solid workhorse: strength and infill decide.", shelf_bracket),
    SamplePart("Herb trough", "herb-trough.stl", "A thin wall: one wall more removes a sliver of infill.", herb_trough),
)
