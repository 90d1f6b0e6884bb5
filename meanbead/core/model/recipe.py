"""The recipe: what a person decides for one part.

Every key is optional. What is left out follows from the nozzle and the material (:mod:`meanbead.core.recipe.resolve`),
so that a recipe holds choices only, and a changed nozzle carries the rest along.
"""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from meanbead.core.model.base import AccelerationMmS2, LineWidthMm, Model, Share, SpeedMmS

__all__ = [
    "AboveMelt",
    "Adhesion",
    "AdhesionKind",
    "Cooling",
    "Copies",
    "CopyOrder",
    "HeightRange",
    "Infill",
    "InfillPattern",
    "Ironing",
    "IroningKind",
    "IroningPattern",
    "LineWidths",
    "OverSparse",
    "Recipe",
    "RecipeAccelerations",
    "Retraction",
    "SeamPlace",
    "ShortLayers",
    "SkinOrder",
    "SkinPattern",
    "Skins",
    "Speeds",
    "SupportKind",
    "Supports",
    "ThinWalls",
    "TravelConvention",
    "VariableHeight",
    "WallOrder",
]

InfillPattern = Literal[
    "lines", "grid", "triangles", "cubic", "adaptive", "honeycomb", "honeycomb_3d", "gyroid", "concentric"
]
SkinPattern = Literal["lines", "zigzag", "concentric"]
AdhesionKind = Literal["none", "skirt", "brim", "raft"]
SeamPlace = Literal["back", "corner", "nearest", "scattered"]
ThinWalls = Literal["variable", "fixed"]
WallOrder = Literal["inside_out", "outside_in"]
IroningKind = Literal["none", "topmost", "all_tops"]
SkinOrder = Literal["sweep", "one_way", "nearest"]
IroningPattern = Literal["lines", "one_way", "concentric"]
SupportKind = Literal["none", "columns", "trees"]
HeightKind = Literal["even", "by_slope"]
TravelConvention = Literal["straight", "inside"]
CopyOrder = Literal["by_layer", "one_by_one"]
AboveMelt = Literal["slow_down", "run_on"]
ShortLayers = Literal["slow", "wait", "lift_and_wait"]
OverSparse = Literal["by_gap", "solid", "bridge"]
HeightMm = Annotated[float, Field(gt=0, le=2)]
AngleDeg = Annotated[float, Field(ge=-360, le=360)]
AnglesDeg = Annotated[tuple[AngleDeg, ...], Field(max_length=24)]
TempC = Annotated[float, Field(ge=100, le=500)]
BedTempC = Annotated[float, Field(ge=0, le=200)]


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

    ``lines_side_by_side`` lays so many lines side by side in the place of each one, at the same cell size. ``join`` lays the
    way along the wall from one stroke to the next, too, so that less is pulled back. ``overlap`` is how far strokes reach
    into the walls as a share of their width; ``overlap_mm``, where given, decides instead. ``angles_deg``, where there are
    any, are the strokes' angles layer by layer, from the first again after the last, instead of ``angle_deg``.
    """

    density: Share | None = None
    pattern: InfillPattern | None = None
    lines_side_by_side: Annotated[int, Field(ge=1, le=8)] | None = None
    angle_deg: AngleDeg | None = None
    angles_deg: AnglesDeg = ()
    overlap: Share | None = None
    overlap_mm: Annotated[float, Field(ge=0, le=2)] | None = None
    join: bool | None = None


class Skins(Model):
    """Floors and tops. A thickness, where given, decides instead of the count of layers.

    ``top_pattern`` is the tops' own pattern, and ``first_layer_pattern`` that of the layer on the bed. ``overlap`` is how
    far strokes reach into the walls as a share of their width; ``overlap_mm``, where given, decides instead. ``order``
    says how straight strokes follow each other: ``sweep`` lays each beside the one before, to and fro; ``one_way`` does, and tops
    in one direction only; ``nearest`` takes them as they come. ``extra_top`` adds one layer under the topmost faces. ``over_sparse`` says how
    the first solid layer over sparse filling is laid: as any solid layer, as bridges, or by the filling's gap. Of skin at
    steep walls, bits narrower than ``drop_narrow_mm`` are left to the sparse filling; what is kept grows by ``grow_mm``
    into it, to be held. ``angles_deg`` are angles layer by layer instead of ``angle_deg``.
    """

    top_mm: Annotated[float, Field(ge=0, le=100)] | None = None
    bottom_mm: Annotated[float, Field(ge=0, le=100)] | None = None
    pattern: SkinPattern | None = None
    top_pattern: SkinPattern | None = None
    first_layer_pattern: SkinPattern | None = None
    angle_deg: AngleDeg | None = None
    angles_deg: AnglesDeg = ()
    overlap: Share | None = None
    overlap_mm: Annotated[float, Field(ge=0, le=2)] | None = None
    drop_narrow_mm: Annotated[float, Field(ge=0, le=20)] | None = None
    grow_mm: Annotated[float, Field(ge=0, le=20)] | None = None
    order: SkinOrder | None = None
    extra_top: bool | None = None
    over_sparse: OverSparse | None = None

    @model_validator(mode="before")
    @classmethod
    def _older(cls, data: Any) -> Any:
        """Recipes of before ``order`` had ``one_way``: yes, or no."""
        if isinstance(data, dict) and isinstance(data.get("one_way"), bool | None) and "one_way" in data:
            older = {key: value for key, value in data.items() if key != "one_way"}
            if data["one_way"] is not None and older.get("order") is None:
                older["order"] = "one_way" if data["one_way"] else "nearest"
            return older
        return data


class Ironing(Model):
    """A second pass over tops with little plastic. ``flow`` is the share of the plastic that would fill the spacing."""

    kind: IroningKind | None = None
    pattern: IroningPattern | None = None
    flow: Annotated[float, Field(ge=0, le=1)] | None = None
    spacing_mm: Annotated[float, Field(ge=0.02, le=2)] | None = None
    inset_mm: Annotated[float, Field(ge=0, le=10)] | None = None
    speed_mm_s: SpeedMmS | None = None


class Supports(Model):
    """Scaffolds under overhangs steeper than ``angle_deg`` from upright.

    ``spacing_mm`` is the distance between lines of columns, or between the tips of trees; ``interface_layers`` dense
    layers part the two; ``gap_layers`` stay empty under the part, ``gap_mm`` beside it.
    """

    kind: SupportKind | None = None
    angle_deg: Annotated[float, Field(ge=0, le=89)] | None = None
    spacing_mm: Annotated[float, Field(ge=0.3, le=50)] | None = None
    interface_layers: Annotated[int, Field(ge=0, le=20)] | None = None
    gap_layers: Annotated[int, Field(ge=0, le=5)] | None = None
    gap_mm: Annotated[float, Field(ge=0, le=5)] | None = None
    bed_only: bool | None = None


class VariableHeight(Model):
    """Layer heights from the slope: where ``kind`` is ``by_slope`` no ridge is higher than ``ridge_mm``, between bounds,
    neighbours differing by at most ``max_step_mm``; with ``full_steps`` only multiples of the motor's full step."""

    kind: HeightKind | None = None
    min_mm: HeightMm | None = None
    max_mm: HeightMm | None = None
    ridge_mm: Annotated[float, Field(gt=0, le=2)] | None = None
    max_step_mm: Annotated[float, Field(gt=0, le=2)] | None = None
    full_steps: bool | None = None


