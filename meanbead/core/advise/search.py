"""Search: recipes that the limits allow, and the frontier of what they cost.

A space-filling start, then steps from the best found so far, all in a fixed order: the same question has the same
answer, unless time runs out, which the answer then says. What rules or limits forbid by the plan alone is never
computed. Most recipes are computed from a sample of layers; whatever of these could still beat the line is then
computed in full, until nothing could: the line and the picks are the best of all that was looked at.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable, Iterator
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from meanbead.core.advise.context import AdviceContext, settings_between
from meanbead.core.advise.frontier import knee, non_dominated
from meanbead.core.advise.levers import effects_between, words_of
from meanbead.core.advise.limits import SearchLimits, breaches, plan_breaches
from meanbead.core.advise.measures import Measures, measures, plan_measures
from meanbead.core.advise.prospects import Prospect, ProspectTable, Shares, promises, wider
from meanbead.core.advise.ruled_out import Reason, Reasons, distance
from meanbead.core.advise.search_result import Against, Evaluation, Highlight, SearchResult
from meanbead.core.advise.space import Point, Recipes, Space, Vary
from meanbead.core.errors import MeanBeadError
from meanbead.core.estimate.engine import Engine, Sampled
from meanbead.core.estimate.job import Prepared, PrintJob, prepare
from meanbead.core.estimate.sample import FEW_LAYERS, SEARCH_LAYERS
from meanbead.core.model.finding import SetTo
from meanbead.core.model.plan import Plan
from meanbead.core.rules import FORBIDDING
from meanbead.core.runtime.parallel import ordered_map, steered_map
from meanbead.core.schedule.attendance import just_fits
from meanbead.core.text.durations import duration

__all__ = ["USUAL_TIME_S", "Progress", "search"]

USUAL_TIME_S = 120.0
_START_SHARE = 0.3
_LOOKING_SHARE = 0.6
"""Of the time, so much at most goes into looking for recipes: the rest is for making sure."""

_EVERY = 25
_LOOKED_AT = 4096
"""At least so many plans are looked at before a space is given up in which nothing is allowed."""

_AT_ONCE = 4
"""So many are computed in full side by side. A number of its own, not that of the cores: each is chosen by what those before
it have shown, and the same question has the same answer on any machine."""

_CHECKS = 12
"""So many samples, spread over all that were looked at, are held against all layers before any bound is believed."""


Progress = Callable[[float, str, Callable[[], SearchResult] | None], None]
"""Takes the share done, what is being done, and now and then what gives the answer so far: it is drawn up when asked for."""


def search(
    engine: Engine,
    job: PrintJob,
    vary: Vary,
    limits: SearchLimits,
    context: AdviceContext,
    *,
    against: Against = "filament_g",
    budget: int = 500,
    time_s: float = USUAL_TIME_S,
    progress: Progress = lambda fraction, message, found: None,
) -> SearchResult:
    """Look through a space for what is fast and lean.

    ``budget`` is how many recipes are looked at, at most; ``time_s`` how long it may take, about. Raises
    :class:`RecipeError` for a space that cannot be and :class:`MeanBeadError` where the base itself cannot be printed;
    ``progress`` may raise to end it.
    """
    return _Search(engine, job, Space.of(vary), limits, context, against, budget, time_s, progress).run()


class _Search:
    def __init__(
        self,
        engine: Engine,
        job: PrintJob,
        space: Space,
        limits: SearchLimits,
        context: AdviceContext,
        against: Against,
        budget: int,
        time_s: float,
        progress: Progress,
    ) -> None:
        self._engine, self._base_job, self._space, self._limits = engine, job, space, limits
        self._light = space.light
        # Paces are held to the margin that this search asks for.
        self._context = replace(context, limits=limits)
        self._recipes = Recipes(job, self._context)
        self._against: Against = against
        self._budget, self._progress = budget, progress
        self._begun, self._time_s = time.monotonic(), time_s
        self._seen: set[Point] = set()
        self._kept: list[Prospect] = []
        self._drawn: dict[int, Evaluation] = {}
        self._table = ProspectTable.of(0)
        self._seen_off = Shares()
        self._plans: set[Plan] = set()
        self._barred: dict[Point, Reason] = {}
        self._computed = self._in_full = self._broke = 0
        self._ruled_out = Reasons()
        base = prepare(job)
        self._base_sampled = engine.sampled(base, None)
        self._base = measures(base, self._base_sampled.estimate, self._context)

    def run(self) -> SearchResult:
        complete = self._space.size <= self._budget
        if complete:
            self._compute(iter(self._space.all_points()))
            complete = self._time_left(_LOOKING_SHARE)
        else:
            start = round(self._budget * _START_SHARE)
            self._compute(iter(self._space.spread_points(max(8 * self._budget, _LOOKED_AT))), until=start)
            # Where so many points all over the space are ruled out, so would nearly all others be.
            if self._computed:
                self._improve()
        self._make_sure()
        return self._found(complete, final=True)

    def _time_left(self, share: float = 1.0) -> bool:
        return time.monotonic() - self._begun < share * self._time_s

    def _improve(self) -> None:
        """Neighbours of the frontier, then of what lies close behind it, until the budget is used or nothing is new."""
        depth = 1
        while self._computed < self._budget and self._time_left(_LOOKING_SHARE):
            layers = self._fronts(depth)
            near = [near for layer in layers for k in layer for near in self._space.neighbours(self._kept[k].point)]
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
        """Numbers of the allowed recipes on the frontier, on the one behind it, and so on."""
        left = np.flatnonzero([prospect.allowed for prospect in self._kept])
        fronts = []
        points = self._tabled().points
        for _ in range(depth):
            if not len(left):
                break
            front = left[non_dominated(points[left])]
            fronts.append(front.tolist())
            left = np.setdiff1d(left, front)
        return fronts

    def _figures(self, found: Measures) -> tuple[float, float]:
        other = -found.bend if self._against == "bend" else getattr(found, self._against)
        return found.piece_time_s, other

    def _compute(self, points: Iterator[Point], until: int | None = None) -> None:
        """Compute points that were not looked at yet and that nothing forbids, up to a count of computed ones."""
        stop = self._budget if until is None else until

        def allowed() -> Iterator[tuple[Point, Prepared]]:
            begun = self._computed
            for point in points:
                if begun >= stop or not self._time_left(_LOOKING_SHARE):
                    return
                if point in self._seen:
                    continue
                self._seen.add(point)
                made = self._allowed(point)
                if made is None:
                    continue
                begun += 1
                yield point, made

        for found in ordered_map(self._one, allowed()):
            self._computed += 1
            if found is None or (found.full and not found.allowed):
                self._broke += 1
            else:
                # One that breaks a limit by a sample alone is kept: what samples are off by is not known yet.
                self._in_full += found.full
                self._kept.append(found)
            share = 0.7 * self._computed / max(self._budget, 1)
            if self._computed % _EVERY == 0:
                doing = f"{self._computed} recipes computed, {self._ruled_out.count} ruled out before"
                self._progress(share, doing, self._so_far)
            else:
                self._progress(share, f"{self._computed} recipes", None)

    def _allowed(self, point: Point) -> Prepared | None:
        """The job at a point, unless it cannot be, is the same as one before, or is forbidden by its plan alone."""
        shaped = tuple(at for at, light in zip(point, self._light, strict=True) if not light)
        if shaped in self._barred:
            self._ruled_out.add(self._barred[shaped])
            return None
        found = self._judged(point)
        if not isinstance(found, Reason):
            return found
        self._ruled_out.add(found)
        if found.of_shape:
            self._barred[shaped] = found
        return None

    def _judged(self, point: Point) -> Prepared | Reason | None:
        """The job at a point, or why not; None where it is the same as one before."""
        try:
            prepared = self._recipes.at(self._space.values(point))
        except MeanBeadError as error:
            return Reason(f"{error.field} {error.code}", error.message)
        if prepared.plan in self._plans:
            self._ruled_out.add_repeated()
            return None
        self._plans.add(prepared.plan)
        rule_input = self._context.rule_input(prepared)
        findings = (finding for rule in FORBIDDING for finding in rule(rule_input))
        forbidding = next((finding for finding in findings if finding.severity in ("stop", "risk")), None)
        if forbidding is not None:
            return Reason(forbidding.rule, forbidding.sentence, distance(forbidding.value, forbidding.limit))
        broken = plan_breaches(self._limits, plan_measures(prepared, self._context))
        if broken:
            return Reason(broken[0].limit, broken[0].sentence, distance(broken[0].value, broken[0].allowed))
        return prepared

    def _is_short(self, plan: Plan) -> bool:
        return self._context.facts.extents_mm.z <= FEW_LAYERS * plan.shape.layer_height_mm

    def _one(self, made: tuple[Point, Prepared]) -> Prospect | None:
        point, prepared = made
        layers = None if self._is_short(prepared.plan) else SEARCH_LAYERS
        try:
            found = self._engine.sampled(prepared, layers, self._base_sampled)
        except MeanBeadError:
            return None
        prospect = Prospect(point, prepared, found, self._context)
        self._judge(prospect)
        return prospect

    def _judge(self, prospect: Prospect) -> None:
        """Hold a recipe against the limits. One that breaks them only by what a sample may be off is doubtful."""
        prospect.allowed = not breaches(self._limits, prospect.measures)
        prospect.doubtful = not (prospect.allowed or prospect.full) and not breaches(
            self._limits, prospect.at_best(self._seen_off)
        )

    def _make_sure(self) -> None:
        """Compute in full what may still beat the line, best promise first, until nothing may or time is up."""
        sampled = np.flatnonzero([not prospect.full for prospect in self._kept])
        if len(sampled):
            checks = sampled[np.linspace(0, len(sampled) - 1, _CHECKS).astype(np.int64)]
            for found in ordered_map(self._whole, np.unique(checks).tolist()):
                self._take_in(found)
        asked: set[int] = set()
        most = 0

        def best_promise() -> int | None:
            nonlocal most
            if not self._time_left():
                return None
            promise = self._promises()
            promise[list(asked)] = 0.0
            left = int(np.count_nonzero(promise))
            if not left:
                return None
            most = max(most, left)
            share = 0.7 + 0.3 * (1 - left / (most + 1))
            doing = f"{self._in_full} computed in full, {left} more may be better"
            self._progress(share, doing, self._so_far)
            best = int(np.argmax(promise))
            asked.add(best)
            return best

        steered_map(self._whole, best_promise, self._take_in, _AT_ONCE)

    def _promises(self) -> NDArray[np.float64]:
        table = self._tabled()
        found = np.zeros(len(self._kept))
        line = table.points[table.whole]
        found[table.asked] = promises(line[non_dominated(line)], table.points[table.asked], table.bounds[table.asked])
        return found

    def _tabled(self) -> ProspectTable:
        if len(self._table.points) != len(self._kept):
            self._tabulate([])
        return self._table

    def _tabulate(self, numbers: Iterable[int]) -> None:
        """Put the figures of these into the table; of all where any are new."""
        if len(self._table.points) != len(self._kept):
            self._table, numbers = ProspectTable.of(len(self._kept)), range(len(self._kept))
        table = self._table
        for k in numbers:
            prospect = self._kept[k]
            table.points[k] = self._figures(prospect.measures)
            table.bounds[k] = prospect.bounds(self._against, self._seen_off)
            table.whole[k] = prospect.full and prospect.allowed
            table.asked[k] = not prospect.full and (prospect.allowed or prospect.doubtful)

    def _take_in(self, found: tuple[int, Sampled | None]) -> None:
        """What a recipe is in full, and what that says of all that are known from a sample."""
        number, whole = found
        self._in_full += 1
        settled = self._kept[number]
        settled.settle(whole)
        if whole is not None:
            self._judge(settled)
        seen = wider(self._seen_off, settled.was_off)
        if seen != self._seen_off:
            self._seen_off = seen
            for prospect in self._kept:
                if not (prospect.full or prospect.allowed):
                    self._judge(prospect)
            self._tabulate(range(len(self._kept)))
        else:
            self._tabulate([number])

    def _whole(self, number: int) -> tuple[int, Sampled | None]:
        try:
            return number, self._engine.sampled(self._kept[number].prepared, None)
        except MeanBeadError:
            return number, None

    def _so_far(self) -> SearchResult:
        return self._found(False)

    def _found(self, complete: bool, final: bool = False) -> SearchResult:
        promise = self._promises()
        shown = [k for k, prospect in enumerate(self._kept) if prospect.allowed]
        place = {k: at for at, k in enumerate(shown)}
        points = self._tabled().points
        whole = np.array([k for k in shown if self._kept[k].full], dtype=np.int64)
        line = whole[non_dominated(points[whole])] if len(whole) else whole
        dots = [self._dot(k) for k in shown]
        picks: dict[str, Highlight] = {}
        if len(line) and final:
            picked = {"fastest": line[0], "leanest": line[-1], "knee": line[knee(points[line])]}
            picks = {name: self._pick(place[int(k)], dots[place[int(k)]]) for name, k in picked.items()}
        open_ones = np.flatnonzero(promise > 0)
        return SearchResult(
            against=self._against,
            base=self._base,
            dots=dots,
            frontier=[place[int(k)] for k in line],
            fastest=picks.get("fastest"),
            leanest=picks.get("leanest"),
            knee=picks.get("knee"),
            space=self._space.size,
            computed=self._computed,
            in_full=self._in_full,
            discarded=self._ruled_out.count,
            broke_limits=self._broke + len(self._kept) - len(shown),
            complete=complete,
            proven=final and not len(open_ones) and (complete or self._computed > 0),
            open=[place[int(k)] for k in open_ones if int(k) in place],
            doubt=self._doubt(open_ones, points) if final else "",
            ruled_out=self._ruled_out.commonest() if final else [],
        )

    def _doubt(self, open_ones: NDArray[np.int64], points: NDArray[np.float64]) -> str:
        """Where the line may still move, in words; empty where it may not."""
        if not self._computed and not self._time_left(_LOOKING_SHARE):
            return "Time was up before any recipe was computed: give it longer."
        if not len(open_ones):
            return ""
        low, high = (duration(float(end)) for end in (points[open_ones, 0].min(), points[open_ones, 0].max()))
        count = "one recipe that is" if len(open_ones) == 1 else f"{len(open_ones)} recipes that are"
        between = f"at about {low}" if low == high else f"between {low} and {high}"
        return (
            f"Time was up before all was computed in full: {count} known from a sample of layers may still be better, "
            f"{between} of print time."
        )

    def _dot(self, number: int) -> Evaluation:
        """A recipe as it is told of; drawn anew only where its measures are new."""
        prospect = self._kept[number]
        bound_s, bound_against = prospect.bounds(self._against, self._seen_off)
        known = self._drawn.get(number)
        if known is None or known.measures is not prospect.measures:
            known = self._evaluation(prospect, bound_s, bound_against)
        elif (known.bound_s, known.bound_against) != (bound_s, bound_against):
            known = known.model_copy(update={"bound_s": bound_s, "bound_against": bound_against})
        self._drawn[number] = known
        return known

    def _evaluation(self, prospect: Prospect, bound_s: float, bound_against: float) -> Evaluation:
        values = self._space.values(prospect.point)
        nozzle = [SetTo(key="nozzle", value=values["nozzle"])] if "nozzle" in values else []
        return Evaluation(
            values=values,
            settings=nozzle + settings_between(self._base_job.recipe, prospect.prepared.job.recipe),
            measures=prospect.measures,
            full=prospect.full,
            bound_s=bound_s,
            bound_against=bound_against,
            just_fits=just_fits(prospect.measures.whole_time_s, self._context.shop.attended),
        )

    def _pick(self, number: int, dot: Evaluation) -> Highlight:
        worse = [effect for effect in effects_between(self._base, dot.measures) if effect.better is False]
        return Highlight(dot=number, gives_up=[words_of(effect) for effect in worse])
