"""A replayed file as strokes to look at: where each move goes, how wide its bead is, and where it goes beyond the machine.

A file says where the nozzle goes and how much filament moves, not how wide a bead is. That follows from the section
(filament times its area, over the way) and the layer's height: ``w = A/h + h (1 - pi/4)``, the flat stadium of
:mod:`meanbead.core.formulas.bead` solved for its width.
"""

from __future__ import annotations

from dataclasses import dataclass, fields
from typing import BinaryIO

import numba
import numpy as np
from numpy.typing import NDArray

from meanbead.core.errors import MeanBeadError
from meanbead.core.estimate.detail import StrokeDetail
from meanbead.core.estimate.ledger import Cause, dominant_cause
from meanbead.core.estimate.moves import Kind
from meanbead.core.formulas.bead import SIDE_LOSS, filament_area_mm2
from meanbead.core.gcode.replay import Mark, Replay, Settled, replay
from meanbead.core.model.material import Material
from meanbead.core.model.nozzle import Nozzle
from meanbead.core.model.printer import Printer
from meanbead.core.part.slices import Layers
from meanbead.core.runtime import limits
from meanbead.core.strokes.features import FEATURES, Feature
from meanbead.core.strokes.table import LayerAreas, Strokes

__all__ = ["AXIS_SPEED", "MELT_CEILING", "OUTSIDE", "DrawnFile", "PlacedMark", "drawn_file"]

Floats = NDArray[np.float64]

AXIS_SPEED, MELT_CEILING, OUTSIDE = 1, 2, 4
"""What a stroke goes beyond, as bits of ``beyond``."""

_WIDEST_MM = 5.0
_SETTLED = tuple(field.name for field in fields(Settled))


@dataclass(frozen=True)
class PlacedMark:
    """A mark of a replay with the layer in which it happens, None where that is not known."""

    mark: Mark
    layer: int | None


@dataclass(frozen=True)
class DrawnFile:
    """``detail`` of the moves across, with ``line`` int64 (n,), the file's line of each, and ``beyond`` uint8 (n,), what it
    goes beyond. ``features`` are the names by number: the planner's own, then the file's. ``marks`` are those of the
    ``replay``."""

    replay: Replay
    detail: StrokeDetail
    line: NDArray[np.int64]
    beyond: NDArray[np.uint8]
    features: tuple[str, ...]
    marks: tuple[PlacedMark, ...]

    @property
    def nbytes(self) -> int:
        """Memory that the arrays take, bytes."""
        return self.detail.strokes.nbytes + self.detail.nbytes + self.line.nbytes + self.beyond.nbytes


def drawn_file(stream: BinaryIO, printer: Printer, nozzle: Nozzle, material: Material) -> DrawnFile:
    """Replay a file and keep every move across. Raises :class:`MeanBeadError` where it has more than can be drawn."""
    blocks: list[Settled] = []
    count = 0

    def keep(block: Settled) -> None:
        nonlocal count
        count += len(block.line)
        if count > limits.DRAWN_MOVES:
            raise MeanBeadError(
                f"The file has more than {limits.DRAWN_MOVES:,} moves: too many to draw. Its figures are on the bench.",
                field="gcode",
                code="over_limit",
            )
        blocks.append(block)

    found = replay(stream, printer, nozzle=nozzle, material=material, progress=keep)
    moves = Settled(*(np.concatenate([getattr(block, name) for block in blocks]) for name in _SETTLED))
    return _drawn(found, moves, printer, found.feature_names)