class HeightRange(Model):
    """From one height to another other walls, skins or infill than elsewhere."""

    from_mm: Annotated[float, Field(ge=0)]
    to_mm: Annotated[float, Field(gt=0)]
    infill_density: Share | None = None
    walls: Annotated[int, Field(ge=0, le=100)] | None = None
    top_layers: Annotated[int, Field(ge=0, le=1000)] | None = None
    bottom_layers: Annotated[int, Field(ge=0, le=1000)] | None = None

    @model_validator(mode="after")
    def _upward(self) -> HeightRange:
        if self.to_mm <= self.from_mm:
            raise ValueError("to_mm has to be above from_mm")
        return self


class Copies(Model):
    """Several of the part on one plate, ``gap_mm`` apart, layer by layer or one after the other."""

    count: Annotated[int, Field(ge=1, le=400)] | None = None
    order: CopyOrder | None = None
    gap_mm: Annotated[float, Field(ge=0, le=200)] | None = None


class Speeds(Model):
    """Speed asked for by feature, mm/s."""

    outer_wall: SpeedMmS | None = None
    inner_wall: SpeedMmS | None = None
    infill: SpeedMmS | None = None
    solid: SpeedMmS | None = None
    top: SpeedMmS | None = None
    bridge: SpeedMmS | None = None
    support: SpeedMmS | None = None
    first_layer: SpeedMmS | None = None
    travel: SpeedMmS | None = None


