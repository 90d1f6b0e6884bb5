"""Sections of the gyroid in closed form.

At a height ``z`` the gyroid ``sin x cos y + sin y cos z + sin z cos x = 0`` (A. Schoen, *Infinite periodic minimal surfaces
without self-intersections*, NASA TN D-5541, 1970, in its usual trigonometric approximation) is two waves a period that run
side by side, along x where ``|cos z| >= |sin z|`` and along y elsewhere. With ``R sin(y + phi) = sin x cos y + sin y cos z``
the wave along x is ``y = -phi + arcsin(-sin z cos x / R)``, its neighbour ``pi`` less the arcsine; likewise along y.
"""

from __future__ import annotations

import numba
import numpy as np
from numpy.typing import NDArray

from meanbead.core.geometry.polyline import needed_points, with_room

__all__ = ["gyroid_curves"]

Floats = NDArray[np.float64]
Whole = NDArray[np.int64]

_STEPS = 64
"""Points of a wave's period before those are left out that its chords do not need."""


def gyroid_curves(
    bounds_mm: Floats, middle_mm: Floats, period_mm: Floats, chord_mm: float
) -> tuple[Floats, Whole, Whole]:
    """Curves of the gyroid across boxes.

    ``bounds_mm`` float64 (n, 4: x0 y0 x1 y1), ``middle_mm`` (n,) the height of each section, ``period_mm`` (n,) of the gyroid.
    Every curve begins and ends outside of its box, and its chords stay within ``chord_mm`` of it. Returns points (p, 2),
    offsets (m + 1), and the number of each curve's box (m,).
    """
    points, counts, box = _curves(
        np.ascontiguousarray(bounds_mm), middle_mm.astype(np.float64), period_mm.astype(np.float64), float(chord_mm)
    )
    return points, np.concatenate([[0], np.cumsum(counts)]), box


@numba.njit(cache=True, nogil=True)
def _curves(bounds, middle, period, chord):  # type: ignore[no-untyped-def]
    out = np.empty((4096, 2))
    used = 0
    count = np.empty(256, np.int64)
    box_of = np.empty(256, np.int64)
    curves = 0
    for box in range(len(middle)):
        unit = period[box] / (2 * np.pi)
        z = middle[box] / unit
        sin_z, cos_z = np.sin(z), np.cos(z)
        along_x = abs(cos_z) >= abs(sin_z)
        along, across = (0, 1) if along_x else (1, 0)
        first = int(np.floor(bounds[box, along] / period[box] - 1e-6))
        last = int(np.ceil(bounds[box, along + 2] / period[box] + 1e-6))
        waves = np.empty((2, _STEPS + 1, 2))
        for k in range(_STEPS + 1):
            u = 2 * np.pi * k / _STEPS
            if along_x:
                phi = np.arctan(np.sin(u) / cos_z)
                q = -sin_z * np.cos(u) / (np.sign(cos_z) * np.hypot(np.sin(u), cos_z))
            else:
                phi = np.arctan2(sin_z, np.cos(u))
                q = -np.sin(u) * cos_z / np.hypot(np.cos(u), sin_z)
            aside = np.arcsin(min(1.0, max(-1.0, q)))
            waves[:, k, 0] = u * unit
            waves[0, k, 1] = (aside - phi) * unit
            waves[1, k, 1] = (np.pi - aside - phi) * unit
        needed = (np.flatnonzero(needed_points(waves[0], chord)), np.flatnonzero(needed_points(waves[1], chord)))
        # Of two that alternate, from one side of the box to the other: the upper one is less than a period above the lower.
        for branch in range(2):
            waves[branch, :, 1] -= np.floor(waves[branch, :, 1].mean() / period[box]) * period[box]
        upper = 1 if waves[1, :, 1].mean() >= waves[0, :, 1].mean() else 0
        first_row = int(np.floor((bounds[box, across] - waves[:, :, 1].max()) / period[box]))
        last_row = int(np.ceil((bounds[box, across + 2] - waves[:, :, 1].min()) / period[box]))
        for number in range(2 * first_row, 2 * last_row + 2):
            row, branch = number // 2, upper if number % 2 else 1 - upper
            wave = waves[branch]
            kept = needed[branch]
            aside = row * period[box]
            if aside + wave[:, 1].max() < bounds[box, across] or aside + wave[:, 1].min() > bounds[box, across + 2]:
                continue
            size = (last - first) * (len(kept) - 1) + 1
            out = with_room(out, used, size)
            count, box_of = with_room(count, curves, 1), with_room(box_of, curves, 1)
            count[curves], box_of[curves] = size, box
            curves += 1
            for turn in range(first, last):
                for k in range(len(kept) - 1):
                    out[used, along] = wave[kept[k], 0] + turn * period[box]
                    out[used, across] = wave[kept[k], 1] + aside
                    used += 1
            out[used, along] = last * period[box]
            out[used, across] = wave[0, 1] + aside
            used += 1
    return out[:used].copy(), count[:curves].copy(), box_of[:curves].copy()
