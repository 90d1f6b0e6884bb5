"""Surfaces that are open, crossed or without thickness, and files of formats that no library here writes; made by code."""

from __future__ import annotations

from typing import Any

import numpy as np
import trimesh


def open_scan() -> trimesh.Trimesh:
    """A rippled figure as a scanner leaves it: a wide hole in its base and two where nothing was seen."""
    ball = trimesh.creation.icosphere(subdivisions=4, radius=20)
    ripple = 1 + 0.08 * np.sin(5 * ball.vertices[:, [0]] / 6) * np.cos(4 * ball.vertices[:, [2]] / 6)
    whole = trimesh.Trimesh(ball.vertices * ripple, ball.faces, process=False)
    kept = np.ones(len(whole.faces), dtype=bool)
    for place, reach in (((0, 0, -20), 11), ((18, 5, 5), 4), ((-8, 15, 9), 3)):
        kept &= np.linalg.norm(whole.triangles_center - np.array(place), axis=1) > reach
    return trimesh.Trimesh(whole.vertices, whole.faces[kept], process=True)


def whole_scan_mm3() -> float:
    """The volume that the scan's figure had."""
    ball = trimesh.creation.icosphere(subdivisions=4, radius=20)
    ripple = 1 + 0.08 * np.sin(5 * ball.vertices[:, [0]] / 6) * np.cos(4 * ball.vertices[:, [2]] / 6)
    return float(trimesh.Trimesh(ball.vertices * ripple, ball.faces, process=False).volume)


def open_balls(count: int = 8) -> trimesh.Trimesh:
    """So many balls side by side, each cut off above: bodies that are all open."""
    balls: list[Any] = []
    for k in range(count):
        ball = trimesh.creation.icosphere(2, radius=4 + 0.5 * k)
        cut = ball.submesh([np.flatnonzero(ball.triangles_center[:, 2] < 3)], append=True)
        cut.apply_translation((17.0 * k, 0, 0))
        balls.append(cut)
    joined: trimesh.Trimesh = trimesh.util.concatenate(balls)  # type: ignore[assignment]
    return joined


def crossed_balls() -> trimesh.Trimesh:
    """Two balls that run through each other, a slit in each."""
    one, other = trimesh.creation.icosphere(4, radius=10), trimesh.creation.icosphere(4, radius=8)
    other.apply_translation((11, 0, 0))
    both: Any = trimesh.util.concatenate([one, other])
    centre = both.triangles_center
    kept = ~((np.abs(centre[:, 1]) < 1.2) & (centre[:, 2] > 7))
    return trimesh.Trimesh(both.vertices, both.faces[kept], process=True)


def sheet(bent: bool = False) -> trimesh.Trimesh:
    """A sheet of 30 x 20 mm without thickness; ``bent`` into a wave."""
    x, y = np.meshgrid(np.linspace(-15, 15, 31), np.linspace(-10, 10, 21), indexing="ij")
    z = 2 * np.sin(x / 4) if bent else np.zeros_like(x)
    number = np.arange(x.size).reshape(x.shape)
    a, b, c, d = (item.ravel() for item in (number[:-1, :-1], number[1:, :-1], number[1:, 1:], number[:-1, 1:]))
    faces = np.concatenate([np.column_stack([a, b, c]), np.column_stack([a, c, d])])
    return trimesh.Trimesh(np.column_stack([x.ravel(), y.ravel(), z.ravel()]), faces, process=False)


