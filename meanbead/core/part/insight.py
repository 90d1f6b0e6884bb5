"""Facts that decide settings: thin walls, details, overhangs, slopes, flats, bridges, stance, corners that lift.

Each is measured on the solid in its pose, before any recipe; angles of overhangs are from upright, slopes from the
horizontal, as practitioners speak of them.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray

from meanbead.core.model.insight import Bin, DetailLoss, PartInsight, Spot, WallBand
from meanbead.core.part.bodies import body_of_faces
from meanbead.core.part.bridges import MIN_ANCHORED, find_bridges, probe_strands
from meanbead.core.part.facts import BED_CONTACT_MM
from meanbead.core.part.rays import Rays
from meanbead.core.part.slices import Layers, slice_solid
from meanbead.core.part.solid import Solid
from meanbead.core.part.stability import tip_angle_deg
from meanbead.core.runtime.trees import tree_of

__all__ = [
    "OVERHANG_DEG",
    "Insight",
    "Surface",
    "Thickness",
    "part_insight",
    "sharp_corners",
    "spread_points",
    "wall_bands",
]

SAMPLES = 24_000
"""Points at which the thickness is looked through."""

SECTIONS = 48
"""Sections in which details are looked for."""

DETAIL_WIDTHS_MM = (0.2, 0.3, 0.4, 0.5, 0.6, 0.8, 1.0, 1.2)
OVERHANG_DEG = 45.0
SHARP_CORNER_DEG = 100.0

_THICKNESS_EDGES_MM = (0.0, 0.4, 0.8, 1.2, 1.6, 2.0, 2.5, 3.0, 4.0, 6.0, 10.0, 20.0, 2000.0)
_ANGLE_EDGES_DEG = tuple(5.0 * k for k in range(19))
_BAND_MM = 0.1
_THICKEST_WALL_MM = 8.0
_MIN_BAND_SHARE = 0.05
_FLAT_NZ = 0.9998
_SPOTS_OF_A_KIND = 6
_SHOWS_FROM_MM2 = 2.0

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Surface:
    """A solid's triangles: ``middle`` and ``normal`` float64 (m, 3), ``area_mm2`` (m,), ``top_mm`` and ``low_mm`` (m,)."""

    middle: Floats
    normal: Floats
    area_mm2: Floats
    low_mm: Floats
    top_mm: Floats

    @classmethod
    def of(cls, solid: Solid) -> Surface:
        """Measure each triangle."""
        corners = solid.vertices[solid.faces]
        cross = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
        double = np.linalg.norm(cross, axis=1)
        normal = cross / np.maximum(double, 1e-15)[:, None]
        z = corners[:, :, 2]
        return cls(corners.mean(axis=1), normal, double / 2, z.min(axis=1), z.max(axis=1))

    @property
    def on_bed(self) -> NDArray[np.bool_]:
        """True for triangles that lie on the bed."""
        lies: NDArray[np.bool_] = (self.top_mm < BED_CONTACT_MM) & (self.normal[:, 2] < 0)
        return lies

    @property
    def overhang_deg(self) -> Floats:
        """Angle from upright of what looks down, 0 to 90; 0 elsewhere and on the bed."""
        angle = np.degrees(np.arcsin(np.clip(-self.normal[:, 2], 0.0, 1.0)))
        return np.where(self.on_bed, 0.0, angle)

    @property
    def slope_deg(self) -> Floats:
        """Slope from the horizontal of what looks up and leans, 0 to 90; 90 elsewhere."""
        return np.degrees(np.arccos(np.clip(self.normal[:, 2], 0.0, 1.0)))


@dataclass(frozen=True)
class Insight:
    """The facts, and the thickness behind each triangle, mm, float32 (m,), to be shown on the part."""

    facts: PartInsight
    thickness_mm: NDArray[np.float32]

    @property
    def nbytes(self) -> int:
        """Memory that it takes, bytes, about."""
        return self.thickness_mm.nbytes + 64 * 1024


