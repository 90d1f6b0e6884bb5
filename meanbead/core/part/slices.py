"""Sections of a solid at the middle of each layer."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

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
    """
    manifold = solid.manifold
    top = float(solid.vertices[:, 2].max())
    heights = np.minimum(layers.middle_mm, top - 1e-4)

    def section(height: float) -> shapely.Geometry | None:
        region = _cut(manifold, height)
        if region is None or region.is_empty:
            # A plane just through a face can come out wrong or empty.
            near = [_cut(manifold, height + aside) for aside in (-_ASIDE_MM, _ASIDE_MM)]
            whole = [layer for layer in near if layer is not None]
            filled = [layer for layer in whole if not layer.is_empty]
            return filled[0] if len(filled) == 2 else (region or (whole[0] if whole else None))
        return region

    with ThreadPoolExecutor(2) as pool:
        cuts = list(pool.map(section, heights, chunksize=16))
    good = np.array([k for k, cut in enumerate(cuts) if cut is not None])
    failed = [k for k, cut in enumerate(cuts) if cut is None]
    if not len(good):
        raise PartError(
            "No layer of this part can be cut.", field="file", remedy="Repair the mesh and export it again."
        )
    for k in failed:
        cuts[k] = cuts[good[np.argmin(np.abs(good - k))]]
    return np.array(cuts, dtype=object), tuple(failed)


def _cut(manifold: manifold3d.Manifold, height_mm: float) -> shapely.Geometry | None:
    try:
        return _region(manifold.slice(float(height_mm)))
    except (shapely.GEOSException, RuntimeError, ValueError):
        return None


def _region(section: manifold3d.CrossSection) -> shapely.Geometry:
    """A section (outlines counter-clockwise, holes clockwise) as one valid region."""
    outer, holes = _rings(section.simplify(SIMPLIFY_MM).to_polygons())
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
