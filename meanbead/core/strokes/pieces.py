"""Pieces: loops, lines and curves that are laid in one go, not yet in order."""

from __future__ import annotations

from dataclasses import dataclass, fields, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from meanbead.core.geometry.offsets import Loops
from meanbead.core.geometry.scanlines import Lines
from meanbead.core.runtime.alike import ranges
from meanbead.core.runtime.parallel import Objects
from meanbead.core.strokes.features import Feature

__all__ = [
    "HOP_PITCHES",
    "Curves",
    "Islands",
    "Pieces",
    "curve_pieces",
    "join_islands",
    "join_pieces",
    "line_pieces",
    "loop_pieces",
    "no_pieces",
    "start_pieces",
]

Floats = NDArray[np.float64]
Whole = NDArray[np.int64]

HOP_PITCHES = 2.5
"""A hop of at most so many pitches from one stroke of a filling to the next stays over that filling."""

BEFORE_ALL = -1
"""Island number of what is laid before anything else of its layer."""


@dataclass(frozen=True)
class Islands:
    """The separate outlines of all layers: ``region`` polygons, ``layer`` int64, ``height_mm`` float64, each (n,)."""

    region: Objects
    layer: Whole
    height_mm: Floats

    def __len__(self) -> int:
        return len(self.layer)


@dataclass(frozen=True)
class Curves:
    """Open polylines in flat arrays: ``points`` float64 (p, 2), ``offsets`` int64 (n + 1), ``region`` int64 (n,)."""

    points: Floats
    offsets: Whole
    region: Whole


@dataclass(frozen=True)
class Pieces:
    """Loops and lines not yet in order; arrays of length n but for ``points`` (p, 2), ``width_mm`` (p,) and
    ``offsets`` (n + 1).

    A stroke between two points is as wide as the mean of both. ``height_mm`` is the bead's, for a strand in the air or
    an ironing pass is not as high as its layer. ``across_mm`` is the distance of a line from the origin across its
    direction ``angle_rad``; the search for the nearest piece uses it to stop early. Loops and curves have NaN there,
    which stops nothing. ``reach_mm`` is how far the nozzle may hop from a line to the next of its kind and still be over the same
    filling; 0 for loops. ``one_way`` pieces are laid from their first point to their last; ``swept`` ones each beside the one
    before, see :mod:`meanbead.core.strokes.sweep`.
    """

    points: Floats
    width_mm: Floats
    offsets: Whole
    closed: NDArray[np.bool_]
    one_way: NDArray[np.bool_]
    swept: NDArray[np.bool_]
    layer: Whole
    island: Whole
    phase: Whole
    feature: NDArray[np.uint8]
    height_mm: Floats
    across_mm: Floats
    angle_rad: Floats
    reach_mm: Floats

    def __len__(self) -> int:
        return len(self.layer)

    @property
    def nbytes(self) -> int:
        """Memory that the arrays take, bytes."""
        return sum(int(getattr(self, field.name).nbytes) for field in fields(self))

    @property
    def piece_of_point(self) -> Whole:
        """Number of the piece that each point belongs to, int64 (p,)."""
        return np.repeat(np.arange(len(self)), np.diff(self.offsets))

    def length_mm(self) -> Floats:
        """Length of each piece as laid, closing stroke included, mm, shape (n,)."""
        return self._sum_of_strokes(np.ones(len(self.points)))

    def area_mm2(self, side_loss: float) -> Floats:
        """Area that each piece fills: length times (width less ``side_loss`` heights), mm2, shape (n,)."""
        return self._sum_of_strokes(self.width_mm - side_loss * self.height_mm[self.piece_of_point])

    def _sum_of_strokes(self, value: Floats) -> Floats:
        follows = np.arange(1, len(self.points) + 1)
        follows[self.offsets[1:] - 1] = np.where(self.closed, self.offsets[:-1], self.offsets[1:] - 1)
        step = self.points[follows] - self.points
        laid = np.hypot(step[:, 0], step[:, 1]) * (value + value[follows]) / 2
        return np.asarray(np.bincount(self.piece_of_point, weights=laid, minlength=len(self)), dtype=np.float64)

    def moved(self, by_mm: tuple[float, float], islands: int = 0, layers: int = 0) -> Pieces:
        """The same pieces elsewhere, with island and layer numbers raised."""
        x, y = by_mm
        return replace(
            self,
            points=self.points + np.array([x, y]),
            across_mm=self.across_mm - np.sin(self.angle_rad) * x + np.cos(self.angle_rad) * y,
            island=np.where(self.island >= 0, self.island + islands, self.island),
            layer=self.layer + layers,
        )

    def repeated(self, which: Whole, islands: Islands) -> Pieces:
        """The pieces of island ``which[k]`` for each of ``islands`` k; ``which`` int64 (islands,)."""
        order = np.argsort(self.island, kind="stable")
        low, high = (np.searchsorted(self.island[order], which, side) for side in _SIDES)
        rows = order[ranges(low, high - low)]
        island = np.repeat(np.arange(len(which)), high - low)
        counts = np.diff(self.offsets)[rows]
        points = ranges(self.offsets[rows], counts)
        taken = {
            field.name: getattr(self, field.name)[points if field.name in _OF_POINTS else rows]
            for field in fields(Pieces)
            if field.name not in {"offsets", "island", "layer"}
        }
        offsets = np.concatenate([[0], np.cumsum(counts)]).astype(np.int64)
        return Pieces(offsets=offsets, island=island, layer=islands.layer[island], **taken)