def part_insight(solid: Solid) -> Insight:
    """All facts of a solid that decide settings, with the places that they speak of."""
    surface = Surface.of(solid)
    thickness = Thickness.of(solid, surface)
    return Insight(_facts(solid, surface, thickness), thickness.by_face(surface).astype(np.float32))


def _facts(solid: Solid, surface: Surface, thickness: Thickness) -> PartInsight:
    corner_spots, width = _stance(solid)
    bridges, bridge_mm2 = _bridges(solid, surface)
    details, smallest, detail_spots = _details(solid)
    overhang, slope = surface.overhang_deg, surface.slope_deg
    leans = (slope > 2.0) & (slope < 75.0)
    flat = (surface.normal[:, 2] > _FLAT_NZ) & ~surface.on_bed
    flats = _flat_tops(solid, surface, flat)
    spots = [
        *_thin_spots(thickness),
        *detail_spots,
        *_face_spots(
            surface,
            np.where(overhang > OVERHANG_DEG, overhang, 0.0),
            "overhang",
            lambda angle: f"leans out by {angle:.0f}°",
        ),
        *_face_spots(surface, np.where(leans, 90 - slope, 0.0), "slope", lambda angle: f"slope of {90 - angle:.0f}°"),
        *flats,
        *bridges,
        *corner_spots,
    ]
    tops, spans = surface.area_mm2[flat].sum(), [spot.value for spot in bridges]
    return PartInsight(
        bodies=int(body_of_faces(solid).max()) + 1,
        surface_mm2=float(surface.area_mm2.sum()),
        walls=wall_bands(thickness),
        thickness=_bins(thickness.mm, thickness.area_mm2, _THICKNESS_EDGES_MM),
        thinnest_mm=_quantile(thickness.mm, thickness.area_mm2, 0.01),
        typical_thickness_mm=_quantile(thickness.mm, thickness.area_mm2, 0.5),
        details=details,
        smallest_detail_mm=smallest,
        overhang=_bins(overhang, surface.area_mm2 * (overhang > 0.5), _ANGLE_EDGES_DEG),
        overhang_mm2=float(surface.area_mm2[overhang > OVERHANG_DEG].sum()),
        slopes=_bins(slope, surface.area_mm2 * (slope > 2.0) * (slope < 88.0), _ANGLE_EDGES_DEG),
        slope_mm2=float(surface.area_mm2[leans].sum()),
        flat_top_mm2=float(tops),
        bridge_mm2=bridge_mm2,
        longest_bridge_mm=max(spans, default=0.0),
        footprint_mm2=float((surface.area_mm2 * -surface.normal[:, 2])[surface.on_bed].sum()),
        footprint_width_mm=width,
        height_mm=float(solid.vertices[:, 2].max()),
        tip_angle_deg=tip_angle_deg(solid),
        sharp_corners=len(corner_spots),
        spots=spots,
    )


@dataclass(frozen=True)
class Thickness:
    """How thick a part is behind points spread evenly over its surface: arrays of length n; ``point`` (n, 3).

    ``upright`` is True where the surface stands rather than lies, so that the way through runs within a layer.
    """

    point: Floats
    mm: Floats
    area_mm2: Floats
    upright: NDArray[np.bool_]

    @classmethod
    def of(cls, solid: Solid, surface: Surface) -> Thickness:
        """Look straight in from each point until the other side. Points are spread by a fixed rule, not by chance."""
        face, point = spread_points(solid, surface, SAMPLES)
        inwards = -surface.normal[face]
        start = 1e-4
        distance, _ = Rays.of(solid).first_hit(point + inwards * start, inwards)
        seen = np.isfinite(distance)
        area = np.full(len(face), surface.area_mm2.sum() / len(face))
        point, mm = point[seen], distance[seen] + start
        # Along edges a look straight in may graze the next face: a place is thin only if its neighbours are, too.
        near = tree_of(point).query(point, k=min(5, len(point)))[1].reshape(len(point), -1)
        upright = np.abs(surface.normal[face[seen], 2]) < 0.5
        return cls(point, np.median(mm[near], axis=1), area[seen], upright)

    def by_face(self, surface: Surface) -> Floats:
        """Thickness of each triangle, mm, float64 (m,): that of the thinnest of its nearest points."""
        near = tree_of(self.point).query(surface.middle, k=min(3, len(self.point)))[1].reshape(len(surface.middle), -1)
        thinnest: Floats = self.mm[near].min(axis=1)
        return thinnest


