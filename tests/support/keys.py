"""Recipes for geometry that has to come out to the last digit."""

from __future__ import annotations

from typing import Any


def exact(keys: dict[str, Any]) -> dict[str, Any]:
    """Keys of a recipe whose strokes end at the walls instead of reaching into them, so that areas and volumes are those of
    the part."""
    made = dict(keys)
    for topic in ("infill", "skins"):
        made[topic] = {"overlap": 0.0} | dict(made.get(topic, {}))
    return made
