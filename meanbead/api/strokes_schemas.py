"""What the API takes and gives: the layers view."""

from __future__ import annotations

from meanbead.api.schema import Schema
from meanbead.core.gcode.replay import MarkKind


class BeyondMark(Schema):
    """Something that a replayed file does beyond the machine: in which line and layer, how much it asks for and how much
    there is."""

    kind: MarkKind
    line: int
    layer: int | None
    value: float
    limit: float


class StrokesIndex(Schema):
    """What there is to draw of a column, layer by layer, before any stroke is fetched. ``features`` and ``causes``
    are the names of the numbers that strokes come with. ``returns_mm`` is how much of a layer's top strokes lies against an older
    edge. ``marks`` are places where a
    replayed file goes beyond the machine, the first thousand."""

    strokes: int
    first_stroke: list[int]
    top_mm: list[float]
    height_mm: list[float]
    time_s: list[float]
    wait_s: list[float]
    returns_mm: list[float]
    features: list[str]
    features_used: list[str]
    causes: list[str]
    low_mm: list[float]
    high_mm: list[float]
    melt_ceiling_mm3_s: float
    fastest_mm_s: float
    marks: list[BeyondMark]
