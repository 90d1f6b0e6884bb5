"""A memory for what is made of geometries one by one, bounded in bytes, shared by threads."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from threading import Lock
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

__all__ = ["ElementMemory"]

Objects = NDArray[np.object_]

_BYTES_A_CORNER = 24
_BYTES_AN_ELEMENT = 600
"""As the library holds them. The geometries asked for are not counted: nearly all are another's answer."""


class ElementMemory:
    """Remembers what functions made of single geometries (and a number each).

    A geometry is known by being the same object, so that to ask costs no more than a look into a dictionary; what is
    answered is the same object each time, so that what is made of it in turn is found, too. The least recently used is
    let go.
    """

    def __init__(self, max_bytes: int) -> None:
        self._max_bytes = max_bytes
        self._bytes = 0
        # The geometry is held beside the answer, so that no other takes its name.
        self._held: OrderedDict[tuple[str, int, float], tuple[Any, Any, int]] = OrderedDict()
        self._lock = Lock()

    @property
    def nbytes(self) -> int:
        """Bytes held now, estimated from the corners."""
        return self._bytes

    def apply(
        self,
        name: str,
        function: Callable[[Objects, NDArray[np.float64]], Objects],
        regions: Objects,
        number: NDArray[np.float64],
    ) -> Objects:
        """``function(regions, number)``, element by element, made only where it is not held; ``name`` is the function's."""
        keys = [(name, id(region), value) for region, value in zip(regions, number.tolist(), strict=True)]
        result = np.empty(len(regions), dtype=object)
        missing = []
        with self._lock:
            for k, key in enumerate(keys):
                held = self._held.get(key)
                if held is None:
                    missing.append(k)
                else:
                    result[k] = held[1]
                    self._held.move_to_end(key)
        if missing:
            first = list({keys[k]: k for k in reversed(missing)}.values())[::-1]
            made = dict(zip((keys[k] for k in first), function(regions[first], number[first]), strict=True))
            for k in missing:
                result[k] = made[keys[k]]
            self._keep(regions[first], [keys[k] for k in first], list(made.values()))
        return result

    def _keep(self, regions: Objects, keys: list[tuple[str, int, float]], made: list[Any]) -> None:
        corners = shapely.get_num_coordinates(np.array(made, dtype=object))
        sizes = (_BYTES_AN_ELEMENT + _BYTES_A_CORNER * corners).tolist()
        with self._lock:
            for key, region, one, size in zip(keys, regions, made, sizes, strict=True):
                if key not in self._held:
                    self._held[key] = region, one, size
                    self._bytes += size
            while self._bytes > self._max_bytes and self._held:
                _, (_, _, size) = self._held.popitem(last=False)
                self._bytes -= size
