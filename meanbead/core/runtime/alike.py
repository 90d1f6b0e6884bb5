"""Find elements that are alike, so that they are worked out once: upright parts repeat their sections.

Geometries that are known to be equal are one object, which is asked in no time; whoever makes them sees to that with
:func:`shared`.
"""

from __future__ import annotations

from collections.abc import Container, Hashable, Sequence
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

__all__ = ["alike", "equal_elements", "names_of", "parts_of", "places_of_new", "ranges", "shared"]

Objects = NDArray[np.object_]
Whole = NDArray[np.int64]

_WORTH = 0.8
"""Equal elements are looked for byte by byte only where that leaves less than this share of the work."""


def alike(*arrays: NDArray[Any]) -> tuple[Whole, Whole]:
    """The first of each set of elements that are alike, int64 (k,), and the set of each element, int64 (n,).

    Objects are alike where they are the same one, numbers where they are equal; rows of a table (n, m) as a whole.
    """
    places: dict[Any, int] = {}
    first: list[int] = []
    which = np.empty(len(arrays[0]), dtype=np.int64)
    for k, key in enumerate(names_of(*arrays)):
        if key not in places:
            places[key] = len(first)
            first.append(k)
        which[k] = places[key]
    return np.array(first, dtype=np.int64), which


def names_of(*arrays: NDArray[Any]) -> list[Hashable]:
    """A name for each element, the same for those that are alike; good as long as its objects are held."""
    return list(zip(*map(_names, arrays), strict=True))


def places_of_new(names: Sequence[Hashable], known: Container[Hashable]) -> dict[Hashable, int]:
    """Where each name that is not known yet stands first, in the order of the names."""
    places: dict[Hashable, int] = {}
    for place, name in enumerate(names):
        if name not in known:
            places.setdefault(name, place)
    return places


def _names(array: NDArray[Any]) -> list[Any]:
    if array.ndim > 1:
        return [row.tobytes() for row in np.ascontiguousarray(array)]
    return [id(one) for one in array] if array.dtype == object else array.tolist()


def equal_elements(*arrays: NDArray[Any]) -> tuple[Whole, Whole]:
    """The same for geometries that may be equal without being one object.

    They are told apart by their area and count of corners first, which is quick, and only where many agree by their
    bytes, which is certain. Where it would not save a fifth of the work each element is a set of its own.
    """
    count = len(arrays[0])
    first, which = alike(*arrays)
    if len(first) < _WORTH * count:
        return first, which
    each = np.arange(count), np.arange(count)
    if not all(array.dtype != object or shapely.is_geometry(array).all() for array in arrays):
        return each
    quick = [part for array in arrays for part in _quick(array)]
    if len(set(zip(*quick, strict=True))) >= _WORTH * count:
        return each
    found = alike(*(_bytes(array) if array.dtype == object else array for array in arrays))
    return found if len(found[0]) < _WORTH * count else each


def _quick(array: NDArray[Any]) -> list[list[Any]]:
    if array.dtype == object:
        return [shapely.area(array).tolist(), shapely.get_num_coordinates(array).tolist()]
    return [array.tolist()]


def _bytes(regions: Objects) -> NDArray[np.int64]:
    """A number for each geometry, the same for those of the same bytes."""
    numbers: dict[bytes, int] = {}
    return np.array([numbers.setdefault(one, len(numbers)) for one in shapely.to_wkb(regions)], dtype=np.int64)


def shared(regions: Objects) -> Objects:
    """The same geometries, equal ones as one object."""
    first, which = equal_elements(regions)
    return regions[first][which]


def parts_of(regions: Objects) -> tuple[Objects, Whole]:
    """Single polygons of regions that may hold several, and the region of each; parts of one object are one object."""
    first, which = alike(regions)
    parts, source = shapely.get_parts(regions[first], return_index=True)
    count = np.bincount(source, minlength=len(first))
    begin = np.cumsum(count) - count
    rows = ranges(begin[which], count[which])
    return np.asarray(parts, dtype=object)[rows], np.repeat(np.arange(len(regions)), count[which])


def ranges(start: Whole, count: Whole) -> Whole:
    """``start[0], start[0] + 1, ...`` (``count[0]`` of them), then the same for the next, in one array."""
    ends = np.cumsum(count)
    rows: Whole = np.repeat(start - (ends - count), count) + np.arange(int(ends[-1]) if len(ends) else 0)
    return rows
