"""Levers: every single change worth considering, each with what it saves and what it takes, computed on this part."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from typing import Literal

from meanbead.core.advise.candidates import Candidate, Group, candidates, remedies
from meanbead.core.advise.context import AdviceContext, settings_between, with_settings
from meanbead.core.advise.limits import Breach, breaches
from meanbead.core.advise.measures import Measures
from meanbead.core.advise.trial import Trial, try_out
from meanbead.core.errors import MeanBeadError
from meanbead.core.estimate.engine import Engine
from meanbead.core.estimate.job import PrintJob
from meanbead.core.model.base import Result
from meanbead.core.model.estimate import Causes
from meanbead.core.model.finding import Finding, SetTo
from meanbead.core.runtime.parallel import ordered_map

__all__ = [
    "Advice",
    "Effect",
    "Goal",
    "Lever",
    "all_that_cost_nothing",
    "effects_between",
    "levers",
    "ranked",
    "tried",
    "try_lever",
    "words_of",
]

Goal = Literal["minutes", "grams", "cost"]

_GRAVE = ("stop", "risk")
_FELT = 0.02
"""A strength index that falls by less than this is not counted as something given up."""


class Effect(Result):
    """One figure before and after; ``better`` is None where it is neither."""

    name: str
    before: float
    after: float
    better: bool | None


class Lever(Result):
    """A change with its price. Times and grams are differences of one piece's; ``bound_s`` and ``bound_g`` say how far
    the sample may be off. ``takes`` are the effects that are for the worse. ``breaks`` are limits of the purpose that it
    breaks and the recipe before did not. ``free`` takes nothing away. ``clears`` names the rules that fall silent.
    ``by_cause`` is the ledger of the plate after the change.
    """

    group: Group
    label: str
    why: str
    settings: list[SetTo]
    rule: str
    time_s: float
    filament_g: float
    cost: float
    bound_s: float
    bound_g: float
    pieces: int
    effects: list[Effect]
    takes: list[str]
    breaks: list[Breach]
    new_findings: list[Finding]
    clears: list[str]
    free: bool
    by_cause: Causes
    problem: str = ""


class Advice(Result):
    """All levers found so far; ``together`` is all that cost nothing at once, when it has been computed."""

    base: Measures
    levers: list[Lever]
    tried: int
    of: int
    together: Lever | None = None


Progress = Callable[[float, str, Advice], None]


def levers(
    engine: Engine, job: PrintJob, context: AdviceContext, goal: Goal = "minutes", progress: Progress | None = None
) -> Advice:
    """Try all candidates, telling ``progress`` of each as it is ready; best first by the goal.

    Differences are those of two samples drawn by the same rule, so that much of what a sample is off by falls out.
    Raises :class:`MeanBeadError` where the recipe itself cannot be printed; ``progress`` may raise to end it.
    """
    base = try_out(engine, job, context)
    requested = candidates(base, context)
    found: list[Lever] = []
    for number, lever in enumerate(_tried(engine, base, context, requested), start=1):
        if lever is not None:
            found.append(lever)
        if progress is not None:
            now = Advice(base=base.measures, levers=ranked(found, goal), tried=number, of=len(requested))
            progress(number / (len(requested) + 2), f"{number} of {len(requested)} changes", now)
    together = all_that_cost_nothing(engine, base, context, ranked(found, goal))
    return Advice(
        base=base.measures, levers=ranked(found, goal), tried=len(requested), of=len(requested), together=together
    )


def _tried(engine: Engine, base: Trial, context: AdviceContext, requested: list[Candidate]) -> Iterator[Lever | None]:
    """Candidates computed against the base, in their order, two at a time; None for each that changes nothing or cannot be."""
    return ordered_map(lambda candidate: try_lever(engine, base, context, candidate), requested)


def tried(engine: Engine, base: Trial, context: AdviceContext) -> Iterator[tuple[float, Lever | None]]:
    """The remedies of a recipe's findings, each tried: what it saves or costs, and whether its finding falls silent; with
    the share of them that is done."""
    requested = remedies(base)
    for number, lever in enumerate(_tried(engine, base, context, requested), start=1):
        yield number / len(requested), lever


def try_lever(engine: Engine, base: Trial, context: AdviceContext, candidate: Candidate) -> Lever | None:
    """Compute one candidate against the base; None where it changes nothing or cannot be."""
    try:
        job = with_settings(base.job, candidate.settings, context.nozzles)
        trial = try_out(engine, job, context, like=base)
    except MeanBeadError:
        return None
    if trial.plan == base.plan and trial.job.nozzle == base.job.nozzle:
        return None
    # Another nozzle carries more than it names: all of it is told, so that it can be applied key by key.
    nozzle = [setting for setting in candidate.settings if setting.key == "nozzle"]
    told = nozzle + settings_between(base.job.recipe, job.recipe) if nozzle else candidate.settings
    return _compared(base, trial, context, candidate.model_copy(update={"settings": told}))


def _compared(base: Trial, trial: Trial, context: AdviceContext, candidate: Candidate) -> Lever:
    before, after = base.measures, trial.measures
    effects = list(effects_between(before, after))
    broken_before = {breach.limit for breach in breaches(context.limits, before)}
    breaks = [breach for breach in breaches(context.limits, after) if breach.limit not in broken_before]
    rules_before = {finding.rule: finding.severity for finding in base.findings}
    new = [finding for finding in trial.findings if finding.rule not in rules_before]
    rules_after = {finding.rule for finding in trial.findings}
    takes = [words_of(effect) for effect in effects if effect.better is False]
    takes += [finding.sentence for finding in new if finding.severity in _GRAVE]
    time = after.piece_time_s - before.piece_time_s
    grams = after.filament_g - before.filament_g
    bound = base.sampled.difference_error_s(trial.sampled) / min(before.pieces, after.pieces)
    saves = time < -max(1.0, 0.002 * before.piece_time_s) or grams < -0.002 * before.filament_g
    worse = time > max(1.0, 0.002 * before.piece_time_s) or grams > max(0.01, 0.002 * before.filament_g)
    return Lever(
        group=candidate.group,
        label=candidate.label,
        why=candidate.why,
        settings=candidate.settings,
        rule=candidate.rule,
        time_s=time,
        filament_g=grams,
        cost=after.expected_cost - before.expected_cost,
        bound_s=bound,
        bound_g=math.hypot(base.filament_error_g / before.pieces, trial.filament_error_g / after.pieces),
        pieces=after.pieces,
        effects=effects,
        takes=takes,
        breaks=breaks,
        new_findings=new,
        clears=[rule for rule in rules_before if rule not in rules_after],
        free=saves
        and not worse
        and not takes
        and not breaks
        and after.pieces == before.pieces
        and not _swaps(candidate),
        by_cause=after.by_cause,
    )


def _swaps(candidate: Candidate) -> bool:
    """Whether hands are needed: a nozzle to be swapped."""
    return any(setting.key == "nozzle" for setting in candidate.settings)


_FIGURES: tuple[tuple[str, float, bool], ...] = (
    # name, how much is felt, whether more is better
    ("ridge_mm", 0.02, False),
    ("detail_mm", 0.005, False),
    ("outer_width_mm", 0.03, False),
    ("lost_share", 0.003, False),
    ("overhang_margin_deg", 0.5, True),
    ("shell_mm", 0.01, True),
    ("top_mm", 0.02, True),
    ("bottom_mm", 0.02, True),
    ("over_usual_c", 4.0, False),
    ("least_layer_s", 0.1, True),
    ("bond", 0.0, True),
    ("crush", 0.0, True),
    ("sideways", 0.0, True),
    ("bend", 0.0, True),
    ("flow_margin", 0.005, True),
    ("outer_speed_mm_s", 0.5, False),
)
_NEUTRAL_ABOVE = {"overhang_margin_deg": 0.0, "flow_margin": 0.0}
"""Margins only count where they are used up."""


def effects_between(before: Measures, after: Measures) -> Iterator[Effect]:
    """Figures of one recipe that clearly differ from another's."""
    for name, felt, more_is_better in _FIGURES:
        old, new = getattr(before, name), getattr(after, name)
        least = felt or _FELT * max(abs(old), 1e-9)
        if abs(new - old) <= least:
            continue
        better: bool | None = (new > old) is more_is_better
        floor = _NEUTRAL_ABOVE.get(name)
        if floor is not None and min(old, new) >= floor - 1e-9:
            better = None
        yield Effect(name=name, before=old, after=new, better=better)


