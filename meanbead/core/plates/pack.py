"""Where parts stand on a plate.

A first arrangement is made of the parts' boxes by a packing library; then the parts are laid anew by their true outlines,
the largest first, each as near to the front left corner as the others let it, found on a grid of the bed. What holds more of
them is taken; where both hold all, what takes less of the bed's length.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
import rectpack
import shapely
from numpy.typing import NDArray

from meanbead.core.model.printer import BedMm
from meanbead.core.plates.outline import Placed, Standing

__all__ = ["TURNS_DEG", "boxes_packed", "outlines_packed", "pack", "used_length_mm"]

TURNS_DEG = (0.0, 90.0, 180.0, 270.0)
"""Ways in which a part that may be turned is tried."""

_CELLS = 240
"""The bed's longer side has so many cells: about a millimetre."""


def pack(
    kinds: Sequence[Standing],
    counts: Sequence[int],
    bed: BedMm,
    gap_mm: float,
    *,
    may_turn: bool = True,
    margin_mm: float = 0.0,
) -> list[Placed]:
    """As many of the parts as there is room for, ``gap_mm`` apart and ``margin_mm`` from the bed's edge; the middle of all in the
    middle of the bed."""
    boxes = boxes_packed(kinds, counts, bed, gap_mm, may_turn=may_turn, margin_mm=margin_mm)
    outlines = outlines_packed(kinds, counts, bed, gap_mm, may_turn=may_turn, margin_mm=margin_mm)
    better = len(outlines) > len(boxes) or (
        len(outlines) == len(boxes) and used_length_mm(kinds, outlines) < used_length_mm(kinds, boxes)
    )
    return _centred(kinds, outlines if better else boxes)


def used_length_mm(kinds: Sequence[Standing], placed: Sequence[Placed]) -> float:
    """Length of the bed, in y, that parts take, mm."""
    if not placed:
        return 0.0
    low, high = _bounds(kinds, placed)
    return float(high[1] - low[1])


def boxes_packed(
    kinds: Sequence[Standing],
    counts: Sequence[int],
    bed: BedMm,
    gap_mm: float,
    *,
    may_turn: bool = True,
    margin_mm: float = 0.0,
) -> list[Placed]:
    """By their boxes: best short side fit in maximal rectangles (Jylänki, *A Thousand Ways to Pack the Bin*, 2010), as the
    library rectpack does it."""
    packer = rectpack.newPacker(rotation=may_turn)
    wide, deep = bed.x - 2 * margin_mm + gap_mm, bed.y - 2 * margin_mm + gap_mm
    if wide <= 0 or deep <= 0:
        return []
    packer.add_bin(wide, deep)
    boxes = [shapely.bounds(kind.outline) for kind in kinds]
    for of, count in enumerate(counts):
        if kinds[of].height_mm > bed.z:
            continue
        x0, y0, x1, y1 = boxes[of]
        for _ in range(count):
            packer.add_rect(float(x1 - x0) + gap_mm, float(y1 - y0) + gap_mm, rid=of)
    packer.pack()
    found = []
    for _, x, y, width, height, of in packer.rect_list():
        x0, y0, x1, y1 = boxes[of]
        turned = abs(width - (x1 - x0 + gap_mm)) > 1e-9 or abs(height - (y1 - y0 + gap_mm)) > 1e-9
        # The middle of the box is not the outline's origin.
        aside = ((x0 + x1) / 2, (y0 + y1) / 2)
        if turned:
            aside = (-aside[1], aside[0])
        found.append(
            Placed(
                of,
                float(x + (width - gap_mm) / 2 + margin_mm - bed.x / 2 - aside[0]),
                float(y + (height - gap_mm) / 2 + margin_mm - bed.y / 2 - aside[1]),
                90.0 if turned else 0.0,
            )
        )
    return found


def outlines_packed(
    kinds: Sequence[Standing],
    counts: Sequence[int],
    bed: BedMm,
    gap_mm: float,
    *,
    may_turn: bool = True,
    margin_mm: float = 0.0,
) -> list[Placed]:
    """By their true outlines, on a grid: a part's cells, grown by the gap, must be free; the place that is nearest to the front
    is taken, then the one nearest to the left. Cells that an outline touches count as covered, so that gaps come out a
    little larger, never smaller. Tried with all turns, and with each kind only along or only across: the first place is not
    always the thriftiest."""
    tried = [TURNS_DEG, (0.0, 180.0), (90.0, 270.0)] if may_turn else [(0.0,)]
    ways = [_laid(kinds, counts, bed, gap_mm, turns, margin_mm) for turns in tried]
    return max(ways, key=lambda way: (len(way), -used_length_mm(kinds, way)))


