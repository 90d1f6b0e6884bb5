"""Which layers to plan when not all are: a sample whose totals stand for the whole, with a bound on the error.

Each layer gets a size from its section alone, a guess at its seconds. Layers that are large beside the rest are taken
for certain; of the others each stratum of equal size, bottom to top, gives one, drawn with a chance in proportion to
its size (Hansen and Hurwitz 1943). A drawn layer stands for its stratum, weighted by stratum size over its own. The
guess need not be right, only roughly in proportion: its scatter shows in the error. Draws are seeded by the part.
"""

from __future__ import annotations

import math
import zlib
from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray

from meanbead.core.formulas.bead import bead_spacing_mm
from meanbead.core.model.plan import Shape
from meanbead.core.strokes.choices import layer_choices
from meanbead.core.strokes.cut import Cut
from meanbead.core.strokes.filling import bridges_over_sparse

__all__ = [
    "FEW_LAYERS",
    "INTERVAL_LAYERS",
    "SAMPLE_LAYERS",
    "SEARCH_LAYERS",
    "LayerSample",
    "layer_sizes",
    "sample_layers",
]

Floats = NDArray[np.float64]

SAMPLE_LAYERS = 24
"""Layers of a sample by which recipes are compared, and of a first answer."""

SEARCH_LAYERS = 12
"""Layers of a sample in the search: enough to rank, and whatever may be on the line is computed in full."""

FEW_LAYERS = 24
"""Recipes of so few layers are computed in full from the start: a sample of 6 of 14 saves nothing."""

INTERVAL_LAYERS = 24
"""Layers that are run for an interval, about."""

MIN_LAYERS = 6
"""A sample smaller than this has no error that could be told."""

MIN_ERROR = 0.01
"""Below this share no bound is claimed: the strata's own layers differ in ways that the sizes do not know."""

MIN_PAIR_ERROR = 0.006
"""The same for what two recipes on one sample differ by."""

MIN_FILAMENT_ERROR = 0.01
"""The same for plastic: the layers' areas tell it but for what walls and skins lose and lay twice."""

_FIRST_LAYER_MM_S, _OUTER_MM_S, _INNER_MM_S, _INFILL_MM_S, _BRIDGE_MM_S = 25.0, 40.0, 60.0, 80.0, 25.0
_MIN_LAYER_S, _MIN_MM_S = 8.0, 10.0
_SPARSE_HOP_S, _SKIN_HOP_S = 0.15, 0.02

_MAX_SKINS = 12

_COVER = 2.3
"""Standard errors in the bound; a little over the usual two, for few layers are drawn."""


@dataclass(frozen=True)
class LayerSample:
    """``weight`` (layers,): how many layers each stands for, 0 for those not planned. ``drawn`` are the numbers of the
    layers that stand for strata, bottom to top, and ``size_s`` (layers,) the guesses. ``volume_weight`` is ``weight`` set
    right by what the layers' areas say of the plastic, ``volume_mm3`` (layers,): seconds and grams need not go together."""

    weight: Floats
    drawn: NDArray[np.int64]
    size_s: Floats
    volume_weight: Floats
    volume_mm3: Floats

    @property
    def chosen(self) -> NDArray[np.bool_]:
        """True for layers to plan, bool (layers,)."""
        chosen: NDArray[np.bool_] = self.weight > 0
        return chosen

    def error(self, seconds: Floats) -> float:
        """Bound on the relative error of the total, from the layers' seconds (layers,); 0 when all are planned.

        The scatter is that of each stratum against the mean of its two neighbours, so that what changes slowly from
        bottom to top does not count as error.
        """
        if not len(self.drawn):
            return 0.0
        step = np.diff(seconds[self.drawn] / self.size_s[self.drawn], 2)
        spread = float(np.sum(step**2)) / (6 * len(step))
        stands_for = float(np.sum(self.weight[self.drawn] * self.size_s[self.drawn]))
        error_s = stands_for * math.sqrt(spread / len(self.drawn))
        return max(
            MIN_ERROR,
            _COVER
            * max(error_s, 0.5 * self._plain(seconds, self.size_s, self.weight))
            / float(np.sum(seconds * self.weight)),
        )

    def _plain(self, found: Floats, guessed: Floats, weight: Floats) -> float:
        """Standard error from the scatter of all drawn layers against their mean: what changes slowly counts, too."""
        ratio, stands_for = found[self.drawn] / guessed[self.drawn], weight[self.drawn] * guessed[self.drawn]
        mean = float(np.sum(ratio * stands_for) / np.sum(stands_for))
        return math.sqrt(float(np.sum(stands_for**2 * (ratio - mean) ** 2)))

    def filament_error(self, volumes_mm3: Floats) -> float:
        """The same for plastic, from the layers' volumes (layers,): what of them the guess from areas does not tell."""
        if not len(self.drawn):
            return 0.0
        # Layers are drawn by their seconds, not their plastic, and few of a kind may be among them: so what changes
        # slowly counts as error, too.
        error_mm3 = self._plain(volumes_mm3, self.volume_mm3, self.volume_weight)
        return max(MIN_FILAMENT_ERROR, _COVER * error_mm3 / float(np.sum(volumes_mm3 * self.volume_weight)))

    def difference_error_s(self, before_s: Floats, after_s: Floats) -> float:
        """Bound on the error, s, of the difference between two totals taken on this same sample, from both recipes'
        layers' seconds (layers,): what both are off by alike falls out."""
        if not len(self.drawn):
            return 0.0
        change = after_s - before_s
        step = np.diff(change[self.drawn] / self.size_s[self.drawn], 2)
        stands_for = float(np.sum(self.weight[self.drawn] * self.size_s[self.drawn]))
        error_s = stands_for * math.sqrt(float(np.sum(step**2)) / (6 * len(step)) / len(self.drawn))
        whole = abs(float(np.sum(change * self.weight)))
        return _COVER * error_s + MIN_PAIR_ERROR * (whole + 0.6 * float(np.sum(before_s * self.weight)))


