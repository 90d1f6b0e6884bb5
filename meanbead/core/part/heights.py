"""Layer heights that follow the slope of the surface."""

from __future__ import annotations

import numba
import numpy as np
from numpy.typing import NDArray

from meanbead.core.model.plan import SlopeHeights
from meanbead.core.part.slices import Layers
from meanbead.core.part.solid import Solid

__all__ = ["allowed_heights_mm", "ended_at", "slope_layers"]

BIN_MM = 0.01
"""Heights are looked up on a grid this fine."""

Floats = NDArray[np.float64]


def slope_layers(solid: Solid, first_mm: float, heights: SlopeHeights) -> Layers:
    """Layers no higher than the slope allows.

    A surface whose normal has the upright share ``|n_z|`` (the cosine of its slope from the horizontal) shows ridges
    ``h |n_z|`` high, so ``h <= ridge / |n_z|`` for all faces that a layer meets, within ``min_mm`` and ``max_mm``. Flat
    faces show no ridge and do not count. Neighbours differ by at most ``max_step_mm``, always by making the higher one
    lower. With a step grid, heights are the next multiples down. Heights end exactly at the part's top, as far as a step
    grid allows: see :func:`ended_at`.
    """
    allowed = allowed_heights_mm(solid, heights)
    part_height = float(solid.vertices[:, 2].max())
    layers = _walk(allowed, part_height, first_mm, heights.min_mm, heights.max_mm, heights.max_step_mm, heights.step_mm)
    layers = ended_at(part_height, layers, heights)
    return Layers(np.cumsum(layers), layers)


def ended_at(part_height_mm: float, layers: Floats, heights: SlopeHeights) -> Floats:
    """Heights (n,) that reach beyond the part, made to end exactly on top of it.

    All above the first give up a share of what they have above ``min_mm``: lower layers keep every bound on ridges and on
    steps between neighbours. Where that is not enough the last one goes, and the others grow by a share of what they
    lack to ``max_mm``. On a step grid only a last layer whose middle lies above the part goes.
    """
    over = float(layers.sum()) - part_height_mm
    if over <= 1e-3 or len(layers) < 2:
        return layers
    if heights.step_mm > 0:
        return layers[:-1] if layers[-1] / 2 <= over else layers
    room = np.maximum(0.0, layers[1:] - heights.min_mm)
    if room.sum() >= over:
        return np.concatenate([layers[:1], layers[1:] - room * (over / room.sum())])
    short, kept = float(layers[-1]) - over, layers[:-1]
    room = np.maximum(0.0, heights.max_mm - kept[1:])
    if short <= 0 or room.sum() < short:
        return kept if layers[-1] / 2 <= over else layers
    return np.concatenate([kept[:1], kept[1:] + room * (short / room.sum())])


def allowed_heights_mm(solid: Solid, heights: SlopeHeights) -> Floats:
    """Greatest layer height by height above the bed, on a grid of :data:`BIN_MM`, shape (bins,)."""
    a, b, c = (solid.vertices[solid.faces[:, k]] for k in range(3))
    normal = np.cross(b - a, c - a)
    length = np.maximum(np.linalg.norm(normal, axis=1), 1e-12)
    upright = np.abs(normal[:, 2]) / length
    z = np.sort(np.column_stack([a[:, 2], b[:, 2], c[:, 2]]), axis=1)
    bins = int(np.ceil(float(solid.vertices[:, 2].max()) / BIN_MM)) + 1
    steepest = _largest_by_bin(z[:, 0], z[:, 2], upright, bins)
    with np.errstate(divide="ignore"):
        allowed = np.clip(heights.ridge_mm / steepest, heights.min_mm, heights.max_mm)
    # No change faster than a step a layer: a layer is at most max_mm high.
    gentle: Floats = _gentle(allowed, heights.max_step_mm / heights.max_mm * BIN_MM)
    return gentle


@numba.njit(cache=True, nogil=True)
def _largest_by_bin(low, high, upright, bins):  # type: ignore[no-untyped-def]
    largest = np.zeros(bins)
    for k in range(len(low)):
        if high[k] - low[k] < 1e-4:
            continue
        first, last = int(low[k] / BIN_MM), min(bins - 1, int(high[k] / BIN_MM))
        for at in range(first, last + 1):
            largest[at] = max(largest[at], upright[k])
    return largest


@numba.njit(cache=True, nogil=True)
def _gentle(allowed, rise):  # type: ignore[no-untyped-def]
    gentle = allowed.copy()
    for k in range(1, len(gentle)):
        gentle[k] = min(gentle[k], gentle[k - 1] + rise)
    for k in range(len(gentle) - 2, -1, -1):
        gentle[k] = min(gentle[k], gentle[k + 1] + rise)
    return gentle


@numba.njit(cache=True, nogil=True)
def _walk(allowed, part_height, first, least, most, max_step, step):  # type: ignore[no-untyped-def]
    heights = np.empty(int((part_height + most) / least) + 2)
    heights[0] = first
    used = 1
    top = first
    while top < part_height - 1e-3:
        before = heights[used - 1] if used > 1 else most
        height = min(most, before + max_step)
        # The lowest allowance that the layer meets; a lower layer meets fewer.
        at = int(top / BIN_MM)
        reach = 0.0
        while at < len(allowed) and reach < height:
            height = min(height, allowed[at])
            at += 1
            reach = at * BIN_MM - top
        if step > 0:
            height = np.floor(height / step + 1e-6) * step
        height = max(height, least)
        heights[used] = height
        used += 1
        top += height
    return heights[:used].copy()
