"""Parts: read, check and repair meshes; their facts with their places; how they can stand; slices and pictures.

The names below are loaded when they are first asked for: a process of its own that reads a stranger's file should not
wait for the engine's compiled parts.
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from meanbead.core.part.facts import part_facts
    from meanbead.core.part.insight import part_insight
    from meanbead.core.part.read import read_mesh
    from meanbead.core.part.solid import Solid, make_solid

__all__ = ["Solid", "make_solid", "part_facts", "part_insight", "read_mesh"]

_WHERE = {
    "Solid": "solid",
    "make_solid": "solid",
    "part_facts": "facts",
    "part_insight": "insight",
    "read_mesh": "read",
}


def __getattr__(name: str) -> Any:
    if name not in _WHERE:
        raise AttributeError(f"{__name__} has no {name}")
    return getattr(import_module(f"{__name__}.{_WHERE[name]}"), name)
