"""The features of a print, by number (for arrays) and by name (for people)."""

from __future__ import annotations

from enum import IntEnum


class Feature(IntEnum):
    """What a stroke is for. The numbers are stored in arrays; the lower-case names are the contract's."""

    OUTER_WALL = 0
    INNER_WALL = 1
    INFILL = 2
    SOLID = 3
    TOP = 4
    BOTTOM = 5
    SKIRT = 6
    TRAVEL = 7
    BRIM = 8


FEATURES: tuple[str, ...] = tuple(feature.name.lower() for feature in Feature)
