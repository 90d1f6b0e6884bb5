"""From pairs that were compared blind to strengths: the model of Bradley and Terry.

Piece i is found better than j with probability ``1 / (1 + exp(b_j - b_i))`` (R. A. Bradley and M. E. Terry, Rank Analysis of
Incomplete Block Designs, Biometrika 39, 1952). Strengths are those of highest posterior density; a wide normal prior keeps
a piece that always won finite. Their errors are the inverse of the observed information, of which the constant that all
strengths share is left out. Valid for comparisons that do not depend on each other; several of one person at one spot do, a
little.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from scipy.special import expit, ndtr

from meanbead.core.estimate.interval import Z_90
from meanbead.core.model.base import Result

__all__ = ["PRIOR_SD", "Ranking", "Strength", "next_pair", "rank_pairs"]

Floats = NDArray[np.float64]

PRIOR_SD = 2.0
"""Of strengths about their mean: a difference of two makes the better one win nine times of ten."""

_FALSE = 0.05


class Strength(Result):
    """A piece's strength about the mean of all, with its 90 % interval; how often it was compared, and won."""

    value: float
    low: float
    high: float
    compared: int
    won: float


class Ranking(Result):
    """Strengths by place, and the pairs (better, worse) of which it is sure: with five per cent at most that any is false."""

    strengths: list[Strength]
    sure: list[tuple[int, int]]
    comparisons: int


def rank_pairs(
    count: int, pairs: Sequence[tuple[int, int]], evens: Sequence[tuple[int, int]] = (), prior_sd: float = PRIOR_SD
) -> Ranking:
    """Strengths of ``count`` pieces from (better, worse) pairs; of ``evens`` each counts as half a win either way.

    Raises ValueError for places that there are not, and for a piece against itself.
    """
    wins = np.zeros((count, count))
    for better, worse in [*pairs, *evens]:
        if better == worse or not (0 <= better < count and 0 <= worse < count):
            raise ValueError(f"there is no pair {better}, {worse} among {count} pieces")
    for better, worse in pairs:
        wins[better, worse] += 1.0
    for one, other in evens:
        wins[one, other] += 0.5
        wins[other, one] += 0.5
    strength, covariance = _solve(wins, prior_sd)
    error = np.sqrt(np.maximum(np.diag(covariance), 0.0))
    met = wins + wins.T
    strengths = [
        Strength(
            value=float(strength[k]),
            low=float(strength[k] - Z_90 * error[k]),
            high=float(strength[k] + Z_90 * error[k]),
            compared=round(float(met[k].sum())),
            won=float(wins[k].sum()),
        )
        for k in range(count)
    ]
    return Ranking(strengths=strengths, sure=_sure(strength, covariance, met), comparisons=round(float(wins.sum())))


def _solve(wins: Floats, prior_sd: float) -> tuple[Floats, Floats]:
    """Strengths of sum zero and their covariance, by Newton's method; the posterior is log-concave."""
    count = len(wins)
    met = wins + wins.T
    strength = np.zeros(count)
    # Only differences matter: a held sum stands in for the constant that they share.
    held = np.full((count, count), 1.0 / count)
    for _ in range(100):
        better = expit(strength[:, None] - strength[None, :])
        gradient = wins.sum(axis=1) - (met * better).sum(axis=1) - strength / prior_sd**2
        weight = met * better * (1 - better)
        information = np.diag(weight.sum(axis=1)) - weight + np.eye(count) / prior_sd**2
        step = np.linalg.solve(information + held, gradient)
        strength = strength + step
        strength -= strength.mean()
        if np.abs(step).max(initial=0.0) < 1e-10:
            break
    covariance = np.linalg.inv(information + held)
    centre = np.eye(count) - 1.0 / count
    return strength, centre @ covariance @ centre


def _sure(strength: Floats, covariance: Floats, met: Floats) -> list[tuple[int, int]]:
    """Pairs that differ, by Holm's step-down over all of them (S. Holm, A Simple Sequentially Rejective Multiple Test
    Procedure, 1979)."""
    count = len(strength)
    found = []
    for i in range(count):
        for j in range(i + 1, count):
            error = np.sqrt(max(covariance[i, i] + covariance[j, j] - 2 * covariance[i, j], 1e-12))
            z = (strength[i] - strength[j]) / error
            found.append((float(2 * ndtr(-abs(z))), (i, j) if z > 0 else (j, i)))
    found.sort(key=lambda one: one[0])
    sure = []
    for place, (chance, pair) in enumerate(found):
        if chance > _FALSE / (len(found) - place):
            break
        sure.append(pair)
    return sure


def next_pair(there: Sequence[int], ranking: Ranking | None, met: Sequence[tuple[int, int]]) -> tuple[int, int] | None:
    """Which two of the pieces that are there to compare next: a pair that has met least often, of these the one whose
    strengths are closest, for there the answer is least known. None for fewer than two."""
    best: tuple[tuple[float, ...], tuple[int, int]] | None = None
    for place, one in enumerate(there):
        for other in there[place + 1 :]:
            often = sum({one, other} == set(pair) for pair in met)
            apart = 0.0
            if ranking is not None:
                apart = abs(ranking.strengths[one].value - ranking.strengths[other].value)
            key = (float(often), apart, float(one), float(other))
            if best is None or key < best[0]:
                best = key, (one, other)
    return None if best is None else best[1]
