"""What a part is, in numbers."""

from __future__ import annotations

from meanbead.core.vocabulary.estimate import Result


class Extents(Result):
    """Size of the bounding box, mm."""

    x: float
    y: float
    z: float


class PartFacts(Result):
    """Facts about a sound solid, standing as it will be printed."""

    volume_mm3: float
    surface_mm2: float
    extents_mm: Extents
    triangles: int
    bodies: int
    sound: bool
    mended: list[str]
    footprint_mm2: float
    digest: str
