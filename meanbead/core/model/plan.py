"""A plan: a recipe with nothing left open. Its ``shape`` decides where strokes go, the rest how they are run.

:func:`meanbead.core.recipe.resolve.resolve` makes plans; everything after it reads them.
"""

from __future__ import annotations

from dataclasses import asdict, dataclass

from meanbead.core.model.recipe import (
    AboveMelt,
    Adhesion,
    AdhesionKind,
    Cooling,
    Copies,
    CopyOrder,
    HeightRange,
    Infill,
    InfillPattern,
    Ironing,
    IroningKind,
    IroningPattern,
    LineWidths,
    OverSparse,
    Recipe,
    RecipeAccelerations,
    Retraction,
    SeamPlace,
    ShortLayers,
    SkinOrder,
    SkinPattern,
    Skins,
    Speeds,
    SupportKind,
    Supports,
    ThinWalls,
    TravelConvention,
    VariableHeight,
    WallOrder,
)

__all__ = [
    "CopyShape",
    "FeatureSpeeds",
    "IroningShape",
    "Plan",
    "Shape",
    "SkinShape",
    "SlopeHeights",
    "SupportShape",
    "Widths",
]


@dataclass(frozen=True)
class Widths:
    """Bead width by feature, mm."""

    outer_wall: float
    inner_wall: float
    infill: float
    solid: float
    top: float
    first_layer: float


@dataclass(frozen=True)
class FeatureSpeeds:
    """Speed asked for by feature, mm/s."""

    outer_wall: float
    inner_wall: float
    infill: float
    solid: float
    top: float
    bridge: float
    support: float
    ironing: float
    first_layer: float
    travel: float


@dataclass(frozen=True)
class SlopeHeights:
    """Layer heights that follow the slope, mm; ``step_mm`` is the grid that they lie on, 0 for any height."""

    min_mm: float
    max_mm: float
    ridge_mm: float
    max_step_mm: float
    step_mm: float


@dataclass(frozen=True)
class SkinShape:
    """How floors and tops are laid."""

    pattern: SkinPattern
    top_pattern: SkinPattern
    first_layer_pattern: SkinPattern
    angle_deg: float
    angles_deg: tuple[float, ...]
    overlap_mm: float
    drop_narrow_mm: float
    grow_mm: float
    order: SkinOrder
    extra_top: bool
    over_sparse: OverSparse


@dataclass(frozen=True)
class IroningShape:
    """Where the second pass over tops goes, and how much plastic it adds."""

    kind: IroningKind
    pattern: IroningPattern
    flow: float
    spacing_mm: float
    inset_mm: float


@dataclass(frozen=True)
class SupportShape:
    """Scaffolds under overhangs; all zero when there are none."""

    kind: SupportKind
    angle_deg: float
    spacing_mm: float
    interface_layers: int
    gap_layers: int
    gap_mm: float
    bed_only: bool


@dataclass(frozen=True)
class CopyShape:
    """Copies on the plate."""

    count: int
    order: CopyOrder
    gap_mm: float


@dataclass(frozen=True)
class Shape:
    """All that decides where strokes go. Nothing else may enter the strokes' cache key."""

    bore_mm: float
    layer_height_mm: float
    first_layer_height_mm: float
    slope_heights: SlopeHeights | None
    walls: int
    top_layers: int
    bottom_layers: int
    height_ranges: tuple[HeightRange, ...]
    width_mm: Widths
    thin_walls: ThinWalls
    wall_order: WallOrder
    spiral: bool
    seam: SeamPlace
    travel: TravelConvention
    infill_density: float
    infill_pattern: InfillPattern
    infill_angle_deg: float
    infill_angles_deg: tuple[float, ...]
    infill_lines_side_by_side: int
    infill_overlap_mm: float
    infill_join: bool
    skins: SkinShape
    bridge_flow_ratio: float
    ironing: IroningShape
    supports: SupportShape
    adhesion: AdhesionKind
    skirt_loops: int
    skirt_distance_mm: float
    brim_width_mm: float
    brim_holes: bool
    raft_layers: int
    raft_layer_mm: float
    copies: CopyShape


