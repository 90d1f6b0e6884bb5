"""Sections of a solid at the middle of each layer."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import Literal

import manifold3d
import numpy as np
import shapely
from numpy.typing import NDArray

from meanbead.core.errors import PartError
from meanbead.core.part.solid import Solid

__all__ = ["Layers", "layer_stack", "slice_solid"]

SIMPLIFY_MM = 0.005
"""Corners closer than this to the line through their neighbours are dropped; a bead is a hundred times wider."""

MIN_AREA_MM2 = 0.01
_ASIDE_MM = 0.003


@dataclass(frozen=True)
class Layers:
    """Where each layer lies. Arrays of shape (layers,), mm: ``top_mm`` is the nozzle's height, ``height_mm`` thickness."""

    top_mm: NDArray[np.float64]
    height_mm: NDArray[np.float64]

    def __len__(self) -> int:
        return len(self.top_mm)

    @property
    def middle_mm(self) -> NDArray[np.float64]:
        """Height at which a layer's section is taken, mm."""
        return self.top_mm - self.height_mm / 2

    @property
    def on_bed(self) -> NDArray[np.bool_]:
        """True for layers that lie on the bed, shape (layers,)."""
        lies: NDArray[np.bool_] = self.top_mm - self.height_mm < 1e-6
        return lies


def layer_stack(part_height_mm: float, layer_height_mm: float, first_layer_height_mm: float) -> Layers:
    """A layer wherever its middle lies inside the part: ``ceil((H - first) / h - 1/2) + 1``.

    What comes out is off by at most half a layer. A middle within a thousandth of a millimetre of the top is rounding.
    """
    above = max(0, int(np.ceil((part_height_mm - first_layer_height_mm - 1e-3) / layer_height_mm - 0.5)))
    heights = np.full(above + 1, layer_height_mm)
    heights[0] = first_layer_height_mm
    return Layers(np.cumsum(heights), heights)


def slice_solid(solid: Solid, layers: Layers) -> tuple[NDArray[np.object_], tuple[int, ...]]:
    """Sections as Shapely polygons or multipolygons, one a layer, and the layers that could not be cut.

    Overlapping bodies are joined, as the positive fill rule says. No section is taken higher than just under the top:
    a middle that meets it by rounding would come out empty. Where the solid is not met the section is empty; where
    cutting fails even a little higher and lower, the nearest neighbour's section stands in.

    Where only upright faces are met between two corners' heights, the section is the same all the way: there the lowest
    and the highest layer are cut, and if both came out the same, to the last bit, they stand for those between. Equal
    sections are one object.
    """
    top = float(solid.vertices[:, 2].max())
    heights = np.minimum(layers.middle_mm, top - 1e-4)
    cuts = np.full(len(heights), None, dtype=object)
    spans = _upright_spans(solid, heights)
    inner = np.zeros(len(heights), dtype=bool)
    for low, high in spans:
        inner[low + 1 : high] = True
    cutter = _Cutter(solid)
    cutter.put(heights, np.flatnonzero(~inner), cuts)
    for low, high in spans:
        if cuts[low] is not None and cuts[low] is cuts[high]:
            cuts[low + 1 : high] = cuts[low]
        else:
            cutter.put(heights, np.arange(low + 1, high), cuts)
    good = np.array([k for k, cut in enumerate(cuts) if cut is not None])
    failed = [k for k, cut in enumerate(cuts) if cut is None]
    if not len(good):
        raise PartError(
            "No layer of this part can be cut.", field="file", remedy="Repair the mesh and export it again."
        )
    for k in failed:
        cuts[k] = cuts[good[np.argmin(np.abs(good - k))]]
    return cuts, tuple(failed)


_SIDES: tuple[Literal["left", "right"], ...] = ("left", "right")
_SPAN = 4
"""Spans of fewer layers are cut one by one."""


