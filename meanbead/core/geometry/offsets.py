"""Walls: loops that follow the outline at true distances, and the region that they leave to be filled."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray

from meanbead.core.formulas.bead import SIDE_LOSS
from meanbead.core.runtime.elementwise import ElementMemory
from meanbead.core.runtime.parallel import Objects, parallel_apply

__all__ = ["Loops", "grown", "inset", "insets", "loops_of", "rings_of", "simpler", "spacings"]

MITRE_LIMIT = 2.0
_EMPTY = shapely.MultiPolygon()


@dataclass(frozen=True)
class Loops:
    """Closed loops in flat arrays. ``points`` float64 (p, 2); loop i is ``points[offsets[i]:offsets[i + 1]]``, its
    first point not repeated; ``source`` int64 (loops,) is the index of the region that it came from."""

    points: NDArray[np.float64]
    offsets: NDArray[np.int64]
    source: NDArray[np.int64]


def spacings(width_mm: NDArray[np.float64], height_mm: NDArray[np.float64]) -> NDArray[np.float64]:
    """Distances at which beads fill without gaps, mm; :func:`meanbead.core.formulas.bead.bead_spacing_mm` for arrays."""
    return width_mm - height_mm * SIDE_LOSS


def inset(regions: Objects, depth_mm: NDArray[np.float64], memory: ElementMemory | None = None) -> Objects:
    """Regions shrunk by a depth each, corners kept sharp; ``memory`` may know them from before."""
    if memory is not None:
        return memory.apply("inset", inset, regions, depth_mm)

    def shrink(part: Objects, depth: NDArray[np.float64]) -> Objects:
        # The library divides by zero at corners that run back on themselves, and copes with it.
        with np.errstate(divide="ignore", invalid="ignore"):
            return np.asarray(shapely.buffer(part, -depth, join_style="mitre", mitre_limit=MITRE_LIMIT), dtype=object)

    return parallel_apply(shrink, regions, depth_mm)


def insets(regions: Objects, *depths_mm: NDArray[np.float64], memory: ElementMemory | None = None) -> list[Objects]:
    """Regions shrunk by several depths each, at once: what is quicker than one after the other where regions are few."""
    made = inset(np.tile(regions, len(depths_mm)), np.concatenate(depths_mm), memory)
    return np.split(made, len(depths_mm))


def grown(regions: Objects, distance_mm: NDArray[np.float64], memory: ElementMemory | None = None) -> Objects:
    """Regions grown by a distance each (shrunk where it is negative), corners kept sharp; empty ones stay empty."""
    result = np.full(len(regions), _EMPTY, dtype=object)
    where = np.flatnonzero(~shapely.is_empty(regions))
    if len(where):
        result[where] = inset(regions[where], -distance_mm[where], memory)
    return result


_SIMPLER_MM = 0.02


def simpler(regions: Objects, memory: ElementMemory | None = None) -> Objects:
    """Regions with fewer corners, at most a twentieth of a bead off: good enough to ask where strips may be."""
    tolerance = np.full(len(regions), _SIMPLER_MM)
    return (
        _simplified(regions, tolerance) if memory is None else memory.apply("simpler", _simplified, regions, tolerance)
    )


def _simplified(regions: Objects, tolerance_mm: NDArray[np.float64]) -> Objects:
    def simplify(part: Objects, tolerance: NDArray[np.float64]) -> Objects:
        return np.asarray(shapely.simplify(part, tolerance, preserve_topology=False), dtype=object)

    return parallel_apply(simplify, regions, tolerance_mm)


def rings_of(regions: Objects) -> tuple[NDArray[np.float64], NDArray[np.int64], NDArray[np.int64]]:
    """All rings of polygons and multipolygons: points (p, 2), end of each ring in the points, region of each ring.

    A ring's first point stands again as its last.
    """
    parts, part_source = shapely.get_parts(regions, return_index=True)
    rings, ring_part = shapely.get_rings(parts, return_index=True)
    points, ring_of_point = shapely.get_coordinates(rings, return_index=True)
    ends = np.cumsum(np.bincount(ring_of_point, minlength=len(rings)))
    return points, ends.astype(np.int64), part_source[ring_part].astype(np.int64)


def loops_of(regions: Objects) -> Loops:
    """All rings of the regions as loops."""
    points, ends, source = rings_of(regions)
    keep = np.ones(len(points), dtype=bool)
    keep[ends - 1] = False
    offsets = np.concatenate([[0], ends - np.arange(1, len(ends) + 1)]).astype(np.int64)
    return Loops(points[keep], offsets, source)