def spread_points(solid: Solid, surface: Surface, count: int) -> tuple[NDArray[np.int64], Floats]:
    """Points spread evenly over a surface: the triangle of each, int64 (n,), and the points, float64 (n, 3).

    Triangles by systematic sampling of the running area; places in them by the additive recurrence of the plastic
    number (M. Roberts, 2018), folded into the triangle.
    """
    running = np.cumsum(surface.area_mm2)
    face = np.searchsorted(running, (np.arange(count) + 0.5) / count * running[-1])
    face = np.minimum(face, len(running) - 1)
    plastic = 1.32471795724474602596
    k = np.arange(1, count + 1)
    u, v = (0.5 + k / plastic) % 1.0, (0.5 + k / plastic**2) % 1.0
    over = u + v > 1
    u, v = np.where(over, 1 - u, u), np.where(over, 1 - v, v)
    # Away from edges, where a look straight in would run along the next face.
    u, v = 0.01 + 0.97 * u, 0.01 + 0.97 * v
    a, b, c = (solid.vertices[solid.faces[face, j]] for j in range(3))
    return face, a + u[:, None] * (b - a) + v[:, None] * (c - a)


def wall_bands(thickness: Thickness) -> list[WallBand]:
    """Thicknesses up to 8 mm that at least a twentieth of the surface has in common, to a tenth of a millimetre.

    Looks only where the surface stands: there the way through lies within a layer, where walls and filling share it.
    """
    looked = thickness.upright & (thickness.mm < _THICKEST_WALL_MM)
    mm, area = thickness.mm[looked], thickness.area_mm2[looked]
    whole, bands = float(thickness.area_mm2.sum()), []
    while len(mm):
        held = np.histogram(mm, bins=np.arange(0, _THICKEST_WALL_MM + 0.21, _BAND_MM), weights=area)[0]
        window = np.convolve(held, np.ones(3), mode="same")
        peak = int(np.argmax(window))
        inside = np.abs(mm - (peak + 0.5) * _BAND_MM) <= 1.5 * _BAND_MM
        if area[inside].sum() < _MIN_BAND_SHARE * whole:
            break
        middle = float(np.average(mm[inside], weights=area[inside]))
        bands.append(WallBand(thickness_mm=round(middle, 3), area_mm2=float(area[inside].sum())))
        mm, area = mm[~inside], area[~inside]
    return sorted(bands, key=lambda band: band.thickness_mm)


def _bins(values: Floats, area_mm2: Floats, edges: tuple[float, ...]) -> list[Bin]:
    held = np.histogram(values, bins=np.array(edges), weights=area_mm2)[0]
    return [
        Bin(low=low, high=high, area_mm2=float(area))
        for low, high, area in zip(edges[:-1], edges[1:], held, strict=True)
    ]


def _quantile(values: Floats, weights: Floats, share: float) -> float:
    if not len(values):
        return 0.0
    order = np.argsort(values)
    running = np.cumsum(weights[order])
    return float(values[order][np.searchsorted(running, share * running[-1])])


def _thin_spots(thickness: Thickness) -> list[Spot]:
    """The thinnest places, no two near each other."""
    thin = np.flatnonzero(thickness.mm < 2.0)
    chosen = _apart(thickness.point[thin], thickness.mm[thin])
    return [
        _spot("thin_wall", thickness.point[thin[k]], thickness.mm[thin[k]], f"{thickness.mm[thin[k]]:.2f} mm thick")
        for k in chosen
    ]


def _apart(points: Floats, rank: Floats) -> list[int]:
    """The first few by rank that lie apart from each other by a fifth of the cloud's size."""
    if not len(points):
        return []
    reach = max(3.0, float(np.linalg.norm(np.ptp(points, axis=0))) / 5)
    chosen: list[int] = []
    for k in np.argsort(rank, kind="stable"):
        if all(np.linalg.norm(points[k] - points[face]) > reach for face in chosen):
            chosen.append(int(k))
            if len(chosen) == _SPOTS_OF_A_KIND:
                break
    return chosen