def _upright_spans(solid: Solid, heights: NDArray[np.float64]) -> list[tuple[int, int]]:
    """First and last layer (inclusive) of each span of layers, heights ascending, that meets only upright faces and passes
    no corner."""
    z = solid.vertices[:, 2]
    # Corners between each layer's height and the one before; one that lies at a layer's height parts it from both.
    parted = np.zeros(len(heights) + 1, dtype=np.int64)
    for bound in _SIDES:
        parted += np.bincount(np.searchsorted(heights, z, bound), minlength=len(heights) + 1)
    starts = np.flatnonzero(np.r_[True, parted[1:-1] > 0])
    ends = np.r_[starts[1:], len(heights)] - 1
    long = ends - starts >= _SPAN
    if not long.any():
        return []
    one, two, three = (solid.vertices[solid.faces[:, k]] for k in range(3))
    side, other = two - one, three - one
    leans = side[:, 0] * other[:, 1] != side[:, 1] * other[:, 0]
    low, high = (pick.reduce([one[leans, 2], two[leans, 2], three[leans, 2]]) for pick in (np.minimum, np.maximum))
    change = np.zeros(len(heights) + 1, dtype=np.int64)
    np.add.at(change, np.searchsorted(heights, low), 1)
    np.add.at(change, np.searchsorted(heights, high, "right"), -1)
    upright = np.cumsum(change)[starts] == 0
    return list(zip(starts[long & upright].tolist(), ends[long & upright].tolist(), strict=True))


_FACES_A_THREAD = 20_000
"""Cutting a mesh of fewer faces takes so little that two threads would only wait for the interpreter's lock."""


class _Cutter:
    """Sections of one solid; equal ones are one object."""

    def __init__(self, solid: Solid) -> None:
        self._manifold = solid.manifold
        self._faces = len(solid.faces)
        self._known: dict[bytes, shapely.Geometry] = {}

    def put(self, heights: NDArray[np.float64], at: NDArray[np.int64], cuts: NDArray[np.object_]) -> None:
        """Put the sections at some of the heights into ``cuts``; None where cutting failed."""
        if self._faces < _FACES_A_THREAD or len(at) < _SPAN:
            for k in at.tolist():
                cuts[k] = self._section(float(heights[k]))
            return
        with ThreadPoolExecutor(2) as pool:
            for k, cut in zip(at.tolist(), pool.map(self._section, heights[at].tolist()), strict=True):
                cuts[k] = cut

    def _section(self, height_mm: float) -> shapely.Geometry | None:
        region = self._cut(height_mm)
        if region is None or region.is_empty:
            # A plane just through a face can come out wrong or empty.
            near = [self._cut(height_mm + aside) for aside in (-_ASIDE_MM, _ASIDE_MM)]
            whole = [layer for layer in near if layer is not None]
            filled = [layer for layer in whole if not layer.is_empty]
            return filled[0] if len(filled) == 2 else (region or (whole[0] if whole else None))
        return region

    def _cut(self, height_mm: float) -> shapely.Geometry | None:
        try:
            section = self._manifold.slice(height_mm)
            loops = section.simplify(SIMPLIFY_MM).to_polygons()
            # A loop's length tells where the next begins.
            name = b"".join(part for loop in loops for part in (len(loop).to_bytes(4, "little"), loop.tobytes()))
            known = self._known.get(name)
            if known is None:
                known = self._known.setdefault(name, _region(section, loops))
            return known
        except (shapely.GEOSException, RuntimeError, ValueError):
            return None


def _region(section: manifold3d.CrossSection, loops: list[NDArray[np.float64]]) -> shapely.Geometry:
    """A section as one valid region; ``loops`` are its simplified outlines (counter-clockwise) and holes (clockwise)."""
    outer, holes = _rings(loops)
    if not outer:
        return shapely.MultiPolygon()
    if not holes:
        region = shapely.multipolygons(shapely.polygons(outer)) if len(outer) > 1 else shapely.polygons(outer[0])
    elif len(outer) == 1:
        region = shapely.polygons(outer[0], holes)
    else:
        # Holes belong to outlines, and outlines may lie within holes: let the section say which.
        region = shapely.multipolygons([shapely.polygons(o[0], h or None) for o, h in _pieces(section)])
    region = _valid(region)
    return region if region.area > MIN_AREA_MM2 else shapely.MultiPolygon()


def _rings(loops: list[NDArray[np.float64]]) -> tuple[list[shapely.LinearRing], list[shapely.LinearRing]]:
    rings = [shapely.linearrings(loop) for loop in loops if len(loop) >= 3]
    return [ring for ring in rings if ring.is_ccw], [ring for ring in rings if not ring.is_ccw]


def _pieces(
    section: manifold3d.CrossSection,
) -> list[tuple[list[shapely.LinearRing], list[shapely.LinearRing]]]:
    pieces = [_rings(piece.simplify(SIMPLIFY_MM).to_polygons()) for piece in section.decompose()]
    return [piece for piece in pieces if piece[0]]


def _valid(region: shapely.Geometry) -> shapely.Geometry:
    return region if shapely.is_valid(region) else shapely.buffer(region, 0)