@dataclass(frozen=True)
class Plan:
    """A recipe with nothing left open: where strokes go (``shape``) and how they are run."""

    shape: Shape
    nozzle_temp_c: float
    first_layer_nozzle_temp_c: float
    bed_temp_c: float
    first_layer_bed_temp_c: float
    speed_mm_s: FeatureSpeeds
    outer_wall_acceleration_mm_s2: float
    infill_acceleration_mm_s2: float
    print_acceleration_mm_s2: float
    travel_acceleration_mm_s2: float
    retraction_mm: float
    retraction_speed_mm_s: float
    min_travel_mm: float
    z_hop_mm: float
    wipe_mm: float
    min_layer_time_s: float
    min_speed_mm_s: float
    short_layers: ShortLayers
    fan: float
    bridge_fan: float
    fan_off_layers: int
    above_melt: AboveMelt
    flow_ratio: float

    def as_recipe(self) -> Recipe:
        """The same plan as a recipe in which every key is given; resolving it gives this plan again."""
        shape, widths, speeds = self.shape, self.shape.width_mm, asdict(self.speed_mm_s)
        ironing_speed = speeds.pop("ironing")
        slope = shape.slope_heights
        return Recipe(
            layer_height_mm=shape.layer_height_mm,
            first_layer_height_mm=shape.first_layer_height_mm,
            walls=shape.walls,
            top_layers=shape.top_layers,
            bottom_layers=shape.bottom_layers,
            nozzle_temp_c=self.nozzle_temp_c,
            first_layer_nozzle_temp_c=self.first_layer_nozzle_temp_c,
            bed_temp_c=self.bed_temp_c,
            first_layer_bed_temp_c=self.first_layer_bed_temp_c,
            thin_walls=shape.thin_walls,
            wall_order=shape.wall_order,
            spiral=shape.spiral,
            seam=shape.seam,
            line_width_mm=LineWidths(**asdict(widths)),
            infill=Infill(
                density=shape.infill_density,
                pattern=shape.infill_pattern,
                angle_deg=shape.infill_angle_deg,
                angles_deg=shape.infill_angles_deg,
                lines_side_by_side=shape.infill_lines_side_by_side,
                overlap=min(1.0, round(shape.infill_overlap_mm / widths.infill, 6)),
                overlap_mm=shape.infill_overlap_mm,
                join=shape.infill_join,
            ),
            skins=Skins(**asdict(shape.skins), overlap=min(1.0, round(shape.skins.overlap_mm / widths.solid, 6))),
            ironing=Ironing(**asdict(shape.ironing), speed_mm_s=ironing_speed),
            speed_mm_s=Speeds(**speeds),
            acceleration_mm_s2=RecipeAccelerations(
                outer_wall=self.outer_wall_acceleration_mm_s2,
                infill=self.infill_acceleration_mm_s2,
                print=self.print_acceleration_mm_s2,
                travel=self.travel_acceleration_mm_s2,
            ),
            travel=shape.travel,
            retraction=Retraction(
                length_mm=self.retraction_mm,
                speed_mm_s=self.retraction_speed_mm_s,
                min_travel_mm=self.min_travel_mm,
                z_hop_mm=self.z_hop_mm,
                wipe_mm=self.wipe_mm,
            ),
            cooling=Cooling(
                min_layer_time_s=self.min_layer_time_s,
                min_speed_mm_s=self.min_speed_mm_s,
                short_layers=self.short_layers,
                fan=self.fan,
                bridge_fan=self.bridge_fan,
                fan_off_layers=self.fan_off_layers,
            ),
            adhesion=Adhesion(
                kind=shape.adhesion,
                loops=shape.skirt_loops,
                distance_mm=shape.skirt_distance_mm,
                width_mm=shape.brim_width_mm,
                holes=shape.brim_holes,
                layers=shape.raft_layers,
                raft_layer_mm=shape.raft_layer_mm,
            ),
            supports=Supports(**asdict(shape.supports)),
            variable_height=(
                VariableHeight(kind="even")
                if slope is None
                else VariableHeight(
                    kind="by_slope",
                    min_mm=slope.min_mm,
                    max_mm=slope.max_mm,
                    ridge_mm=slope.ridge_mm,
                    max_step_mm=slope.max_step_mm,
                    full_steps=slope.step_mm > 0,
                )
            ),
            height_ranges=shape.height_ranges,
            copies=Copies(**asdict(shape.copies)),
            above_melt=self.above_melt,
            flow_ratio=self.flow_ratio,
            bridge_flow_ratio=shape.bridge_flow_ratio,
        )
