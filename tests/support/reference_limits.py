"""Machine limits along a path by whole arrays, written apart from the planner: what it is held against."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from meanbead.core.model.printer import Printer

Floats = NDArray[np.float64]


def limit_by_axis(unit: Floats, limits: Floats) -> Floats:
    """Largest speed (or acceleration) along the path that keeps every axis within its own, shape (n,).

    ``unit`` (n, 4), ``limits`` (4,): ``min over axes of limit / |unit|``; infinite for a move of no axis.
    """
    bound = np.full(len(unit), np.inf)
    for k in range(len(unit)):
        for axis in range(4):
            share = abs(unit[k, axis])
            if share > 0:
                bound[k] = min(bound[k], limits[axis] / share)
    return bound


def corner_speeds_jerk(unit: Floats, jerk_mm_s: Floats, halt: NDArray[np.bool_]) -> Floats:
    """Speed at the start of each move by the jerk law, shape (n,).

    At one common speed ``v`` no axis may step by more than its jerk: ``v |u_next - u_last| <= jerk``. After a halt the
    step is from rest, ``v |u| <= jerk``. Infinite where the path goes straight on.
    """
    speeds = np.full(len(unit), np.inf)
    for k in range(len(unit)):
        from_rest = k == 0 or halt[k]
        for axis in range(4):
            step = abs(unit[k, axis] - (0.0 if from_rest else unit[k - 1, axis]))
            if step > 0:
                speeds[k] = min(speeds[k], jerk_mm_s[axis] / step)
    return speeds


def corner_speeds_deviation(
    unit: Floats,
    length_mm: Floats,
    acceleration_mm_s2: Floats,
    deviation_mm: float,
    curve_limit: bool,
    halt: NDArray[np.bool_],
) -> Floats:
    """Speed at the start of each move by the junction-deviation law, shape (n,); 0 after a halt. Only x, y, z count."""
    cosine = np.einsum("ij,ij->i", unit[1:, :3], unit[:-1, :3])
    half = np.sqrt(np.clip((1 + cosine) / 2, 0.0, 1.0))
    straight = half > 1 - 1e-12
    radius = deviation_mm * half / np.where(straight, 1.0, 1 - half)
    if curve_limit:
        before, after = length_mm[:-1], length_mm[1:]
        chord = (np.minimum(before, 2 * after) + np.minimum(after, 2 * before)) / 2
        radius = np.minimum(radius, chord / (2 * np.sqrt(np.maximum(1e-30, (1 - cosine) / 2))))
    lesser = np.minimum(acceleration_mm_s2[1:], acceleration_mm_s2[:-1])
    speeds = np.zeros(len(unit))
    speeds[1:] = np.where(halt[1:], 0.0, np.where(straight, np.inf, np.sqrt(lesser * radius)))
    return speeds


def motor_shares(unit: Floats, printer: Printer) -> Floats:
    """Change of each motor's axis per mm of path, shape (n, 4): x, y, z, filament.

    On a gantry whose two motors share x and y, the first turns by ``x + y`` and the second by ``x - y``
    (elementary geometry of the crossed belt); everywhere else a motor is an axis. Limits count for motors.
    """
    if printer.kinematics != "coupled_gantry":
        return unit
    shares = unit.copy()
    shares[:, 0] = unit[:, 0] + unit[:, 1]
    shares[:, 1] = unit[:, 0] - unit[:, 1]
    return shares


def speed_limits_mm_s(shares: Floats, printer: Printer) -> Floats:
    """Largest speed along each move, mm/s, shape (n,)."""
    top = printer.max_speed_mm_s
    return limit_by_axis(shares, np.array([top.x, top.y, top.z, top.e]))


def acceleration_limits_mm_s2(shares: Floats, printer: Printer) -> Floats:
    """Largest acceleration along each move, mm/s2, shape (n,)."""
    most = printer.max_acceleration_mm_s2
    return limit_by_axis(shares, np.array([most.x, most.y, most.z, most.e]))


def corner_limits_mm_s(
    unit: Floats,
    length_mm: Floats,
    shares: Floats,
    acceleration_mm_s2: Floats,
    halt: NDArray[np.bool_],
    printer: Printer,
) -> tuple[Floats, Floats]:
    """Speed that the corner law allows at each move's start, and from which it may stop before a halt, shape (n,).

    ``halt`` is changed in place: by the junction-deviation law the machine also stands still around moves of the
    filament alone, for which that law knows no angle.
    """
    corner = printer.corner
    if corner.law == "junction_deviation" and corner.deviation_mm is not None:
        alone = np.all(unit[:, :3] == 0, axis=1)
        halt |= alone
        halt[1:] |= alone[:-1]
        speeds = corner_speeds_deviation(
            unit, length_mm, acceleration_mm_s2, corner.deviation_mm, corner.curve_limit, halt
        )
        return speeds, np.zeros(len(unit))
    jerk = np.array([corner.jerk.x, corner.jerk.y, corner.jerk.z, corner.jerk.e])
    return corner_speeds_jerk(shares, jerk, halt), limit_by_axis(shares, jerk)