def _face_spots(surface: Surface, value: Floats, kind: str, words: Callable[[float], str]) -> list[Spot]:
    """Where the most area of a kind is, by regions of the part's box."""
    at = np.flatnonzero(value > 0)
    if surface.area_mm2[at].sum() < _SHOWS_FROM_MM2:
        return []
    low, size = surface.middle.min(axis=0), np.maximum(np.ptp(surface.middle, axis=0), 1e-9)
    cell = np.minimum(2, (3 * (surface.middle[at] - low) / size).astype(np.int64)) @ np.array([9, 3, 1])
    area = np.bincount(cell, weights=surface.area_mm2[at], minlength=27)
    spots = []
    for region in np.argsort(-area, kind="stable")[:_SPOTS_OF_A_KIND]:
        if area[region] < _SHOWS_FROM_MM2:
            break
        mine = at[cell == region]
        worst = mine[np.argmax(value[mine] * np.sqrt(surface.area_mm2[mine]))]
        spots.append(_spot(kind, surface.middle[worst], value[worst], words(float(value[worst]))))
    return spots


def _flat_tops(solid: Solid, surface: Surface, flat: NDArray[np.bool_]) -> list[Spot]:
    height = np.round(surface.middle[flat, 2], 3)
    spots = []
    for z in np.unique(height)[::-1][:_SPOTS_OF_A_KIND]:
        mine = np.flatnonzero(flat)[height == z]
        area = float(surface.area_mm2[mine].sum())
        if area > _SHOWS_FROM_MM2:
            largest = mine[np.argmax(surface.area_mm2[mine])]
            spots.append(_spot("flat_top", surface.middle[largest], area, f"flat top of {area / 100:.1f} cm²"))
    return spots


def _bridges(solid: Solid, surface: Surface) -> tuple[list[Spot], float]:
    """Level undersides held on two sides, by their spans in mm, the longest first; and the area of all, mm2."""
    down = (surface.normal[:, 2] < -_FLAT_NZ) & ~surface.on_bed
    heights = np.unique(np.round(surface.middle[down, 2], 3))
    spots: list[Spot] = []
    whole = 0.0
    for z in heights[:40]:
        mine = np.flatnonzero(down & (np.abs(surface.middle[:, 2] - z) < 2e-3))
        if surface.area_mm2[mine].sum() < 4.0 or z < 0.2:
            continue
        flat = shapely.union_all(shapely.make_valid(shapely.polygons(solid.vertices[solid.faces[mine]][:, :, :2])))
        below, _ = slice_solid(solid, Layers(np.array([z - 0.05 + 1e-6]), np.array([2e-6])))
        sections = np.array([below[0], below[0]], dtype=object)
        regions = np.array([flat], dtype=object)
        _, bridges, _, _ = find_bridges(regions, np.array([1]), sections, np.array([1.0]), np.zeros(1), unheld=False)
        for bridge in shapely.get_parts(bridges[0]):
            if bridge.area < 4.0:
                continue
            span = _shortest_span(bridge, below[0])
            place = bridge.representative_point()
            whole += bridge.area
            words = f"bridge of {span:.1f} mm, {bridge.area:.0f} mm²"
            spots.append(_spot("bridge", np.array([place.x, place.y, z]), span, words))
    return sorted(spots, key=lambda spot: -spot.value)[:_SPOTS_OF_A_KIND], float(whole)


def _shortest_span(bridge: shapely.Geometry, below: shapely.Geometry) -> float:
    """Mean length of probe strands in the direction in which they are shortest and held at both ends."""
    share, span = probe_strands(np.array([bridge], dtype=object), np.array([below], dtype=object), np.array([1.0]))
    held = span[0][share[0] >= MIN_ANCHORED]
    return float(held.min()) if len(held) else 0.0


