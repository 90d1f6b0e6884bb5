"""Two tests side by side: do they differ beyond their scatter?"""

from __future__ import annotations

import math
from typing import Literal

import numpy as np

from meanbead.core.learn.flow.fit import SAME_TEMP_C, grouped, posteriors
from meanbead.core.learn.flow.posterior import KneePosterior
from meanbead.core.model.base import Result
from meanbead.core.model.flow_test import FlowTest, Range

__all__ = ["FlowComparison", "KneeDifference", "compare_tests"]


class KneeDifference(Result):
    """The second knee over the first, with its 90 % interval. ``differs`` where the interval leaves out 1."""

    temp_c: float
    fan: bool
    other_temp_c: float
    other_fan: bool
    ratio: Range | None
    differs: bool
    verdict: Literal["more", "less", "same", "unknown"]
    sentence: str


class FlowComparison(Result):
    """What two tests say of each other."""

    differences: list[KneeDifference]


def compare_tests(first: FlowTest, second: FlowTest) -> FlowComparison:
    """Knees of two tests at equal temperatures and fan; where they have none in common, each against the nearest.

    The ratio's interval is that of the difference of two independent logarithms, from both probabilities in full. One and
    the same test is compared with itself across its temperatures, or fan on and off.
    """
    if first is second or first == second:
        return FlowComparison(differences=_within(first))
    ours, theirs = _found(first), _found(second)
    differences = []
    for key, one in ours.items():
        same = [other for other in theirs if other[1] is key[1] and abs(other[0] - key[0]) <= SAME_TEMP_C]
        if same:
            differences.append(_difference(key, one, same[0], theirs[same[0]]))
    if not differences and ours and theirs:
        key = next(iter(ours))
        other = min(theirs, key=lambda pair: (abs(pair[0] - key[0]), pair[1] is not key[1]))
        differences.append(_difference(key, ours[key], other, theirs[other]))
    return FlowComparison(differences=differences)


def _within(test: FlowTest) -> list[KneeDifference]:
    found = list(_found(test).items())
    return [_difference(*found[0], *other) for other in found[1:]]


def _found(test: FlowTest) -> dict[tuple[float, bool], KneePosterior]:
    return posteriors(test, grouped(test.points))


def _difference(
    key: tuple[float, bool], one: KneePosterior, other_key: tuple[float, bool], other: KneePosterior
) -> KneeDifference:
    ratio = _ratio(one, other) if min(one.inside, other.inside) > 0.9 else None
    differs = ratio is not None and not ratio.low <= 1 <= ratio.high
    if ratio is None:
        verdict: Literal["more", "less", "same", "unknown"] = "unknown"
        sentence = "At least one of them has not seen its knee yet: try higher flows there."
    elif differs:
        verdict = "more" if ratio.value > 1 else "less"
        by = f"{100 * abs(ratio.value - 1):.0f} % ({100 * (ratio.low - 1):+.0f} to {100 * (ratio.high - 1):+.0f} %)"
        sentence = f"The second melts {by} {verdict}: more than their scatter."
    else:
        verdict = "same"
        sentence = (
            f"No difference beyond their scatter: {100 * (ratio.low - 1):+.0f} to {100 * (ratio.high - 1):+.0f} %. "
            "A smaller one would take more strands near the knee."
        )
    if key != other_key:
        sides = (f"{temp:g} °C {'with' if fan else 'without'} the fan" for temp, fan in (other_key, key))
        sentence = f"{sentence[:-1] if sentence.endswith('.') else sentence}, {' against '.join(sides)}."
    return KneeDifference(
        temp_c=key[0],
        fan=key[1],
        other_temp_c=other_key[0],
        other_fan=other_key[1],
        ratio=ratio,
        differs=differs,
        verdict=verdict,
        sentence=sentence,
    )


def _ratio(one: KneePosterior, other: KneePosterior) -> Range:
    """Quantiles of ``ln k2 - ln k1``, from all pairs of places."""
    off = (other.log_knee[None, :] - one.log_knee[:, None]).ravel()
    mass = (one.mass[:, None] * other.mass[None, :]).ravel()
    order = np.argsort(off)
    share = np.cumsum(mass[order])
    low, middle, high = (math.exp(float(np.interp(at * share[-1], share, off[order]))) for at in (0.05, 0.5, 0.95))
    return Range(value=middle, low=low, high=high)