_OF_POINTS = {"points", "width_mm"}
_SIDES: tuple[Literal["left", "right"], ...] = ("left", "right")


def join_islands(one: Islands, other: Islands) -> Islands:
    """Two sets of islands as one."""
    return Islands(*(np.concatenate([getattr(part, field.name) for part in (one, other)]) for field in fields(Islands)))


def join_pieces(parts: list[Pieces]) -> Pieces:
    """Several sets of pieces as one."""
    shifts = np.cumsum([0] + [len(part.points) for part in parts])
    joined = {
        field.name: np.concatenate([getattr(part, field.name) for part in parts])
        for field in fields(Pieces)
        if field.name != "offsets"
    }
    offsets = [part.offsets[1:] + shift for part, shift in zip(parts, shifts, strict=False)]
    return Pieces(offsets=np.concatenate([[0], *offsets]).astype(np.int64), **joined)


def no_pieces() -> Pieces:
    """An empty set."""
    return loop_pieces(
        Loops(np.empty((0, 2)), np.zeros(1, np.int64), np.empty(0, np.int64)),
        _NO_ISLANDS,
        Feature.INFILL,
        0,
        np.empty(0),
    )


def loop_pieces(
    loops: Loops, islands: Islands, feature: Feature, phase: int, width_mm: Floats, height_mm: Floats | None = None
) -> Pieces:
    """Closed loops whose source is an island; ``width_mm`` and ``height_mm`` (loops,)."""
    count = len(loops.source)
    return _pieces(
        loops.points,
        loops.offsets,
        np.repeat(width_mm, np.diff(loops.offsets)),
        islands.layer[loops.source],
        loops.source,
        islands.height_mm[loops.source] if height_mm is None else height_mm,
        feature,
        np.full(count, phase),
        closed=True,
    )


def curve_pieces(
    curves: Curves,
    islands: Islands,
    feature: Feature,
    phase: int,
    width_mm: Floats,
    pitch_mm: Floats | None = None,
    closed: NDArray[np.bool_] | None = None,
) -> Pieces:
    """Curves whose region is an island; ``width_mm`` for each point, ``pitch_mm`` between neighbours by island."""
    made = _pieces(
        curves.points,
        curves.offsets,
        width_mm,
        islands.layer[curves.region],
        curves.region,
        islands.height_mm[curves.region],
        feature,
        np.full(len(curves.region), phase),
        closed=False,
    )
    reach = np.zeros(len(made)) if pitch_mm is None else HOP_PITCHES * pitch_mm[curves.region]
    return replace(made, reach_mm=reach, closed=made.closed if closed is None else closed)


def line_pieces(
    lines: Lines,
    islands: Islands,
    feature: Feature,
    phase: int,
    width_mm: Floats,
    angle_rad: Floats,
    height_mm: Floats | None = None,
    one_way: bool = False,
    swept: bool = False,
) -> Pieces:
    """Straight strokes whose region is an island; ``width_mm`` and ``height_mm`` (lines,), ``angle_rad`` by island."""
    count = len(lines)
    made = _pieces(
        np.stack([lines.start, lines.end], axis=1).reshape(-1, 2),
        np.arange(count + 1, dtype=np.int64) * 2,
        np.repeat(width_mm, 2),
        islands.layer[lines.region],
        lines.region,
        islands.height_mm[lines.region] if height_mm is None else height_mm,
        feature,
        np.full(count, phase),
        closed=False,
    )
    return replace(
        made,
        one_way=np.full(count, one_way),
        swept=np.full(count, swept),
        across_mm=lines.offset_mm,
        angle_rad=angle_rad[lines.region],
        reach_mm=HOP_PITCHES * lines.pitch_mm,
    )


def start_pieces(loops: Loops, feature: Feature, phase: Whole, width_mm: float, height_mm: float) -> Pieces:
    """Loops on the bed that come before the part; ``phase`` (loops,) says in which order."""
    count = len(loops.source)
    return _pieces(
        loops.points,
        loops.offsets,
        np.full(len(loops.points), width_mm),
        np.zeros(count, dtype=np.int64),
        np.full(count, BEFORE_ALL),
        np.full(count, height_mm),
        feature,
        phase,
        closed=True,
    )


def _pieces(
    points: Floats,
    offsets: Whole,
    width_mm: Floats,
    layer: Whole,
    island: Whole,
    height_mm: Floats,
    feature: Feature,
    phase: Whole,
    closed: bool,
) -> Pieces:
    count = len(layer)
    return Pieces(
        points=points,
        width_mm=width_mm,
        offsets=offsets,
        closed=np.full(count, closed),
        one_way=np.zeros(count, dtype=bool),
        swept=np.zeros(count, dtype=bool),
        layer=layer,
        island=island,
        phase=phase,
        feature=np.full(count, feature, dtype=np.uint8),
        height_mm=height_mm,
        across_mm=np.full(count, np.nan),
        angle_rad=np.zeros(count),
        reach_mm=np.zeros(count),
    )


_NO_ISLANDS = Islands(np.empty(0, dtype=object), np.empty(0, np.int64), np.empty(0))
