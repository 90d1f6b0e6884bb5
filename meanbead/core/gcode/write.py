"""Write strokes as G-code, for test pieces and for checking the reader against the planner."""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from meanbead.core.estimate.moves import Kind, MoveTable, moves_of
from meanbead.core.estimate.timing import melt_limits_mm_s, set_accelerations_mm_s2, set_speeds_mm_s
from meanbead.core.gcode.beside import BEGINS, ENDS
from meanbead.core.gcode.lines import ACCELERATIONS, E_UNIT, F_UNIT, XY_UNIT, Z_UNIT, Batch, LineWriter
from meanbead.core.model.plan import Plan
from meanbead.core.model.printer import Printer
from meanbead.core.strokes.features import FEATURES, Feature
from meanbead.core.strokes.table import Strokes

__all__ = ["BandChange", "write_gcode"]

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class BandChange:
    """What is other from a height on: ``commands`` as they stand, and where given the acceleration, mm/s2, of all plastic, the
    pull's length, mm, and by feature speeds, mm/s, and factors of the plastic."""

    from_mm: float
    commands: tuple[str, ...] = ()
    acceleration_mm_s2: float | None = None
    pull_mm: float | None = None
    speed_mm_s: Mapping[Feature, float] = field(default_factory=dict)
    flow: Mapping[Feature, float] = field(default_factory=dict)


def write_gcode(
    strokes: Strokes, plan: Plan, printer: Printer, ceiling_mm3_s: float, bands: Sequence[BandChange] = ()
) -> Iterator[str]:
    """Lines of G-code that lay the strokes, without heating or homing; features are named in comments.

    Lines are those of :class:`~meanbead.core.gcode.lines.LineWriter`, filament relative; printing stands between the marks, as
    in every file. The slowing for the least layer time is not written: it is the machine's to do. ``bands``, lowest first,
    change things from a height on. What comes out is for study and test pieces; nothing of it was tried on a machine, and
    whoever prints it follows the maker's instructions.
    """
    moves = moves_of(strokes, plan, printer)
    band_of = _bands_of_strokes(strokes, bands)
    start = np.array([*strokes.start_xy[0], strokes.layers.top_mm[strokes.layer[0]]])
    lift = f"F{printer.max_speed_mm_s.z * 60:.1f}"
    yield "; positions in mm, filament relative"
    yield "G90"
    yield "M83"
    yield f"M204 R{printer.acceleration_mm_s2.retract:g}"
    yield f"G1 Z{start[2]:.4f} {lift}"
    yield f"G1 X{start[0]:.4f} Y{start[1]:.4f} F{plan.speed_mm_s.travel * 60:.1f}"
    yield "M400"
    yield BEGINS
    batch = _batch(strokes, plan, printer, ceiling_mm3_s, bands, band_of, moves, start)
    writer = LineWriter(FEATURES, ACCELERATIONS["by_kind"])
    writer.at(np.round(start / [XY_UNIT, XY_UNIT, Z_UNIT]).astype(np.int64), 0)
    of_move = band_of[moves.stroke]
    changes = [0, *(np.flatnonzero(np.diff(of_move)) + 1).tolist(), len(of_move)]
    for first, last in itertools.pairwise(changes):
        if of_move[first] >= 0:
            yield from bands[of_move[first]].commands
        yield from writer.write(batch, first, last).decode("ascii").splitlines()
    yield ENDS


def _batch(
    strokes: Strokes,
    plan: Plan,
    printer: Printer,
    ceiling_mm3_s: float,
    bands: Sequence[BandChange],
    band_of: NDArray[np.int64],
    moves: MoveTable,
    start: Floats,
) -> Batch:
    """All moves in the writer's units, with what the bands change."""
    speeds = set_speeds_mm_s(strokes, plan).clip(max=melt_limits_mm_s(strokes, plan, ceiling_mm3_s))
    accelerations = set_accelerations_mm_s2(strokes, plan)
    flow, pull = np.ones(len(strokes)), np.ones(len(strokes))
    for number, band in enumerate(bands):
        here = band_of == number
        laid = here & ~strokes.is_travel
        if band.acceleration_mm_s2 is not None:
            accelerations[laid] = band.acceleration_mm_s2
        for feature, speed in band.speed_mm_s.items():
            speeds[laid & (strokes.feature == feature)] = speed
        for feature, factor in band.flow.items():
            flow[laid & (strokes.feature == feature)] = factor
        if band.pull_mm is not None and plan.retraction_mm > 0:
            pull[here] = band.pull_mm / plan.retraction_mm
    kind, stroke = moves.kind, moves.stroke
    plastic, travels = kind == Kind.PLASTIC, kind == Kind.TRAVEL
    pulled = (kind == Kind.RETRACT) | (kind == Kind.PRIME)
    fed = moves.delta[:, 3] * np.where(pulled, pull[stroke], np.where(plastic, flow[stroke], 1.0))
    way = np.hypot(moves.delta[:, 0], moves.delta[:, 1])
    # The pace of a pull is the filament's; a wipe's word F is that of its way.
    wiped = np.divide(way, np.abs(fed), out=np.ones(len(way)), where=pulled & (way > 0) & (fed != 0))
    pace = np.where(
        plastic | travels,
        speeds[stroke],
        np.where(pulled, plan.retraction_speed_mm_s * wiped, printer.max_speed_mm_s.z),
    )
    none = np.zeros(len(kind), np.int64)
    place = start + np.cumsum(moves.delta[:, :3], axis=0)
    return Batch(
        place=np.round(place / [XY_UNIT, XY_UNIT, Z_UNIT]).astype(np.int64),
        filament=np.round(np.cumsum(fed) / E_UNIT).astype(np.int64),
        feed=np.maximum(1, np.round(pace * 60 / F_UNIT)).astype(np.int64),
        acceleration=np.where(plastic | travels, np.round(accelerations[stroke]), 0).astype(np.int64),
        travels=travels,
        laid=plastic,
        dry=~plastic & (fed == 0),
        feature=np.where(plastic, strokes.feature[stroke], -1).astype(np.int64),
        arc=none,
        centre=np.zeros((len(kind), 2), np.int64),
        arc_feed=none,
    )


def _bands_of_strokes(strokes: Strokes, bands: Sequence[BandChange]) -> NDArray[np.int64]:
    """Number of the band that each stroke's layer lies in by its middle, -1 below all, (n,)."""
    middle = strokes.layers.top_mm - strokes.layers.height_mm / 2
    starts = np.array([band.from_mm for band in bands])
    numbers: NDArray[np.int64] = np.searchsorted(starts, middle, side="right") - 1
    return numbers[strokes.layer]
