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
    capacity = 4096
    out = np.empty((capacity, 2))
    used = 0
    curve_capacity = 256
    count = np.empty(curve_capacity, np.int64)
    box_of = np.empty(curve_capacity, np.int64)
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
        needed = (_needed(waves[0], chord), _needed(waves[1], chord))
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
            while used + size > capacity:
                capacity *= 2
                bigger = np.empty((capacity, 2))
                bigger[:used] = out[:used]
                out = bigger
            if curves == curve_capacity:
                curve_capacity *= 2
                counts, boxes = np.empty(curve_capacity, np.int64), np.empty(curve_capacity, np.int64)
                counts[:curves], boxes[:curves] = count, box_of
                count, box_of = counts, boxes
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


@numba.njit(cache=True, nogil=True)
def _needed(wave, chord):  # type: ignore[no-untyped-def]
    """Numbers of the points that are kept so that chords stay close to all others (Ramer 1972; Douglas and Peucker 1973)."""
    count = len(wave)
    keep = np.zeros(count, np.bool_)
    keep[0] = keep[count - 1] = True
    spans = np.empty((count, 2), np.int64)
    spans[0, 0], spans[0, 1] = 0, count - 1
    left = 1
    while left:
        left -= 1
        a, b = spans[left, 0], spans[left, 1]
        dx, dy = wave[b, 0] - wave[a, 0], wave[b, 1] - wave[a, 1]
        length = np.hypot(dx, dy)
        farthest, at = 0.0, -1
        for k in range(a + 1, b):
            off = abs(dx * (wave[k, 1] - wave[a, 1]) - dy * (wave[k, 0] - wave[a, 0])) / length
            if off > farthest:
                farthest, at = off, k
        if farthest > chord:
            keep[at] = True
            spans[left, 0], spans[left, 1] = a, at
            spans[left + 1, 0], spans[left + 1, 1] = at, b
            left += 2
    return np.flatnonzero(keep)
