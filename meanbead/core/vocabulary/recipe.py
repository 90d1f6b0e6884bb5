"""The recipe: what a person decides for one part.

Every key is optional. What is left out follows from the nozzle and the material (:mod:`meanbead.core.resolve`),
so that a recipe holds choices only, and a changed nozzle carries the rest along.
"""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from meanbead.core.vocabulary.base import AccelerationMmS2, LineWidthMm, Model, Share, SpeedMmS

InfillPattern = Literal["lines", "grid", "triangles", "cubic", "honeycomb", "gyroid", "concentric"]
AdhesionKind = Literal["none", "skirt", "brim"]
SeamPlace = Literal["nearest", "back"]
HeightMm = Annotated[float, Field(gt=0, le=2)]


class LineWidths(Model):
    """Bead width by feature, mm. Left out, inner follows outer, infill inner, solid infill, top solid."""

    outer_wall: LineWidthMm | None = None
    inner_wall: LineWidthMm | None = None
    infill: LineWidthMm | None = None
    solid: LineWidthMm | None = None
    top: LineWidthMm | None = None
    first_layer: LineWidthMm | None = None


class Infill(Model):
    """Sparse filling. ``density`` is the share of the volume that is plastic, before overlaps, with single lines.

    ``line_multiplier`` lays so many lines side by side in the place of each one, at the same cell size.
    """

    density: Share | None = None
    pattern: InfillPattern | None = None
    line_multiplier: Annotated[int, Field(ge=1, le=8)] | None = None
    angle_deg: Annotated[float, Field(ge=-360, le=360)] | None = None


class Speeds(Model):
    """Speed asked for by feature, mm/s."""

    outer_wall: SpeedMmS | None = None
    inner_wall: SpeedMmS | None = None
    infill: SpeedMmS | None = None
    solid: SpeedMmS | None = None
    top: SpeedMmS | None = None
    first_layer: SpeedMmS | None = None
    travel: SpeedMmS | None = None


class RecipeAccelerations(Model):
    """Acceleration asked for, mm/s2; left out, the machine's own."""

    outer_wall: AccelerationMmS2 | None = None
    print: AccelerationMmS2 | None = None
    travel: AccelerationMmS2 | None = None


class Retraction(Model):
    """Pulling the filament back before a travel; ``wipe_mm`` is how far the nozzle goes back meanwhile."""

    length_mm: Annotated[float, Field(ge=0, le=20)] | None = None
    speed_mm_s: Annotated[float, Field(gt=0, le=200)] | None = None
    min_travel_mm: Annotated[float, Field(ge=0, le=500)] | None = None
    z_hop_mm: Annotated[float, Field(ge=0, le=5)] | None = None
    wipe_mm: Annotated[float, Field(ge=0, le=20)] | None = None


class Cooling(Model):
    """Least time that a layer takes, and how slow the nozzle may go to reach it."""

    min_layer_time_s: Annotated[float, Field(ge=0, le=600)] | None = None
    min_speed_mm_s: SpeedMmS | None = None


class Adhesion(Model):
    """The start on the bed. ``loops`` and ``distance_mm`` are the skirt's, ``width_mm`` the brim's."""

    kind: AdhesionKind | None = None
    loops: Annotated[int, Field(ge=0, le=50)] | None = None
    distance_mm: Annotated[float, Field(ge=0, le=50)] | None = None
    width_mm: Annotated[float, Field(ge=0, le=100)] | None = None


class Recipe(Model):
    """What a person chose. See :class:`meanbead.core.resolve.Plan` for what a printer is told."""

    nozzle_diameter_mm: Annotated[float, Field(ge=0.1, le=2.0)] | None = None
    layer_height_mm: HeightMm | None = None
    first_layer_height_mm: HeightMm | None = None
    walls: Annotated[int, Field(ge=0, le=100)] | None = None
    top_layers: Annotated[int, Field(ge=0, le=1000)] | None = None
    bottom_layers: Annotated[int, Field(ge=0, le=1000)] | None = None
    nozzle_temp_c: Annotated[float, Field(ge=100, le=500)] | None = None
    bed_temp_c: Annotated[float, Field(ge=0, le=200)] | None = None
    line_width_mm: LineWidths = LineWidths()
    infill: Infill = Infill()
    speed_mm_s: Speeds = Speeds()
    acceleration_mm_s2: RecipeAccelerations = RecipeAccelerations()
    retraction: Retraction = Retraction()
    cooling: Cooling = Cooling()
    adhesion: Adhesion = Adhesion()
    seam: SeamPlace | None = None
    flow_ratio: Annotated[float, Field(ge=0.5, le=1.5)] | None = None