def _laid(
    kinds: Sequence[Standing],
    counts: Sequence[int],
    bed: BedMm,
    gap_mm: float,
    turns: Sequence[float],
    margin_mm: float,
) -> list[Placed]:
    from scipy.signal import fftconvolve  # half a second to load, and few ask for it

    cell = max(bed.x, bed.y) / _CELLS
    inside = (bed.x - 2 * margin_mm, bed.y - 2 * margin_mm)
    columns, rows = (math.floor(side / cell + 1e-9) for side in inside)
    if columns <= 0 or rows <= 0:
        return []
    taken = np.zeros((rows, columns), np.float32)
    order = [
        of
        for of in sorted(range(len(kinds)), key=lambda of: -float(shapely.area(kinds[of].outline)))
        for _ in range(counts[of])
    ]
    masks = {
        (of, turn): _mask(kinds[of], turn, cell, gap_mm) for of in range(len(kinds)) if counts[of] for turn in turns
    }
    full: set[int] = set()
    found = []
    for of in order:
        if of in full or kinds[of].height_mm > bed.z:
            continue
        best: tuple[float, float, float, int, int] | None = None
        for turn in turns:
            own, _, _ = masks[of, turn]
            if own.shape[0] > rows or own.shape[1] > columns:
                continue
            hits = fftconvolve(taken, own[::-1, ::-1], mode="valid")
            free = np.argwhere(hits < 0.5)
            if not len(free):
                continue
            # Nearest to the front by its far edge, so that what lies flat is laid flat.
            row, column = free[np.lexsort((free[:, 1], free[:, 0] + own.shape[0]))[0]]
            key = (float(row + own.shape[0]), float(column), turn, int(row), int(column))
            if best is None or key < best:
                best = key
        if best is None:
            full.add(of)
            continue
        _, _, turn, row, column = best
        own, grown, (x0, y0) = masks[of, turn]
        _stamp(taken, grown, row - (grown.shape[0] - own.shape[0]) // 2, column - (grown.shape[1] - own.shape[1]) // 2)
        found.append(
            Placed(
                of,
                column * cell - x0 + margin_mm - bed.x / 2,
                row * cell - y0 + margin_mm - bed.y / 2,
                turn,
            )
        )
    return found


def _mask(
    kind: Standing, turn: float, cell: float, gap_mm: float
) -> tuple[NDArray[np.float32], NDArray[np.float32], tuple[float, float]]:
    """Cells that a turned outline touches, and those within the gap of it; with the lower left corner of the first."""
    outline = shapely.affinity.rotate(kind.outline, turn, origin=(0, 0))
    x0, y0, x1, y1 = (float(value) for value in shapely.bounds(outline))
    columns, rows = max(1, math.ceil((x1 - x0) / cell - 1e-9)), max(1, math.ceil((y1 - y0) / cell - 1e-9))
    rim = math.ceil(gap_mm / cell)
    xs = x0 + (np.arange(-rim, columns + rim) + 0.5) * cell
    ys = y0 + (np.arange(-rim, rows + rim) + 0.5) * cell
    shapely.prepare(outline)
    points = shapely.points(*(axis.ravel() for axis in np.meshgrid(xs, ys)))
    far = shapely.distance(outline, points).reshape(len(ys), len(xs))
    half = cell * math.sqrt(0.5)
    own = (far[rim : rim + rows, rim : rim + columns] <= half).astype(np.float32)
    grown = (far <= gap_mm + half).astype(np.float32)
    return own, grown, (x0, y0)


def _stamp(taken: NDArray[np.float32], mask: NDArray[np.float32], row: int, column: int) -> None:
    low_r, low_c = max(0, row), max(0, column)
    high_r, high_c = min(taken.shape[0], row + mask.shape[0]), min(taken.shape[1], column + mask.shape[1])
    part = mask[low_r - row : high_r - row, low_c - column : high_c - column]
    np.maximum(taken[low_r:high_r, low_c:high_c], part, out=taken[low_r:high_r, low_c:high_c])


def _bounds(kinds: Sequence[Standing], placed: Sequence[Placed]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    bounds = np.array([shapely.bounds(one.outline(list(kinds))) for one in placed])
    return bounds[:, :2].min(axis=0), bounds[:, 2:].max(axis=0)


def _centred(kinds: Sequence[Standing], placed: list[Placed]) -> list[Placed]:
    if not placed:
        return placed
    low, high = _bounds(kinds, placed)
    x, y = (low + high) / 2
    return [
        Placed(one.of, round(one.x_mm - float(x), 3), round(one.y_mm - float(y), 3), one.turn_deg) for one in placed
    ]
