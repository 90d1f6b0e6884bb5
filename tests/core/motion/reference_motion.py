"""A slow reference of the motion law, independent of the planner: a dense phase-plane sweep in plain Python.

The path is cut into fine steps. The square of the speed may rise or fall by at most 2 a ds per step, is capped by each
move's speed, and by the corner law at corners. Both sweeps run over the whole path at once; no move is treated on its
own, no trapezoid appears.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

from numpy.typing import NDArray

Vector = tuple[float, float, float, float]
Values = Sequence[Any] | NDArray[Any]


def jerk_corner(before: Vector, after: Vector, jerk: Vector) -> float:
    """Largest common speed by bisection on the per-axis step itself."""
    low, high = 0.0, 1e5
    for _ in range(80):
        speed = (low + high) / 2
        if all(abs(speed * b - speed * a) <= j for a, b, j in zip(before, after, jerk, strict=True)):
            low = speed
        else:
            high = speed
    return low


def deviation_corner(before: Vector, after: Vector, acceleration: float, deviation: float) -> float:
    """Speed on the circle that touches both moves and whose bisector point lies ``deviation`` from the corner."""
    turn = math.acos(max(-1.0, min(1.0, sum(a * b for a, b in zip(before[:3], after[:3], strict=True)))))
    half = (math.pi - turn) / 2  # half the angle between the moves
    if turn < 1e-9:
        return 1e5
    # The circle's centre lies on the bisector at r / sin(half); the gap to the corner is r / sin(half) - r.
    if half < 1e-12:
        return 0.0
    gap = 1 / math.sin(half) - 1
    if gap <= 0:
        return 1e5
    radius = deviation / gap
    return math.sqrt(acceleration * radius)


def curve_corner(before: Vector, after: Vector, before_mm: float, after_mm: float, acceleration: float) -> float:
    """Speed on the circle through the three corners of two equal chords, by the circle's own radius a b c / (4 area)."""
    chord = (min(before_mm, 2 * after_mm) + min(after_mm, 2 * before_mm)) / 2
    a, b = (tuple(chord * part for part in way[:3]) for way in (before, after))
    span = math.sqrt(sum((p + q) ** 2 for p, q in zip(a, b, strict=True)))
    cross = (a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0])
    area = math.sqrt(sum(part * part for part in cross)) / 2
    if area < 1e-12 * chord * chord:
        return 1e5 if span > chord else 0.0
    return math.sqrt(acceleration * chord * chord * span / (4 * area))


def dense_time(
    lengths: Values,
    speeds: Values,
    accelerations: Values,
    corners: Values,
    exits: Values,
    halts: Values,
    steps: int = 300,
) -> float:
    """Time of a path, s. ``corners[i]`` bounds the speed at the start of move i, ``exits[i]`` before a halt."""
    total, start = 0.0, 0
    for end in range(1, len(lengths) + 1):
        if end == len(lengths) or halts[end]:
            total += _stretch(
                lengths[start:end],
                speeds[start:end],
                accelerations[start:end],
                corners[start:end],
                exits[end - 1],
                steps,
            )
            start = end
    return total


def _stretch(
    lengths: Values,
    speeds: Values,
    accelerations: Values,
    corners: Values,
    leave: float,
    steps: int,
) -> float:
    step: list[float] = []
    rate: list[float] = []
    cap = [min(corners[0], speeds[0])]
    for index, length in enumerate(lengths):
        # Finer towards both ends, where the ramps are.
        marks = [length * (1 - math.cos(math.pi * k / steps)) / 2 for k in range(steps + 1)]
        step += [marks[k + 1] - marks[k] for k in range(steps)]
        rate += [accelerations[index]] * steps
        cap += [speeds[index]] * (steps - 1)
        following = min(corners[index + 1], speeds[index + 1]) if index + 1 < len(lengths) else leave
        cap.append(min(speeds[index], following))
    square = [speed * speed for speed in cap]
    for k in range(len(step)):
        square[k + 1] = min(square[k + 1], square[k] + 2 * rate[k] * step[k])
    for k in reversed(range(len(step))):
        square[k] = min(square[k], square[k + 1] + 2 * rate[k] * step[k])
    time = 0.0
    for k in range(len(step)):
        time += 2 * step[k] / (math.sqrt(square[k]) + math.sqrt(square[k + 1]))
    return time
