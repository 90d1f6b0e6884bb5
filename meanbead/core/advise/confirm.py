"""Which wastes are real: a finding of that kind is only shown when the engine says that its remedy saves."""

from __future__ import annotations

from collections.abc import Callable

from meanbead.core.advise.context import AdviceContext
from meanbead.core.advise.levers import Lever, tried
from meanbead.core.advise.trial import try_out
from meanbead.core.estimate.engine import Engine
from meanbead.core.estimate.job import PrintJob
from meanbead.core.model.base import Result
from meanbead.core.model.finding import Finding

__all__ = ["Remedies", "Waste", "remedies_tried", "saves"]

_FELT_S = 1.0
_FELT = 0.003
"""Less than this share of the print is no saving that anyone would change a recipe for."""


class Waste(Result):
    """A waste that was confirmed: the finding with just those of its remedies that save, and each of these tried, the
    best first."""

    finding: Finding
    savings: list[Lever]


class Remedies(Result):
    """Remedies that were tried so far, and the wastes that they confirm; ``complete`` when all have been."""

    remedies: list[Lever]
    waste: list[Waste]
    complete: bool


def saves(lever: Lever, base_time_s: float, base_filament_g: float) -> bool:
    """Whether a change clearly saves, by more than its sample may be off: its time falls, or its grams fall and its time
    does not rise. Whether the one is worth the other is for the person."""
    sure_s = max(lever.bound_s, _FELT_S, _FELT * base_time_s)
    sure_g = max(lever.bound_g, _FELT * base_filament_g)
    return lever.time_s < -sure_s or (lever.filament_g < -sure_g and lever.time_s <= max(_FELT_S, lever.bound_s))


def remedies_tried(
    engine: Engine, job: PrintJob, context: AdviceContext, progress: Callable[[float, Remedies], None] | None = None
) -> Remedies:
    """Try the remedies of all of a recipe's findings on a sample.

    ``progress`` is told of those so far, and may raise to end it. Raises :class:`MeanBeadError` where the recipe itself
    cannot be printed.
    """
    base = try_out(engine, job, context)
    wastes = [finding for finding in base.findings if finding.severity == "waste"]
    levers: list[Lever] = []

    def so_far(complete: bool) -> Remedies:
        return Remedies(
            remedies=list(levers),
            waste=[confirmed_waste for waste in wastes for confirmed_waste in confirmed(waste)],
            complete=complete,
        )

    def confirmed(waste: Finding) -> list[Waste]:
        good = [
            lever
            for lever in levers
            if lever.rule == waste.rule and saves(lever, base.measures.piece_time_s, base.measures.filament_g)
        ]
        if not good:
            return []
        good.sort(key=lambda lever: (lever.time_s, lever.filament_g))
        ways = [way for lever in good for way in waste.remedies if way.label == lever.label]
        return [Waste(finding=waste.model_copy(update={"remedies": ways}), savings=good)]

    for share, lever in tried(engine, base, context):
        if lever is not None:
            levers.append(lever)
        if progress is not None:
            progress(share, so_far(False))
    return so_far(True)
