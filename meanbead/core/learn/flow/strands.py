"""Where strands turn from good to bad, from looks at several flows.

Looks are ordered. A flow counts as bad once at least half of the looks at it are, after flows that contradict each other
are pooled so that the share of bad ones never falls with the flow (pool adjacent violators; R. E. Barlow et al.,
*Statistical Inference under Order Restrictions*, 1972).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from meanbead.core.model.flow_test import STRANDS, FlowPoint, Strand

__all__ = ["StrandLimit", "strand_limit"]


@dataclass(frozen=True)
class StrandLimit:
    """``good_mm3_s`` is the largest flow whose strand was still good, ``bad_mm3_s`` the least at which it was not; None where
    none was seen. ``doubtful`` where looks contradict each other."""

    good_mm3_s: float | None
    bad_mm3_s: float | None
    doubtful: bool


def strand_limit(points: Sequence[FlowPoint], bad_from: Strand) -> StrandLimit:
    """The limit of one sign: all looks from ``bad_from`` on count as bad."""
    worst = STRANDS.index(bad_from)
    looks = sorted(
        (point.flow_mm3_s, STRANDS.index(point.strand) >= worst) for point in points if point.strand is not None
    )
    blocks: list[tuple[float, int, list[float]]] = []
    flows = sorted({flow for flow, _ in looks})
    doubtful = False
    for flow in flows:
        told = [bad for at, bad in looks if at == flow]
        block = (sum(told) / len(told), len(told), [flow])
        while blocks and blocks[-1][0] > block[0]:
            share, count, its = blocks.pop()
            total = count + block[1]
            block = ((share * count + block[0] * block[1]) / total, total, its + block[2])
            doubtful = True
        blocks.append(block)
    good = [flow for share, _, its in blocks if share < 0.5 for flow in its]
    bad = [flow for share, _, its in blocks if share >= 0.5 for flow in its]
    return StrandLimit(max(good, default=None), min(bad, default=None), doubtful)