def _details(solid: Solid) -> tuple[list[DetailLoss], float | None, list[Spot]]:
    """What an opening by each width takes out of sections spread over the height.

    A morphological opening (shrink by half the width, grow again) removes just what a disc so wide cannot enter;
    corners that it rounds are not counted.
    """
    top = float(solid.vertices[:, 2].max())
    heights = (np.arange(SECTIONS) + 0.5) / SECTIONS * top
    sections, _ = slice_solid(solid, Layers(heights + 1e-6, np.full(SECTIONS, 2e-6)))
    # Upright parts repeat themselves: each shape is looked at once, for all its layers.
    _, first, alike = np.unique(shapely.to_wkb(sections), return_index=True, return_counts=True)
    sections, heights = sections[first], heights[first]
    whole = float(np.sum(shapely.area(sections) * alike))
    losses, spots = [], []
    smallest: float | None = None
    for width in DETAIL_WIDTHS_MM:
        opened = shapely.buffer(shapely.buffer(sections, -width / 2, quad_segs=3), width / 2 * 1.02, join_style="mitre")
        gone = shapely.difference(sections, opened)
        # A corner that the opening rounds off is smaller than the disc; a lost detail is longer than it is wide.
        pieces, layer = shapely.get_parts(gone, return_index=True)
        counts = shapely.area(pieces) > width**2 / 2
        pieces, layer = pieces[counts], layer[counts]
        area = shapely.area(pieces)
        losses.append(DetailLoss(width_mm=width, lost_share=float(np.sum(area * alike[layer]) / max(whole, 1e-9))))
        if len(pieces) and smallest is None:
            smallest = width
            for k in np.argsort(-area, kind="stable")[:_SPOTS_OF_A_KIND]:
                place = shapely.point_on_surface(pieces[k])
                at = np.array([place.x, place.y, heights[layer[k]]])
                spots.append(_spot("detail", at, width, f"narrower than {width:g} mm here"))
    return losses, smallest, spots


def _stance(solid: Solid) -> tuple[list[Spot], float]:
    """Corners on the bed that lift, and the footprint's narrowest width."""
    ground, _ = slice_solid(solid, Layers(np.array([0.1]), np.array([0.1])))
    hull = shapely.convex_hull(ground[0])
    if hull.geom_type != "Polygon" or hull.area < 1e-6:
        return [], 0.0
    box = shapely.minimum_rotated_rectangle(hull).exterior.coords
    width = min(float(np.hypot(*(np.subtract(box[k + 1], box[k])))) for k in (0, 1))
    return sharp_corners(ground[0]), width


def sharp_corners(ground: shapely.Geometry) -> list[Spot]:
    """Convex corners of the footprint sharper than :data:`SHARP_CORNER_DEG` with long sides, where warping starts."""
    spots = []
    for part in shapely.get_parts(ground):
        ring = shapely.simplify(part, 0.3).exterior
        points = np.asarray(ring.coords)[:-1]
        if len(points) < 3:
            continue
        if not ring.is_ccw:
            points = points[::-1]
        into, out = points - np.roll(points, 1, axis=0), np.roll(points, -1, axis=0) - points
        cross = into[:, 0] * out[:, 1] - into[:, 1] * out[:, 0]
        turn = np.degrees(np.arctan2(cross, np.sum(into * out, axis=1)))
        inner = 180.0 - turn
        sides = np.minimum(np.linalg.norm(into, axis=1), np.linalg.norm(out, axis=1))
        for k in np.flatnonzero((turn > 0) & (inner < SHARP_CORNER_DEG) & (sides > 8.0)):
            at = np.array([points[k, 0], points[k, 1], 0.0])
            spots.append(_spot("corner", at, inner[k], f"corner of {inner[k]:.0f}° on the bed may lift"))
    return spots[: 2 * _SPOTS_OF_A_KIND]


def _spot(kind: str, at: Floats, value: float, sentence: str) -> Spot:
    x, y, z = (round(float(v), 3) for v in at)
    return Spot(kind=kind, x=x, y=y, z=z, value=round(float(value), 4), sentence=sentence)