_WORDS = {
    "ridge_mm": "steps on slopes {0:.2f} to {1:.2f} mm",
    "detail_mm": "narrowest detail {0:.2f} to {1:.2f} mm",
    "outer_width_mm": "outer line {0:.2f} to {1:.2f} mm wide: blunter corners",
    "lost_share": "too thin to be laid {0:.1%} to {1:.1%}",
    "overhang_margin_deg": "overhang margin {0:.0f}° to {1:.0f}°",
    "shell_mm": "shell {0:.2f} to {1:.2f} mm",
    "top_mm": "tops {0:.2f} to {1:.2f} mm thick",
    "bottom_mm": "floors {0:.2f} to {1:.2f} mm thick",
    "over_usual_c": "{0:.0f} to {1:.0f} °C above the plastic's usual: more ooze",
    "least_layer_s": "layers may end after {1:g} s instead of {0:g}",
    "bond": "bond index {0:.2f} to {1:.2f}",
    "crush": "index pressed from above {0:.2f} to {1:.2f}",
    "sideways": "index pressed from the side {0:.2f} to {1:.2f}",
    "bend": "bend index {0:.2f} to {1:.2f}",
    "flow_margin": "melt margin {0:.0%} to {1:.0%}",
    "outer_speed_mm_s": "outer wall {0:.0f} to {1:.0f} mm/s",
}


def words_of(effect: Effect) -> str:
    """An effect in words, such as ``shell 0.84 to 1.24 mm``."""
    return _WORDS[effect.name].format(effect.before, effect.after)


def ranked(found: list[Lever], goal: Goal) -> list[Lever]:
    """Those that take nothing first, then those that take something, then those that break a limit of the purpose; each
    best first by the goal."""
    field = {"minutes": "time_s", "grams": "filament_g", "cost": "cost"}[goal]
    return sorted(
        found,
        key=lambda candidate: (
            bool(candidate.breaks),
            bool(candidate.takes),
            getattr(candidate, field),
            candidate.label,
        ),
    )


def all_that_cost_nothing(engine: Engine, base: Trial, context: AdviceContext, found: list[Lever]) -> Lever | None:
    """All free levers as one step: the best of each, tried together; what only costs in company is left out.

    None where fewer than two go together.
    """
    chosen: dict[str, SetTo] = {}
    best: Lever | None = None
    count = 0
    for lever in found:
        if not lever.free or any(setting.key in chosen for setting in lever.settings):
            continue
        settings = [*chosen.values(), *lever.settings]
        label = f"All {count + 1} that cost nothing"
        together = try_lever(
            engine, base, context, Candidate(group="pace", label=label, why="as one step", settings=settings)
        )
        if together is None or not together.free or (best is not None and together.time_s > best.time_s - 0.5):
            continue
        best, count = together, count + 1
        chosen = {setting.key: setting for setting in settings}
    return best if count > 1 else None
