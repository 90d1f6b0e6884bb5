"""Which seconds of a prediction are learnt together, and what is known of each before any run.

The engine's ledger has eight causes. Real times cannot tell all of them apart: what ramps and corners take both hangs on
accelerations, and a melt ceiling holds a stroke at a set speed like any other. Six factors are left, and a start offset.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from meanbead.core.estimate.ledger import CAUSES

__all__ = ["FACTORS", "FACTOR_OF", "OFFSET_MEAN_S", "OFFSET_SD_S", "Factor", "by_factor"]

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Factor:
    """One factor on predicted seconds: of which ``causes``, and what is expected of it before any run: ``mean`` and ``sd`` of
    a normal distribution. ``words`` and ``why`` tell people what it stands for."""

    name: str
    causes: tuple[str, ...]
    mean: float
    sd: float
    words: str
    why: str


FACTORS: tuple[Factor, ...] = (
    Factor(
        "at_set_speed",
        ("at_set_speed", "melt_ceiling"),
        1.0,
        0.03,
        "at set speed",
        "a stroke at its set speed takes its length over that speed; firmware that rounds or pauses between moves adds a little",
    ),
    Factor(
        "ramps_and_corners",
        ("ramps", "corners"),
        1.05,
        0.25,
        "ramps and corners",
        "accelerations and corner values are often not what was typed",
    ),
    Factor("travelling", ("travelling",), 1.02, 0.10, "travel", "travel is mostly ramps on small parts"),
    Factor(
        "retracting",
        ("retracting",),
        1.1,
        0.30,
        "pulling filament back",
        "pull speed and the drive's acceleration are seldom known",
    ),
    Factor(
        "z_and_layer_change",
        ("z_and_layer_change",),
        1.05,
        0.25,
        "lifts and layer changes",
        "limits of the Z axis are seldom known",
    ),
    Factor("layer_cooling", ("layer_cooling",), 1.0, 0.04, "waiting to cool", "a machine waits as long as it is told"),
)
"""The factors. Means and widths are judgements: a typed acceleration may be off by a quarter of its seconds either way, a set
speed hardly. A dozen runs overrule them."""

OFFSET_MEAN_S, OFFSET_SD_S = 20.0, 50.0
"""What every start takes beyond the prediction, s: wiping, priming, a probe of the bed that nobody described."""

FACTOR_OF: dict[str, int] = {cause: k for k, factor in enumerate(FACTORS) for cause in factor.causes}
"""The number of each cause's factor."""


def by_factor(seconds: NDArray[np.float64]) -> Floats:
    """Seconds by cause, (..., causes) in the order of :data:`~meanbead.core.estimate.ledger.CAUSES`, as seconds by
    factor, (..., factors)."""
    found = np.zeros((*np.shape(seconds)[:-1], len(FACTORS)))
    for number, cause in enumerate(CAUSES):
        found[..., FACTOR_OF[cause]] += seconds[..., number]
    return found