def sample_layers(
    cut: Cut, shape: Shape, count: int, digest: str, like: LayerSample | None = None, *, with_skins: bool = False
) -> LayerSample:
    """Choose about ``count`` layers, at least :data:`MIN_LAYERS`; all of them if there are not many more.

    ``like`` is another recipe's sample of the same layers: the same ones are taken, with the same weights, so that the
    two can be compared. A draw stays fair whatever the sizes that it was made from. ``with_skins`` takes the layers that
    hold most of the skin beside the others, so that a change of just these is seen.
    """
    size, volume, skin = layer_sizes(cut, shape)
    if like is not None and len(like.weight) == len(size):
        if not len(like.drawn):
            return LayerSample(like.weight, like.drawn, size, np.ones(len(size)), volume)
        volume_weight = _volume_weight(like.weight, like.drawn, volume)
        return LayerSample(like.weight, like.drawn, like.size_s, volume_weight, volume)
    layers = len(size)
    skins = sorted({*(_skins(skin) if with_skins else []), *(_floors(cut, shape) if with_skins else [])})
    count = max(count, MIN_LAYERS) + len(skins)
    if layers <= 1.5 * count or (shape.spiral and layers <= shape.bottom_layers + count):
        return LayerSample(np.ones(layers), np.empty(0, np.int64), size, np.ones(layers), volume)
    weight = np.zeros(layers)
    certain = _certain(size, count, skins)
    weight[certain] = 1.0
    rest = np.flatnonzero(~certain)
    strata = max(2, count - int(certain.sum()))
    random = np.random.default_rng(zlib.crc32(digest.encode()))
    drawn = _draw(size[rest], strata, random)
    # A layer that is drawn for two strata stands for both.
    share = float(size[rest].sum()) / strata
    for k in rest[drawn].tolist():
        weight[k] += share / size[k]
    stand_ins = np.unique(rest[drawn])
    return LayerSample(weight, stand_ins, size, _volume_weight(weight, stand_ins, volume), volume)


def _volume_weight(weight: Floats, drawn: NDArray[np.int64], volume: Floats) -> Floats:
    """The weights, set right so that the layers' guessed plastic adds up to what it is guessed to be in all of them."""
    certain = weight == 1.0
    certain[drawn] = False
    rest = float(volume[~certain].sum())
    right = weight.copy()
    right[drawn] *= rest / float(np.sum(volume[drawn] * weight[drawn]))
    return right


def _skins(skin_mm2: Floats) -> list[int]:
    """The few layers that hold most of the skin, the fullest first: a changed skin changes them and hardly any other.
    None where skin is spread over many layers, as on a dome."""
    order = np.argsort(-skin_mm2, kind="stable")[:_MAX_SKINS]
    whole = float(skin_mm2.sum())
    if whole <= 0 or float(skin_mm2[order].sum()) < 0.5 * whole:
        return []
    return [int(k) for k in order if skin_mm2[k] > 0.003 * whole]


def _floors(cut: Cut, shape: Shape) -> list[int]:
    """The few layers that begin a broad floor in the air, and those of the interface of supports under it: what they hold of
    bridges and interfaces no other layer has."""
    area = shapely.area(cut.sections)
    more = np.diff(area, prepend=area[0])
    order = np.argsort(-more, kind="stable")[:_MAX_FLOORS]
    floors = [int(k) for k in order if more[k] > max(_FLOOR_MM2, _FLOOR_SHARE * float(area.max()))]
    supports = shape.supports
    if supports.kind == "none":
        return floors
    # Under the interface come the beams of trees.
    depth = supports.interface_layers + (1 if supports.kind == "trees" else 0)
    below = [k - 1 - supports.gap_layers - step for k in floors for step in range(depth)]
    return floors + [k for k in below if k >= 0]


_MAX_FLOORS = 6
_FLOOR_MM2, _FLOOR_SHARE = 20.0, 0.05
"""A layer so much larger than the one below begins a floor."""


