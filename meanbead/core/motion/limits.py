"""What a machine's description allows along a path: axes, corners, and motors that share two axes."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from meanbead.core.motion.lookahead import corner_speeds_deviation, corner_speeds_jerk, limit_by_axis
from meanbead.core.vocabulary.printer import Printer

Floats = NDArray[np.float64]


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
    unit: Floats, shares: Floats, acceleration_mm_s2: Floats, halt: NDArray[np.bool_], printer: Printer
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
        return corner_speeds_deviation(unit, acceleration_mm_s2, corner.deviation_mm, halt), np.zeros(len(unit))
    jerk = np.array([corner.jerk.x, corner.jerk.y, corner.jerk.z, corner.jerk.e])
    return corner_speeds_jerk(shares, jerk, halt), limit_by_axis(shares, jerk)
