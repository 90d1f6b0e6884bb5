"""What an estimate says, and where each second and gram of it goes."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from meanbead.core.model.base import Provenance, Result
from meanbead.core.model.finding import Finding, Severity

__all__ = ["Causes", "Estimate", "FeatureShare", "Finding", "Interval", "LayerLedger", "Result", "Severity"]


class FeatureShare(Result):
    """One feature's part of the print. ``peak_flow_mm3_s`` is what the nozzle really reaches there; ``under_extruded_mm3`` is asked
    for faster than it melts and does not come out."""

    time_s: float
    filament_mm: float
    filament_g: float
    length_mm: float
    peak_flow_mm3_s: float
    asked_flow_mm3_s: float
    capped: bool
    under_extruded_mm3: float = 0.0


class Causes(Result):
    """Each second of the print by what held it; the sum is ``print_time_s``.

    ``corners_s`` is what plastic would gain if corners could be taken at full speed, ``ramps_s`` what is left of
    speeding up and slowing down.
    """

    at_set_speed_s: float
    melt_ceiling_s: float
    ramps_s: float
    corners_s: float
    layer_cooling_s: float
    travelling_s: float
    retracting_s: float
    z_and_layer_change_s: float


class Interval(Result):
    """Range in which nine of ten print times are expected to fall, with what it rests on.

    ``source`` is *measured* where it rests on ``runs`` logged runs of this machine as it is now; ``expected_s`` is then what
    the print will really take, else what was computed. Grams likewise, where prints of it were weighed (``weighed`` of them).
    """

    low_s: float
    high_s: float
    source: Provenance
    basis: str
    runs: int = 0
    expected_s: float | None = None
    weighed: int = 0
    expected_g: float | None = None
    low_g: float | None = None
    high_g: float | None = None


class Indices(Result):
    """What a recipe makes of a part, to be compared with another recipe of it: strength indices, never a rating
    (:mod:`meanbead.core.formulas.strength`), the steepest overhang that prints clean, and how much of the tops' strokes is laid
    against an older edge."""

    bond: float
    crush: float
    sideways: float
    bend: float
    clean_overhang_deg: float
    returns_mm: float


class IgnoredSurface(Result):
    """The inside of a hollow part that a spiral does not follow: its area, and from where to where it reaches."""

    area_mm2: float
    from_mm: float
    to_mm: float


class Estimate(Result):
    """Time, filament and cost of one part with one recipe on one machine.

    ``cost`` is filament, electricity and wear. ``cool_down_s``, until nozzle and bed can be touched, comes after ``whole_time_s``. ``lost_mm3`` was asked for and
    is too thin to be laid, ``overfilled_mm3`` is laid twice, ``void_mm3`` is left empty between walls because no bead of
    filling fits, ``infill_asked_mm3`` is the infill at the density asked for, ``under_extruded_mm3`` is asked for faster than it melts and does not come out. ``melt_basis`` says what the melt
    ceiling rests on, empty where it is a typical hot end's. ``height_mm`` is what comes out, ``height_off_mm`` by how much that is more than the part.
    ``short_layers`` still end before the least layer time, the shortest after ``shortest_layer_s``. ``hanging_mm2`` of
    floors hangs with nothing under it, ``left_out_mm2`` of overhangs asked for supports and got none, ``hanging_width_mm`` across where it is widest, ``hanging_at_mm`` up; ``ignored`` is what a spiral does not follow.
    Where ``layers_planned`` is less than ``layers``, the
    figures are those of a sample and may be off by the share ``sampling_error``, its filament by ``filament_error``.
    ``plate_mm`` is the size of all that is
    laid, x and y, zero where it is not known; ``measures`` are worked out for the shell only; ``substituted`` are the numbers of layers whose section stands in from a neighbour.
    """

    engine_version: str
    print_time_s: float
    start_time_s: float
    end_time_s: float
    heat_up_s: float
    whole_time_s: float
    cool_down_s: float
    filament_mm: float
    filament_mm3: float
    filament_g: float
    filament_cost: float
    power_cost: float
    wear_cost: float
    cost: float
    lost_mm3: float
    overfilled_mm3: float
    void_mm3: float
    infill_asked_mm3: float = 0.0
    under_extruded_mm3: float = 0.0
    returns_mm: float = 0.0
    height_mm: float
    height_off_mm: float
    short_layers: int
    shortest_layer_s: float
    hanging_mm2: float
    hanging_width_mm: float
    hanging_at_mm: float
    left_out_mm2: float = 0.0
    ignored: IgnoredSurface | None = None
    layers: int
    layers_planned: int
    sampling_error: float
    filament_error: float
    travel_mm: float
    retractions: int
    by_feature: dict[str, FeatureShare]
    by_cause: Causes
    peak_flow_mm3_s: float
    asked_flow_mm3_s: float
    melt_ceiling_mm3_s: float
    melt_ceiling_source: Provenance
    melt_basis: str = ""
    melt_capped: bool
    plate_mm: Annotated[tuple[float, ...], Field(min_length=2, max_length=2)]
    substituted: list[int]
    findings: list[Finding]
    interval: Interval
    measures: Indices | None = None


class LayerLedger(Result):
    """Where the seconds and the plastic go, layer by layer; all lists run from the lowest layer to the highest.

    Areas, mm2, are of the part without its start and supports: what the recipe asks to be filled (sparse filling by
    its density), what is laid, lost, laid twice, and void because no bead fits. ``substituted`` are the numbers of layers whose section could not
    be taken and stands in from a neighbour. ``returns_mm`` is how much of its tops' strokes is laid against an edge that is older
    than the stroke just before.
    """

    top_mm: list[float]
    height_mm: list[float]
    time_s: list[float]
    by_feature_s: dict[str, list[float]]
    by_cause_s: dict[str, list[float]]
    filament_mm3: list[float]
    asked_mm2: list[float]
    laid_mm2: list[float]
    lost_mm2: list[float]
    overfilled_mm2: list[float]
    void_mm2: list[float]
    returns_mm: list[float]
    left_mm: list[float]
    right_mm: list[float]
    substituted: list[int]
