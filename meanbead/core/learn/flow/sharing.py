"""Several temperatures of one test: they share the drive, and a slope of the knee against temperature where they agree."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from meanbead.core.learn.flow.posterior import KneePosterior

__all__ = ["share_slope"]

SLOPE_MEAN, SLOPE_SD = 0.01, 0.008
"""Prior of the knee's growth per degree: hot ends gain about a tenth for ten degrees, some hardly anything."""

OWN_SCATTER = 0.05
"""How far a knee may lie off the common line, as a share."""

AGREE = 0.05
"""Where what the others say leaves a temperature's own knee less likely than this, they do not agree."""

Floats = NDArray[np.float64]


def share_slope(temps_c: list[float], found: list[KneePosterior]) -> tuple[list[KneePosterior], bool]:
    """Each temperature's probabilities with what the others say of it, and whether they agreed.

    The others' knees, each with its own scatter, give a line ``ln k = a + b (T - mean)``; what that predicts here multiplies
    what was found here. Nothing is shared where any two disagree, or where only one has seen a knee.
    """
    if sum(one.inside > 0.95 for one in found) < 2:
        return found, False
    middle = float(np.mean(temps_c))
    low, high = min(one.log_knee[0] for one in found), max(one.log_knee[-1] for one in found)
    starts = np.linspace(low - 0.3, high + 0.3, 260)
    slopes = SLOPE_MEAN + SLOPE_SD * np.linspace(-3, 3, 25)
    weights = np.exp(-0.5 * ((slopes - SLOPE_MEAN) / SLOPE_SD) ** 2)
    lines = [starts[:, None] + slopes[None, :] * (temp - middle) for temp in temps_c]
    told = [_density(one, line) for one, line in zip(found, lines, strict=True)]
    shared = []
    for j, one in enumerate(found):
        joint = weights[None, :] * np.prod([told[i] for i in range(len(found)) if i != j], axis=0)
        total = joint.sum()
        if not total > 0:
            return found, False
        places, chance = lines[j].ravel(), joint.ravel() / total
        heavy = chance > 1e-5 * chance.max()
        off = (one.log_knee[:, None] - places[heavy][None, :]) / OWN_SCATTER
        predicted = np.exp(-0.5 * off**2) @ chance[heavy]
        # How likely the own knee is by the others, against the best that they could say.
        if float((one.mass * predicted).sum()) < AGREE * float(predicted.max()):
            return found, False
        mass = one.mass * predicted
        shared.append(one.with_mass(mass / mass.sum()))
    return shared, True


def _density(one: KneePosterior, places: Floats) -> Floats:
    """Density of a knee at places, spread by the scatter off a line."""
    even = np.arange(one.log_knee[0] - 0.25, one.log_knee[-1] + 0.25, 0.01)
    off = (even[:, None] - one.log_knee[None, :]) / OWN_SCATTER
    return np.interp(places, even, np.exp(-0.5 * off**2) @ one.mass, left=0.0, right=0.0)