class RecipeAccelerations(Model):
    """Acceleration asked for, mm/s2; left out, the machine's own."""

    outer_wall: AccelerationMmS2 | None = None
    infill: AccelerationMmS2 | None = None
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
    """Least time that a layer takes, and how slow the nozzle may go to reach it; fan as a share of its full speed.

    ``short_layers`` says what happens where even the least speed is too fast: the layer stays short, or the nozzle
    waits, in place or lifted aside.

    The fan stays off for the first ``fan_off_layers``. Fan speeds cost no time.
    """

    min_layer_time_s: Annotated[float, Field(ge=0, le=600)] | None = None
    min_speed_mm_s: SpeedMmS | None = None
    short_layers: ShortLayers | None = None
    fan: Share | None = None
    bridge_fan: Share | None = None
    fan_off_layers: Annotated[int, Field(ge=0, le=1000)] | None = None


class Adhesion(Model):
    """The start on the bed. ``loops`` and ``distance_mm`` are the skirt's; ``width_mm`` is the brim's, or how far a raft
    stands out; ``holes`` puts a brim into holes, too; ``layers`` counts the raft's."""

    kind: AdhesionKind | None = None
    loops: Annotated[int, Field(ge=0, le=50)] | None = None
    distance_mm: Annotated[float, Field(ge=0, le=50)] | None = None
    width_mm: Annotated[float, Field(ge=0, le=100)] | None = None
    holes: bool | None = None
    layers: Annotated[int, Field(ge=1, le=20)] | None = None
    raft_layer_mm: HeightMm | None = None


class Recipe(Model):
    """What a person chose. See :class:`meanbead.core.model.plan.Plan` for what a printer is told.

    ``above_melt`` says what happens to speeds that ask for more than the hot end melts: they are held back, or they run on,
    up to where the drive may skip, and less plastic comes out than is asked for.
    """

    nozzle_diameter_mm: Annotated[float, Field(ge=0.1, le=2.0)] | None = None
    layer_height_mm: HeightMm | None = None
    first_layer_height_mm: HeightMm | None = None
    walls: Annotated[int, Field(ge=0, le=100)] | None = None
    top_layers: Annotated[int, Field(ge=0, le=1000)] | None = None
    bottom_layers: Annotated[int, Field(ge=0, le=1000)] | None = None
    nozzle_temp_c: TempC | None = None
    first_layer_nozzle_temp_c: TempC | None = None
    bed_temp_c: BedTempC | None = None
    first_layer_bed_temp_c: BedTempC | None = None
    thin_walls: ThinWalls | None = None
    wall_order: WallOrder | None = None
    spiral: bool | None = None
    seam: SeamPlace | None = None
    line_width_mm: LineWidths = LineWidths()
    infill: Infill = Infill()
    skins: Skins = Skins()
    ironing: Ironing = Ironing()
    speed_mm_s: Speeds = Speeds()
    acceleration_mm_s2: RecipeAccelerations = RecipeAccelerations()
    travel: TravelConvention | None = None
    retraction: Retraction = Retraction()
    cooling: Cooling = Cooling()
    adhesion: Adhesion = Adhesion()
    supports: Supports = Supports()
    variable_height: VariableHeight = VariableHeight()
    height_ranges: Annotated[tuple[HeightRange, ...], Field(max_length=50)] = ()
    copies: Copies = Copies()
    above_melt: AboveMelt | None = None
    flow_ratio: Annotated[float, Field(ge=0.5, le=1.5)] | None = None
    bridge_flow_ratio: Annotated[float, Field(ge=0.3, le=1.5)] | None = None
