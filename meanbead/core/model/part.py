"""What a part is, in numbers."""

from __future__ import annotations

from meanbead.core.model.estimate import Result

__all__ = ["Extents", "Guesses", "PartFacts"]


class Extents(Result):
    """Size of the bounding box, mm."""

    x: float
    y: float
    z: float


class Guesses(Result):
    """What was guessed to close a surface: the area that no file held, its share of the whole, and what was done and
    left out, in sentences."""

    added_mm2: float
    share: float
    volume_mm3: float
    sentences: list[str]


class PartFacts(Result):
    """Facts about a sound solid, standing as it will be printed. ``flat_summit_mm2`` is how much of it is level at its very
    top."""

    volume_mm3: float
    surface_mm2: float
    extents_mm: Extents
    triangles: int
    bodies: int
    sound: bool
    mended: list[str]
    footprint_mm2: float
    flat_summit_mm2: float = 0.0
    digest: str
