"""The next moves: of all single changes the few that save most time, found while somebody looks."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from meanbead.core.advise.candidates import candidates
from meanbead.core.advise.context import AdviceContext
from meanbead.core.advise.levers import Lever, all_that_cost_nothing, ranked, try_lever
from meanbead.core.advise.measures import Measures
from meanbead.core.advise.trial import try_out
from meanbead.core.estimate.engine import Engine
from meanbead.core.estimate.job import PrintJob
from meanbead.core.model.base import Result

__all__ = ["BEST", "NextMoves", "best_moves", "next_moves"]

BEST = 3
_FELT_S, _FELT_SHARE = 1.0, 0.003
_GRAVE = ("stop", "risk")


class NextMoves(Result):
    """What is known so far: the best of ``tried`` of ``of`` changes, and all that cost nothing as one step, once all are tried.
    ``others`` is how many more save time and break no limit."""

    base: Measures
    best: list[Lever]
    others: int
    tried: int
    of: int
    together: Lever | None = None


def next_moves(engine: Engine, job: PrintJob, context: AdviceContext) -> Iterator[NextMoves]:
    """The best moves so far, after each change that was tried; those that move no stroke come first. The last answer also knows
    what the free ones make together.

    Figures are those of :func:`meanbead.core.advise.levers.levers`. Raises :class:`MeanBeadError` where the recipe itself
    cannot be printed.
    """
    base = try_out(engine, job, context)
    asked = candidates(base, context)
    found: list[Lever] = []
    yield NextMoves(base=base.measures, best=[], others=0, tried=0, of=len(asked))
    # One at a time, each on all cores: whoever stops looking leaves nothing running that the next edit would wait for.
    for number, candidate in enumerate(asked, start=1):
        lever = try_lever(engine, base, context, candidate)
        if lever is not None:
            found.append(lever)
        yield _answer(base.measures, found, number, len(asked))
    together = all_that_cost_nothing(engine, base, context, ranked(found, "minutes"))
    yield _answer(base.measures, found, len(asked), len(asked)).model_copy(update={"together": together})


def _answer(base: Measures, found: Sequence[Lever], tried: int, of: int) -> NextMoves:
    saving = [lever for lever in found if _saves(base, lever)]
    best = best_moves(base, saving)
    return NextMoves(base=base, best=best, others=len(saving) - len(best), tried=tried, of=of)


def _saves(base: Measures, lever: Lever) -> bool:
    """Whether a change saves more time than is felt and than the sample may be off by, within all limits, and without bringing
    a risk that was not there: a faster setting that spoils the print is no saving."""
    felt = max(_FELT_S, _FELT_SHARE * base.piece_time_s, lever.bound_s)
    grave = any(finding.severity in _GRAVE for finding in lever.new_findings)
    return lever.time_s < -felt and not lever.breaks and not grave


def best_moves(base: Measures, levers: Sequence[Lever], count: int = BEST) -> list[Lever]:
    """The changes that save most time, most first; of those that set the same thing only the best, so that three moves are
    three ideas. Another nozzle counts as itself, not as all that it carries along."""
    chosen: list[Lever] = []
    taken: set[str] = set()
    for lever in sorted(levers, key=lambda one: (one.time_s, one.label)):
        keys = {setting.key for setting in lever.settings}
        keys = {"nozzle"} if "nozzle" in keys else keys
        if _saves(base, lever) and not keys & taken:
            chosen.append(lever)
            taken |= keys
    return chosen[:count]
