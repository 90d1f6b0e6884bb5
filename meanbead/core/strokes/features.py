"""The features of a print, by number (for arrays) and by name (for people)."""

from __future__ import annotations

from enum import IntEnum

__all__ = ["FEATURES", "SKIN_FEATURES", "WALL_FEATURES", "Feature"]


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
    THIN_WALL = 9
    BRIDGE = 10
    SUPPORT = 11
    SUPPORT_INTERFACE = 12
    RAFT = 13
    IRONING = 14


FEATURES: tuple[str, ...] = tuple(feature.name.lower() for feature in Feature)
WALL_FEATURES = (Feature.OUTER_WALL, Feature.INNER_WALL, Feature.THIN_WALL)
SKIN_FEATURES = (Feature.BOTTOM, Feature.SOLID, Feature.TOP)