def _drawn(found: Replay, moves: Settled, printer: Printer, names: list[str]) -> DrawnFile:
    across = np.hypot(moves.delta[:, 0], moves.delta[:, 1]) > 0
    rows = np.flatnonzero(across)
    if not len(rows):
        raise MeanBeadError("The file has no moves across to draw.", field="gcode")
    # What happens in one place (a pull, a lift) belongs to the move across that follows.
    owner = np.minimum(np.searchsorted(rows, np.arange(len(across))), len(rows) - 1)
    time_s = np.bincount(owner, weights=moves.time_s * moves.counted, minlength=len(rows)).astype(np.float64)
    pulled = np.bincount(owner, weights=(~across & (moves.delta[:, 3] < 0)).astype(float), minlength=len(rows)) > 0
    delta, end = moves.delta[rows], moves.place[rows]
    plastic = moves.plastic[rows]
    layer, top = _layers(delta, end[:, 2], plastic)
    heights = _heights(top)
    layers = Layers(top, heights)
    length = np.sqrt(np.sum(delta[:, :3] ** 2, axis=1))
    height = np.where(plastic, heights[layer], 0.0)
    section = np.where(plastic, moves.laid[rows] * filament_area_mm2(printer.filament_diameter_mm) / length, 0.0)
    width = np.divide(section, height, out=np.zeros(len(rows)), where=height > 0) + SIDE_LOSS * height
    features = (*FEATURES, *(name for name in names if name not in FEATURES))
    number = np.array([features.index(name) for name in names], dtype=np.uint8)
    feature = np.where(plastic, number[moves.feature[rows]], np.uint8(Feature.TRAVEL)).astype(np.uint8)
    own = (moves.time_s * moves.counted)[rows]
    kind = np.where(plastic, Kind.PLASTIC, Kind.TRAVEL).astype(np.uint8)
    speed = moves.speed_mm_s[rows]
    causes, _ = dominant_cause(
        kind, length, speed, np.full(len(rows), np.inf), own, moves.free_s[rows], np.zeros(len(rows))
    )
    other = np.bincount(owner, weights=np.where(across, 0.0, moves.time_s * moves.counted), minlength=len(rows))
    causes = np.where(other > own, np.where(pulled, Cause.RETRACTING, Cause.Z_AND_LAYER_CHANGE), causes)
    nothing = np.zeros(len(top))
    strokes = Strokes(
        start_xy=end[:, :2] - delta[:, :2],
        end_xy=end[:, :2],
        width_mm=np.minimum(width, _WIDEST_MM),
        height_mm=height,
        feature=feature,
        layer=layer.astype(np.int32),
        inside=np.zeros(len(rows), dtype=bool),
        layers=layers,
        areas=LayerAreas(nothing, nothing, nothing, nothing, nothing, nothing),
    )
    beyond = (
        AXIS_SPEED * moves.too_fast[rows] + MELT_CEILING * moves.over_ceiling[rows] + OUTSIDE * moves.outside[rows]
    ).astype(np.uint8)
    detail = StrokeDetail(
        strokes=strokes,
        time_s=time_s,
        speed_mm_s=np.divide(length, own, out=np.zeros(len(rows)), where=own > 0),
        flow_mm3_s=moves.flow_mm3_s[rows],
        cause=causes.astype(np.uint8),
        pulled=pulled,
        wait_s=nothing,
        ceiling_mm3_s=found.melt_ceiling_mm3_s,
    )
    line = moves.line[rows]
    return DrawnFile(found, detail, line, beyond, features, _placed(found.marks, line, strokes.layer))


def _placed(marks: list[Mark], line: NDArray[np.int64], layer: NDArray[np.int32]) -> tuple[PlacedMark, ...]:
    """Marks with the layer of the first move at or after their line."""
    order = np.argsort(line, kind="stable")
    at = np.searchsorted(line[order], [mark.line for mark in marks])
    return tuple(
        PlacedMark(mark, int(layer[order[k]]) if k < len(order) else None)
        for mark, k in zip(marks, at.tolist(), strict=True)
    )


def _heights(top: Floats) -> Floats:
    """Height of each layer: down to the highest lower one before it, or to the bed."""
    heights = np.empty(len(top))
    seen: list[float] = []
    for k, height in enumerate(top.tolist()):
        lower = [other for other in seen[-3:] if other < height - 1e-3]
        heights[k] = height - max(lower, default=0.0)
        seen.append(height)
    return np.maximum(heights, 1e-3)


@numba.njit(cache=True, nogil=True)
def _layers(delta, z, plastic):  # type: ignore[no-untyped-def]
    """Layer of each move, and the height of each layer. A level stroke at another height begins one; of walls that climb
    each turn is one. Moves without plastic belong to the layer of the next stroke."""
    n = len(z)
    layer = np.zeros(n, np.int64)
    top = np.empty(n + 1)
    used, here, bent, heading, turns = 0, np.nan, 0.0, np.nan, 0
    for k in range(n):
        if not plastic[k]:
            layer[k] = -1
            continue
        if delta[k, 2] < 1e-9:
            if used == 0 or abs(z[k] - here) > 5e-4:
                top[used] = z[k]
                used += 1
            here, bent, heading, turns = z[k], 0.0, np.nan, 0
        else:
            way = np.arctan2(delta[k, 1], delta[k, 0])
            if np.isnan(heading):
                top[used] = z[k]
                used += 1
            else:
                turn = way - heading
                bent += turn - 2 * np.pi * np.round(turn / (2 * np.pi))
                if int(abs(bent) / (2 * np.pi)) > turns:
                    turns += 1
                    top[used] = z[k]
                    used += 1
            top[used - 1] = z[k]
            heading, here = way, z[k]
        layer[k] = used - 1
    after = max(0, used - 1)
    for k in range(n - 1, -1, -1):
        if layer[k] < 0:
            layer[k] = after
        else:
            after = layer[k]
    if used == 0:
        top[0] = z.max() if n else 0.0
        used = 1
    return layer, top[:used].copy()
