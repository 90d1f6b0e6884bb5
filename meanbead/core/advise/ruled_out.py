"""Why a search has not computed a recipe: counted by kind, told by the one that came nearest."""

from __future__ import annotations

import math
from typing import NamedTuple

from meanbead.core.model.base import Result

__all__ = ["Reason", "Reasons", "RuledOut", "distance"]

_TOLD = 4


class RuledOut(Result):
    """What kept recipes from being computed at all: how many, and in words the one that came nearest."""

    count: int
    sentence: str


_OF_SHAPE = ("layer_height_mm", "line_width_mm", "layer_height_low", "layer_height_high", "ridge_mm")


class Reason(NamedTuple):
    """Why a point is ruled out: the kind, in words, and by how much it misses."""

    kind: str
    sentence: str
    distance: float = math.inf

    @property
    def of_shape(self) -> bool:
        """Whether heights, widths and the nozzle alone decide it, whatever the filling and the speeds."""
        return self.kind.startswith(_OF_SHAPE)


class Reasons:
    """Why points were not computed: by kind, how many, and the sentence of the one that came nearest. ``count`` is that of
    all, repeated ones among them."""

    def __init__(self) -> None:
        self.count = 0
        self._kinds: dict[str, tuple[int, float, str]] = {}

    def add(self, reason: Reason) -> None:
        """A point that something keeps out."""
        self.count += 1
        count, nearest, before = self._kinds.get(reason.kind, (0, math.inf, reason.sentence))
        closest = min((nearest, before), (reason.distance, reason.sentence), key=lambda found: found[0])
        self._kinds[reason.kind] = (count + 1, *closest)

    def add_repeated(self) -> None:
        """A point that comes to the same plan as one before: nothing keeps it out."""
        self.count += 1

    def commonest(self) -> list[RuledOut]:
        """The commonest kinds first, four at most."""
        found = sorted(self._kinds.values(), key=lambda reason: -reason[0])[:_TOLD]
        return [RuledOut(count=count, sentence=sentence[:1].upper() + sentence[1:]) for count, _, sentence in found]


def distance(value: float | None, limit: float | None) -> float:
    """By how much a value misses its limit; infinite where one of them is no number."""
    return math.inf if value is None or limit is None else abs(value - limit)