def _certain(size: Floats, count: int, skins: list[int]) -> NDArray[np.bool_]:
    """The first and the last layer, those of the skins, and every layer larger than a stratum would be. (The last is often
    like no other, and so small that, if it were drawn, it would stand for hundreds.)"""
    certain = np.zeros(len(size), dtype=bool)
    certain[[0, len(size) - 1, *skins]] = True
    while True:
        left = count - int(certain.sum())
        if left <= count // 2:
            return certain
        larger = ~certain & (size > size[~certain].sum() / left)
        if not larger.any():
            return certain
        # The largest first, so that at least half of the sample is left to be drawn.
        order = np.argsort(np.where(larger, -size, np.inf), kind="stable")
        certain[order[: min(int(larger.sum()), left - count // 2)]] = True


def _draw(size: Floats, strata: int, random: np.random.Generator) -> NDArray[np.int64]:
    reach = np.cumsum(size)
    at = (np.arange(strata) + random.random(strata)) * (reach[-1] / strata)
    drawn: NDArray[np.int64] = np.minimum(np.searchsorted(reach, at, side="right"), len(size) - 1)
    return drawn


def layer_sizes(cut: Cut, shape: Shape) -> tuple[Floats, Floats, Floats]:
    """Guesses at each layer's seconds, plastic (mm3) and skin (mm2) from areas and outlines alone, (layers,) each: walls,
    skins, filling, small change. At typical speeds, not the recipe's: a changed speed must not change which layers are drawn.
    """
    layers = cut.layers
    choices = layer_choices(shape, layers)
    area, edge = shapely.area(cut.sections), shapely.length(cut.sections)
    islands = shapely.get_num_geometries(cut.sections)
    walls = choices.walls
    slowest = np.where(np.arange(len(layers)) == 0, _FIRST_LAYER_MM_S, np.inf)
    spacing = bead_spacing_mm(shape.width_mm.solid, shape.layer_height_mm)
    inside = np.maximum(0.0, area - edge * spacing * walls)
    # Walls are no longer than fits: a thin one has no room for all of them.
    laid = (area - inside) / spacing
    outer = np.minimum(edge, laid)
    seconds = outer / np.minimum(_OUTER_MM_S, slowest) + (laid - outer) / np.minimum(_INNER_MM_S, slowest)
    skin = np.minimum(inside, _exposed_mm2(area, choices.top, choices.bottom))
    skin = np.where(choices.solid, inside, skin)
    strand = shape.bore_mm * math.sqrt(shape.bridge_flow_ratio)
    over = np.minimum(skin, _first_over_mm2(area, choices.top)) * bridges_over_sparse(choices, shape)
    seen = np.minimum(skin - over, np.maximum(0.0, area - np.append(area[1:], 0.0))) * (choices.top > 0)
    seconds += (skin - over - seen) / spacing / np.minimum(_INNER_MM_S, slowest)
    seconds += seen / spacing / np.minimum(_OUTER_MM_S, slowest) + over / strand / _BRIDGE_MM_S
    sparse = (inside - skin) * choices.density * shape.infill_lines_side_by_side
    volume = layers.height_mm * np.maximum(area - inside + skin + sparse, 1e-6)
    # A stroke is as long as the mean chord of its region (Cauchy: pi times area over outline), and each has its hop.
    chord = np.maximum(1.0, math.pi * inside / np.maximum(edge, 1e-9))
    seconds += sparse / spacing * (1 / _INFILL_MM_S + _SPARSE_HOP_S / chord) + skin / spacing * _SKIN_HOP_S / chord
    volume += over * (math.pi * strand / 4 - layers.height_mm)
    seconds += 0.3 + 0.2 * islands
    if shape.copies.count == 1:
        # Slowed for cooling, as far as the least speed.
        length = laid + (skin + sparse) / spacing
        seconds = np.maximum(seconds, np.minimum(_MIN_LAYER_S, length / _MIN_MM_S))
    return np.maximum(seconds, 1e-3), volume, skin


def _first_over_mm2(area: Floats, top: NDArray[np.int64]) -> Floats:
    """About how much of each layer is the lowest solid one: what only the farthest layer within reach of its tops bares."""
    over = np.zeros(len(area))
    for step in np.unique(top[top > 1]).tolist():
        near = np.concatenate([area[step - 1 :], np.zeros(step - 1)])[: len(area)]
        far = np.concatenate([area[step:], np.zeros(step)])[: len(area)]
        over = np.where(top == step, np.maximum(0.0, near - far), over)
    return over


def _exposed_mm2(area: Floats, top: NDArray[np.int64], bottom: NDArray[np.int64]) -> Floats:
    """At least how much of each layer is skin: what some section within the skins' reach has less of it."""
    exposed = np.zeros(len(area))
    for step in range(1, int(max(top.max(initial=0), bottom.max(initial=0))) + 1):
        above, below = np.zeros(len(area)), np.zeros(len(area))
        above[:-step], below[step:] = area[step:], area[:-step]
        exposed = np.maximum(exposed, np.where(top >= step, area - above, 0.0))
        exposed = np.maximum(exposed, np.where(bottom >= step, area - below, 0.0))
    return exposed
