"""In which order to try the causes of a fault: practitioners' judgement, what this run says, and what this workshop's own
tries have shown.

Each pair of fault and cause has a chance that curing the cause cures the fault: Beta distributed, with the prior chance of
``faults.toml`` worth :data:`PRIOR_TRIES` tries; a try that changed this cause alone adds one to either side (Gelman and
others, Bayesian Data Analysis, 3rd ed., 2.4). The order is by its mean times a factor for the evidence: a judgement, stated
here, not measured. A cause that this very chain of tries has changed alone, in vain, keeps what Bayes' rule leaves of it: a
cure is taken to work in :data:`CURE_WORKS` of the cases where its cause was the true one.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from meanbead.core.faults.evidence import Evidence, Standing
from meanbead.core.faults.knowledge import Cause, FaultKind, Knowledge
from meanbead.core.model.base import Result

__all__ = ["CURE_WORKS", "EVIDENCE_FACTOR", "PRIOR_TRIES", "CureCount", "Suspect", "chance", "ordered"]

PRIOR_TRIES = 4.0
EVIDENCE_FACTOR: dict[Standing, float] = {"beyond": 3.0, "near": 1.3, "within": 0.4, "unknown": 1.0}
CURE_WORKS = 0.8
"""How often a cure works where its cause was the true one: a judgement (a bed is washed badly, ten degrees are too few)."""


@dataclass(frozen=True)
class CureCount:
    """How often this cause alone was changed against a fault, and how often the fault was gone then."""

    tried: int = 0
    cured: int = 0


class Suspect(Result):
    """A cause of a fault with what speaks for it. ``chance`` is that of curing the fault by it, by judgement and tries;
    ``weight`` that times the evidence's factor, by which they are in order; ``in_vain`` the number of the run of this chain
    that tried it and still had the fault."""

    cause: Cause
    evidence: Evidence
    prior: float
    tried: int
    cured: int
    chance: float
    weight: float
    in_vain: int | None = None


def chance(prior: float, count: CureCount) -> float:
    """The mean of Beta(prior n + cured, (1 - prior) n + not cured), n = :data:`PRIOR_TRIES`."""
    return (prior * PRIOR_TRIES + count.cured) / (PRIOR_TRIES + count.tried)


def ordered(
    fault: FaultKind,
    known: Knowledge,
    found: Mapping[str, Evidence],
    counts: Mapping[tuple[str, str], CureCount],
    in_vain: Mapping[str, int] | None = None,
) -> list[Suspect]:
    """The causes of a fault, the likeliest first. ``counts`` are by fault and cause; ``in_vain`` names the run by each cause
    that this chain has tried without a cure."""
    vain = in_vain or {}
    suspects = []
    for key, prior in fault.causes.items():
        count = counts.get((fault.key, key), CureCount())
        here = found.get(key, Evidence(standing="unknown"))
        mean = chance(prior, count)
        suspects.append(
            Suspect(
                cause=known.causes[key],
                evidence=here,
                prior=prior,
                tried=count.tried,
                cured=count.cured,
                chance=mean,
                weight=mean * EVIDENCE_FACTOR[here.standing] * (1.0 - CURE_WORKS if key in vain else 1.0),
                in_vain=vain.get(key),
            )
        )
    return sorted(suspects, key=lambda suspect: -suspect.weight)