def step_box(x: float, y: float, z: float, unit: str = "mm") -> bytes:
    """A box as a STEP file (ISO 10303-21, AP214): one solid of six plane faces, in mm or in inches."""
    lines: list[str] = []

    def add(entity: str) -> str:
        lines.append(f"#{len(lines) + 1}={entity};")
        return f"#{len(lines)}"

    def point(at: tuple[float, ...]) -> str:
        return add(f"CARTESIAN_POINT('',({','.join(f'{v:.6f}' for v in at)}))")

    def direction(to: Any) -> str:
        return add(f"DIRECTION('',({','.join(f'{v:.6f}' for v in to)}))")

    corners = [(i * x, j * y, k * z) for i in (0, 1) for j in (0, 1) for k in (0, 1)]
    vertices = [add(f"VERTEX_POINT('',{point(at)})") for at in corners]
    edges: dict[tuple[int, int], str] = {}

    def edge(a: int, b: int) -> str:
        low, high = min(a, b), max(a, b)
        if (low, high) not in edges:
            span = np.subtract(corners[high], corners[low])
            length = float(np.linalg.norm(span))
            vector = add(f"VECTOR('',{direction(span / length)},{length:.6f})")
            line = add(f"LINE('',{point(corners[low])},{vector})")
            edges[low, high] = add(f"EDGE_CURVE('',{vertices[low]},{vertices[high]},{line},.T.)")
        return add(f"ORIENTED_EDGE('',*,*,{edges[low, high]},{'.T.' if a < b else '.F.'})")

    faces = []
    for loop, out in (
        ((0, 1, 3, 2), (-1, 0, 0)),
        ((4, 6, 7, 5), (1, 0, 0)),
        ((0, 4, 5, 1), (0, -1, 0)),
        ((2, 3, 7, 6), (0, 1, 0)),
        ((0, 2, 6, 4), (0, 0, -1)),
        ((1, 5, 7, 3), (0, 0, 1)),
    ):
        ring = ",".join(edge(a, b) for a, b in zip(loop, [*loop[1:], loop[0]], strict=True))
        looped = add(f"EDGE_LOOP('',({ring}))")
        bound = add(f"FACE_OUTER_BOUND('',{looped},.T.)")
        along = np.subtract(corners[loop[1]], corners[loop[0]])
        axes = add(
            f"AXIS2_PLACEMENT_3D('',{point(corners[loop[0]])},{direction(out)},{direction(along / np.linalg.norm(along))})"
        )
        plane = add(f"PLANE('',{axes})")
        faces.append(add(f"ADVANCED_FACE('',({bound}),{plane},.T.)"))
    shell = add(f"CLOSED_SHELL('',({','.join(faces)}))")
    solid = add(f"MANIFOLD_SOLID_BREP('box',{shell})")
    millimetre = add("(LENGTH_UNIT()NAMED_UNIT(*)SI_UNIT(.MILLI.,.METRE.))")
    length = millimetre
    if unit == "inch":
        measure = add(f"LENGTH_MEASURE_WITH_UNIT(LENGTH_MEASURE(25.4),{millimetre})")
        size = add("DIMENSIONAL_EXPONENTS(1.,0.,0.,0.,0.,0.,0.)")
        length = add(f"(CONVERSION_BASED_UNIT('INCH',{measure})LENGTH_UNIT()NAMED_UNIT({size}))")
    angle = add("(NAMED_UNIT(*)PLANE_ANGLE_UNIT()SI_UNIT($,.RADIAN.))")
    ball = add("(NAMED_UNIT(*)SI_UNIT($,.STERADIAN.)SOLID_ANGLE_UNIT())")
    near = add(f"UNCERTAINTY_MEASURE_WITH_UNIT(LENGTH_MEASURE(1.E-05),{length},'distance_accuracy_value','')")
    context = add(
        f"(GEOMETRIC_REPRESENTATION_CONTEXT(3)GLOBAL_UNCERTAINTY_ASSIGNED_CONTEXT(({near}))"
        f"GLOBAL_UNIT_ASSIGNED_CONTEXT(({length},{angle},{ball}))REPRESENTATION_CONTEXT('',''))"
    )
    origin = add(f"AXIS2_PLACEMENT_3D('',{point((0.0, 0.0, 0.0))},{direction((0, 0, 1))},{direction((1, 0, 0))})")
    shape = add(f"ADVANCED_BREP_SHAPE_REPRESENTATION('',({origin},{solid}),{context})")
    application = add("APPLICATION_CONTEXT('automotive design')")
    product_context = add(f"PRODUCT_CONTEXT('',{application},'mechanical')")
    product = add(f"PRODUCT('box','box','',({product_context}))")
    formation = add(f"PRODUCT_DEFINITION_FORMATION('','',{product})")
    definition_context = add(f"PRODUCT_DEFINITION_CONTEXT('part definition',{application},'design')")
    definition = add(f"PRODUCT_DEFINITION('design','',{formation},{definition_context})")
    of_shape = add(f"PRODUCT_DEFINITION_SHAPE('','',{definition})")
    add(f"SHAPE_DEFINITION_REPRESENTATION({of_shape},{shape})")
    head = "ISO-10303-21;\nHEADER;\nFILE_DESCRIPTION((''),'2;1');\nFILE_NAME('','',(''),(''),'','','');\n"
    head += "FILE_SCHEMA(('AUTOMOTIVE_DESIGN'));\nENDSEC;\nDATA;\n"
    return (head + "\n".join(lines) + "\nENDSEC;\nEND-ISO-10303-21;\n").encode()
