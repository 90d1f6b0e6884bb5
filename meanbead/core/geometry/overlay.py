"""Unions, differences and intersections that do not fail where edges all but coincide.

Regions that were grown and shrunk can cross themselves by rounding errors, which the geometry library refuses to
overlay. Such pairs are made valid first, and if that is not enough put on a fine grid, on which overlay cannot fail.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import shapely

from meanbead.core.runtime.alike import alike
from meanbead.core.runtime.parallel import Objects, parallel_apply

__all__ = ["difference", "intersection", "prepared_copies", "together", "without"]

GRID_MM = 1e-5


def difference(first: Objects, second: Objects) -> Objects:
    """What of each first region lies outside the second; arrays of shape (n,)."""
    return parallel_apply(_differences, first, second)


def intersection(first: Objects, second: Objects) -> Objects:
    """What of each first region lies inside the second; arrays of shape (n,)."""
    return parallel_apply(_intersections, first, second)


def without(first: shapely.Geometry, second: shapely.Geometry) -> shapely.Geometry:
    """:func:`difference` of two regions."""
    return _one(shapely.difference, first, second)


def together(first: shapely.Geometry, second: shapely.Geometry) -> shapely.Geometry:
    """Union of two regions."""
    return _one(shapely.union, first, second)


def _differences(first: Objects, second: Objects) -> Objects:
    return _each(shapely.difference, first, second)


def _intersections(first: Objects, second: Objects) -> Objects:
    return _each(shapely.intersection, first, second)


def _each(operation: Any, first: Objects, second: Objects) -> Objects:
    try:
        return np.asarray(operation(first, second), dtype=object)
    except shapely.GEOSException:
        result = np.empty(len(first), dtype=object)
        result[:] = [_one(operation, a, b) for a, b in zip(first, second, strict=True)]
        return result


def _one(operation: Any, first: shapely.Geometry, second: shapely.Geometry) -> shapely.Geometry:
    try:
        return operation(first, second)
    except shapely.GEOSException:
        valid = [shapely.make_valid(region) for region in (first, second)]
        try:
            return operation(*valid)
        except shapely.GEOSException:
            return operation(*(shapely.set_precision(region, GRID_MM) for region in valid), grid_size=GRID_MM)


def prepared_copies(regions: Objects) -> Objects:
    """Copies of regions, to the last bit, made ready for many questions.

    Regions are remembered and shared between threads, and preparing one changes it: while one thread still asks, another
    could take the preparation away, which ends the process. So each asks copies of its own, and leaves them to be
    collected.
    """
    first, which = alike(regions)
    own: Objects = np.asarray(shapely.from_wkb(shapely.to_wkb(regions[first])), dtype=object)
    shapely.prepare(own)
    return own[which]
