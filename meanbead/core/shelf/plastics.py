"""Typical plastics to start from, each marked *typical*: a maker's own sheet goes before any of them."""

from __future__ import annotations

import tomllib
from functools import cache
from importlib.resources import files

from meanbead.core.model.material import Material

__all__ = ["typical_plastics"]


@cache
def typical_plastics() -> tuple[Material, ...]:
    """The library, the easy ones first. Figures are from general knowledge; see docs/method.md for what they rest on."""
    catalogue = tomllib.loads(files("meanbead.core.shelf").joinpath("plastics.toml").read_text("utf-8"))
    return tuple(Material(name=name, **figures) for name, figures in catalogue.items())
