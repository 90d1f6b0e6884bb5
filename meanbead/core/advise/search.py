"""Search: recipes that the limits allow, and the frontier of what they cost.

A space-filling start, then steps from the best found so far, all in a fixed order: the same question has the same
answer. What rules or limits forbid by the plan alone is never computed; what is presented is computed in full and held
against the limits again.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from meanbead.core.advise.context import Context, settings_between
from meanbead.core.advise.frontier import knee, non_dominated, spread_along
from meanbead.core.advise.levers import effects_between, words_of
from meanbead.core.advise.limits import SearchLimits, breaches, plan_breaches
from meanbead.core.advise.measures import Measures, measures, plan_measures
from meanbead.core.advise.space import Point, Space, Vary, job_at
from meanbead.core.attended import just_fits
from meanbead.core.errors import MeanBeadError
from meanbead.core.estimate.engine import Engine, Job
from meanbead.core.parallel import each
from meanbead.core.plan import Plan
from meanbead.core.rules import FORBIDDING
from meanbead.core.vocabulary.base import Result
from meanbead.core.vocabulary.finding import SettingValue, SetTo

Against = Literal["filament_g", "expected_cost", "ridge_mm", "bend"]
SEARCH_LAYERS = 6
"""Layers of a sample in the search: enough to rank, and what is presented is computed in full."""

PRESENTED = 10
MOST_IN_FULL = 40
_START_SHARE = 0.3
_EVERY = 25


class Dot(Result):
    """A recipe of the space that the limits allow: its values, the settings that make it of the base, and its measures.
    ``full`` says that all layers were planned; ``just_fits`` that a little longer would cost a plate a day."""

    values: dict[str, SettingValue]
    settings: list[SetTo]
    measures: Measures
    full: bool
    just_fits: bool


class Pick(Result):
    """One of the three that answer the question, with what it gives up beside the base, in words."""

    dot: int
    gives_up: list[str]


class Found(Result):
    """``dots`` holds every allowed recipe that was computed; ``frontier`` the numbers of those that none beats, by time;
    ``fastest``, ``leanest`` and ``knee`` are among them once they have been computed in full."""

    against: Against
    base: Measures
    dots: list[Dot]
    frontier: list[int]
    fastest: Pick | None
    leanest: Pick | None
    knee: Pick | None
    space: int
    computed: int
    discarded: int
    broke_limits: int
    complete: bool


Progress = Callable[[float, str, Found | None], None]


def search(
    engine: Engine,
    job: Job,
    vary: Vary,
    limits: SearchLimits,
    context: Context,
    *,
    against: Against = "filament_g",
    budget: int = 500,
    progress: Progress = lambda share, doing, found: None,
) -> Found:
    """Look through a space for what is fast and lean.

    ``budget`` is how many recipes are computed at most. Raises :class:`RecipeError` for a space that cannot be and
    :class:`MeanBeadError` where the base itself cannot be printed; ``progress`` may raise to end it.
    """
    return _Search(engine, job, Space.of(vary), limits, context, against, budget, progress).run()


class _Search:
    def __init__(
        self,
        engine: Engine,
        job: Job,
        space: Space,
        limits: SearchLimits,
        context: Context,
        against: Against,
        budget: int,
        progress: Progress,
    ) -> None:
        self._engine, self._base_job, self._space, self._limits = engine, job, space, limits
        # Paces are held to the margin that this search asks for.
        self._context = _narrowed(context, limits)
        self._against: Against = against
        self._budget, self._progress = budget, progress
        self._seen: set[Point] = set()
        self._dots: list[tuple[Point, Dot]] = []
        self._plans: set[Plan] = set()
        self._computed = self._discarded = self._broke = 0
        self._base = self._measured(job, None)

    def run(self) -> Found:
        complete = self._space.size <= self._budget
        if complete:
            self._compute(iter(self._space.all_points()))
        else:
            start = round(self._budget * _START_SHARE)
            self._compute(iter(self._space.spread_points(8 * self._budget)), until=start)
            self._improve()
        full = self._presented()
        return self._found(full, complete)

    def _improve(self) -> None:
        """Neighbours of the frontier, then of what lies close behind it, until the budget is used or nothing is new."""
        depth = 1
        while self._computed < self._budget:
            layers = self._fronts(depth)
            near = [near for layer in layers for k in layer for near in self._space.neighbours(self._dots[k][0])]
            new = [point for point in dict.fromkeys(near) if point not in self._seen]
            if not new:
                if depth >= 4:
                    rest = [p for p in self._space.spread_points(64 * self._budget) if p not in self._seen]
                    before = self._computed
                    self._compute(iter(rest), until=self._budget)
                    if self._computed == before:
                        return
                depth = depth + 1 if depth < 4 else 1
                continue
            depth = 1
            # A round is short, so that the next one starts from what this one found.
            self._compute(iter(new), until=min(self._budget, self._computed + 2 * _EVERY))

    def _fronts(self, depth: int) -> list[list[int]]:
        """Numbers of the dots on the frontier, on the one behind it, and so on."""
        left = np.arange(len(self._dots))
        fronts = []
        points = self._points()
        for _ in range(depth):
            if not len(left):
                break
            front = left[non_dominated(points[left])]
            fronts.append(front.tolist())
            left = np.setdiff1d(left, front)
        return fronts

    def _points(self) -> NDArray[np.float64]:
        return np.array([self._figures(dot.measures) for _, dot in self._dots]).reshape(-1, 2)

    def _figures(self, found: Measures) -> tuple[float, float]:
        other = -found.bend if self._against == "bend" else getattr(found, self._against)
        return found.piece_time_s, other

    def _compute(self, points: Iterator[Point], until: int | None = None) -> None:
        """Compute points that were not looked at yet and that nothing forbids, up to a count of computed ones."""
        stop = self._budget if until is None else until

        def allowed() -> Iterator[tuple[Point, Job, Plan]]:
            begun = self._computed
            for point in points:
                if begun >= stop:
                    return
                if point in self._seen:
                    continue
                self._seen.add(point)
                made = self._allowed(point)
                if made is None:
                    self._discarded += 1
                    continue
                begun += 1
                yield point, *made

        for point, found in each(self._one, allowed()):
            self._computed += 1
            if found is None:
                self._broke += 1
            else:
                self._dots.append((point, found))
            if self._computed % _EVERY == 0:
                doing = f"{self._computed} recipes computed, {self._discarded} ruled out before"
                self._progress(0.85 * self._computed / self._budget, doing, self._found({}, False))
            else:
                self._progress(0.85 * self._computed / self._budget, f"{self._computed} recipes", None)

    def _allowed(self, point: Point) -> tuple[Job, Plan] | None:
        """The job at a point, unless it cannot be, is the same as one before, or is forbidden by its plan alone."""
        try:
            job, plan = job_at(self._base_job, self._space.values(point), self._context)
        except MeanBeadError:
            return None
        if plan in self._plans:
            return None
        self._plans.add(plan)
        situation = self._context.situation(job, plan)
        if any(finding.severity in ("stop", "risk") for rule in FORBIDDING for finding in rule(situation)):
            return None
        if plan_breaches(self._limits, plan_measures(job, plan, self._context)):
            return None
        return job, plan

    def _one(self, made: tuple[Point, Job, Plan]) -> tuple[Point, Dot | None]:
        point, job, _ = made
        try:
            found = self._measured(job, SEARCH_LAYERS)
        except MeanBeadError:
            return point, None
        return point, self._dot(point, job, found, full=False)

    def _measured(self, job: Job, layers: int | None) -> Measures:
        estimate = self._engine.sampled(job, layers).estimate
        plan = self._context.situation(job).plan
        return measures(job, plan, estimate, self._context)

    def _dot(self, point: Point, job: Job, found: Measures, *, full: bool) -> Dot | None:
        if breaches(self._limits, found):
            return None
        slot = just_fits(found.whole_time_s, self._context.shop.attended)
        values = self._space.values(point)
        nozzle = [SetTo(key="nozzle", value=values["nozzle"])] if "nozzle" in values else []
        settings = nozzle + settings_between(self._base_job.recipe, job.recipe)
        return Dot(values=values, settings=settings, measures=found, full=full, just_fits=slot)

    def _presented(self) -> dict[int, Dot | None]:
        """Frontier dots computed in full, by number; None for those that break a limit after all.

        Where the full figures push one off the frontier, or break a limit, the next best takes its place, until all of
        the frontier is computed in full or :data:`MOST_IN_FULL` are.
        """
        full: dict[int, Dot | None] = {}
        while len(full) < MOST_IN_FULL:
            points = self._points()
            kept = np.array([k for k in range(len(self._dots)) if full.get(k, ...) is not None], dtype=np.int64)
            if not len(kept):
                return full
            for k, dot in full.items():
                if dot is not None:
                    points[k] = self._figures(dot.measures)
            front = kept[non_dominated(points[kept])]
            wanted = [int(k) for k in front[spread_along(points[front], PRESENTED)] if int(k) not in full]
            if not wanted:
                return full
            # Where few are left on the line, those close behind it may have to stand in: a few at a time, side by side.
            behind = np.setdiff1d(kept, front)
            close = behind[non_dominated(points[behind])] if len(behind) else behind
            wanted += [int(k) for k in close[: max(0, 3 - len(wanted))] if int(k) not in full]
            for k, dot in each(self._in_full, wanted):
                full[k] = dot
                share = 0.85 + 0.15 * len(full) / (len(full) + len(wanted))
                self._progress(share, f"{len(full)} of the best computed in full", None)
        return full

    def _in_full(self, number: int) -> tuple[int, Dot | None]:
        point = self._dots[number][0]
        job, _ = job_at(self._base_job, self._space.values(point), self._context)
        try:
            return number, self._dot(point, job, self._measured(job, None), full=True)
        except MeanBeadError:
            return number, None

    def _found(self, full: dict[int, Dot | None], complete: bool) -> Found:
        dots = [full.get(k, dot) for k, (_, dot) in enumerate(self._dots)]
        kept = [dot for dot in dots if dot is not None]
        points = np.array([self._figures(dot.measures) for dot in kept]).reshape(-1, 2)
        front = non_dominated(points)
        # What answers the question was computed in full.
        sure = [int(k) for k in front if kept[int(k)].full]
        picks: dict[str, Pick] = {}
        if sure:
            picked = {"fastest": sure[0], "leanest": sure[-1], "knee": sure[knee(points[sure])]}
            picks = {name: self._pick(k, kept[k]) for name, k in picked.items()}
        return Found(
            against=self._against,
            base=self._base,
            dots=kept,
            frontier=sure if full else [int(k) for k in front],
            fastest=picks.get("fastest"),
            leanest=picks.get("leanest"),
            knee=picks.get("knee"),
            space=self._space.size,
            computed=self._computed,
            discarded=self._discarded,
            broke_limits=self._broke,
            complete=complete,
        )

    def _pick(self, number: int, dot: Dot) -> Pick:
        worse = [one for one in effects_between(self._base, dot.measures) if one.better is False]
        return Pick(dot=number, gives_up=[words_of(one) for one in worse])


def _narrowed(context: Context, limits: SearchLimits) -> Context:
    return replace(context, limits=limits)
