"""The engine: one part, one recipe, one machine in; figures out.

Each stage is cached on just the inputs that it reads: strokes on the solid and the plan's shape, so that a changed
speed, temperature or price reruns no geometry.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from meanbead.core.errors import RecipeError
from meanbead.core.estimate.detail import StrokeDetail, stroke_detail
from meanbead.core.estimate.first_layer import FirstLayer, first_layer
from meanbead.core.estimate.job import Prepared, PrintJob, prepare
from meanbead.core.estimate.ledger import CAUSES
from meanbead.core.estimate.moves import MoveInputs, MoveTable, all_moves
from meanbead.core.estimate.sample import SAMPLE_LAYERS, LayerSample, sample_layers
from meanbead.core.estimate.summary import (
    ENGINE_VERSION,
    UNKNOWN_LIMITS,
    Run,
    interval,
    layer_volumes_mm3,
    part_seconds,
    summary,
    top_returns_mm,
)
from meanbead.core.estimate.timing import time_strokes
from meanbead.core.model import Estimate, LayerLedger, PartFacts
from meanbead.core.model.plan import Plan
from meanbead.core.part.facts import part_facts
from meanbead.core.part.insight import Insight, part_insight
from meanbead.core.part.orientations import orientations, simpler
from meanbead.core.part.solid import Solid
from meanbead.core.part.stability import STABLE_DEG
from meanbead.core.runtime.cache import BoundedCache
from meanbead.core.runtime.progress import ProgressCallback, no_progress
from meanbead.core.strokes import FEATURES, StrokePlanner, Strokes
from meanbead.core.strokes.planner import StrokesInputs
from meanbead.core.strokes.stage import remembered

__all__ = ["ENGINE_VERSION", "UNKNOWN_LIMITS", "Engine", "Prepared", "PrintJob", "Sampled", "prepare"]


@dataclass(frozen=True)
class Sampled:
    """An estimate with what two of its kind are compared by: the sample (None where all layers were planned), and the
    seconds of each layer of the first copy, (layers,)."""

    estimate: Estimate
    sample: LayerSample | None
    seconds: NDArray[np.float64]

    def difference_error_s(self, after: Sampled) -> float:
        """How far the difference in print time to another recipe may be off, s."""
        mine, its = self.sample, after.sample
        if mine is None and its is None:
            return 0.0
        same = mine is not None and its is not None and np.array_equal(mine.weight, its.weight)
        if same and mine is not None and self.estimate.layers == after.estimate.layers:
            return mine.difference_error_s(self.seconds, after.seconds)
        mine_s, its_s = (
            estimate.sampling_error * estimate.print_time_s for estimate in (self.estimate, after.estimate)
        )
        return math.hypot(mine_s, its_s)


class Engine:
    """Estimates with memory. Safe to share between threads."""

    def __init__(self, cache_bytes: int = 512 * 1024 * 1024) -> None:
        self._planner = StrokePlanner(cache_bytes)
        self._moves: BoundedCache[MoveTable] = BoundedCache(cache_bytes // 4, lambda moves: moves.nbytes)
        self._details: BoundedCache[StrokeDetail] = BoundedCache(cache_bytes // 8, lambda detail: detail.nbytes)
        self._insights: BoundedCache[Insight] = BoundedCache(cache_bytes // 8, lambda insight: insight.nbytes)
        self._lying: BoundedCache[float] = BoundedCache(64 * 1024, lambda _: 64)
        self._facts: BoundedCache[PartFacts] = BoundedCache(4 * 1024 * 1024, lambda _: 1024)

    def strokes(self, solid: Solid, plan: Plan) -> Strokes:
        """Strokes of a solid; see :meth:`meanbead.core.strokes.StrokePlanner.plan`."""
        return self._planner.plan(solid, plan.shape)

    def insight(self, solid: Solid) -> Insight:
        """Facts of a solid that decide settings; kept for a while."""
        return self._insights.get(solid.digest, lambda: part_insight(solid))

    def lying_overhang_mm2(self, solid: Solid) -> float:
        """The least overhang of all steady ways to stand a solid, mm2; kept for a while."""

        def least() -> float:
            ways = [stance for stance, _ in orientations(simpler(solid), 0.2)]
            return min((way.overhang_mm2 for way in ways if way.tip_angle_deg >= STABLE_DEG), default=0.0)

        return self._lying.get(solid.digest, least)

    def facts(self, solid: Solid) -> PartFacts:
        """Size, volume and footprint of a solid; kept for a while."""
        return self._facts.get(solid.digest, lambda: part_facts(solid))

    def estimate(
        self, job: PrintJob | Prepared, layers: int | None = None, progress: ProgressCallback = no_progress
    ) -> Estimate:
        """Time, filament and cost; of all layers, or of a sample of about ``layers`` of them.

        Figures only: what to think of them is for whoever asks the rules. ``progress`` is told how far it is, and may
        raise to end it. A sampled estimate says how far it may be off in ``sampling_error``. Raises
        :class:`RecipeError` for recipes that cannot be printed.
        """
        prepared = prepare(job)
        run = self._run(prepared, layers, progress, with_skins=layers is not None)
        progress(0.9, "adding up")
        estimate = summary(run, self.facts(prepared.job.solid))
        return estimate.model_copy(update={"interval": interval(run, estimate.print_time_s)})

    def sampled(self, job: PrintJob | Prepared, layers: int | None, like: Sampled | None = None) -> Sampled:
        """An estimate to be compared with others: on the same layers as ``like``'s where both have the same layers.

        All comparing (waterfall, cost of a step, levers, remedies, search, orientations) goes through here. It has no
        interval, which takes three more runs of some layers. Raises :class:`RecipeError` as :meth:`estimate` does.
        """
        prepared = prepare(job)
        sample = None if like is None else like.sample
        run = self._run(prepared, layers, like=sample, with_skins=layers is not None)
        return Sampled(summary(run, self.facts(prepared.job.solid)), run.sample, part_seconds(run))

    def by_layer(self, job: PrintJob | Prepared) -> LayerLedger:
        """Both ledgers, filament and areas layer by layer."""
        run = self._run(prepare(job), None)
        strokes = run.strokes
        features, causes = run.timing.by_feature_s(), run.timing.by_cause_s()
        volume = layer_volumes_mm3(run)
        reach = _reach_mm(strokes)
        names = [*FEATURES, "wait"]
        used = [k for k in range(len(names)) if features[:, k].any()]
        return LayerLedger(
            top_mm=strokes.layers.top_mm.tolist(),
            height_mm=strokes.layers.height_mm.tolist(),
            time_s=features.sum(axis=1).tolist(),
            by_feature_s={names[k]: features[:, k].tolist() for k in used},
            by_cause_s={cause: causes[:, k].tolist() for k, cause in enumerate(CAUSES)},
            filament_mm3=volume.tolist(),
            asked_mm2=strokes.areas.asked_mm2.tolist(),
            laid_mm2=strokes.areas.laid_mm2.tolist(),
            lost_mm2=strokes.areas.lost_mm2.tolist(),
            overfilled_mm2=strokes.areas.overfilled_mm2.tolist(),
            void_mm2=strokes.areas.void_mm2.tolist(),
            returns_mm=top_returns_mm(strokes).tolist(),
            left_mm=reach[0].tolist(),
            right_mm=reach[1].tolist(),
            substituted=list(strokes.substituted),
        )

    def run(self, job: PrintJob | Prepared, progress: ProgressCallback = no_progress) -> Run:
        """All strokes of a job with the times that its estimate is made of: what a file is written from."""
        return self._run(prepare(job), None, progress)

    def detail(self, job: PrintJob) -> StrokeDetail:
        """Every stroke with its seconds, speed, flow and cause; kept for a while, because it is asked for in pieces."""
        key = (job.solid.digest, job.recipe, job.printer, job.nozzle, job.material)

        def make() -> StrokeDetail:
            run = self._run(prepare(job), None)
            return stroke_detail(run.timing, run.ceiling.plan_mm3_s)

        return self._details.get(key, make)

    def first_layer(self, job: PrintJob | Prepared) -> FirstLayer:
        """What touches the bed, and what the start costs."""
        prepared = prepare(job)
        plan = prepared.plan
        cut = self._planner.cut(prepared.job.solid, plan.shape)
        estimate = self.estimate(prepared, SAMPLE_LAYERS)
        return first_layer(cut, estimate, plan.shape.adhesion, plan.speed_mm_s.first_layer)

    def _run(
        self,
        prepared: Prepared,
        layers: int | None,
        progress: ProgressCallback = no_progress,
        like: LayerSample | None = None,
        *,
        with_skins: bool = False,
    ) -> Run:
        job, plan = prepared.job, prepared.plan
        for field, ceiling in (
            ("nozzle_temp_c", prepared.ceiling),
            ("first_layer_nozzle_temp_c", prepared.first_ceiling),
        ):
            if ceiling.plan_mm3_s <= 0:
                raise RecipeError(
                    f"{job.material.name} does not melt at {getattr(plan, field):g} °C in this hot end.",
                    field=field,
                    remedy=f"Set at least {job.material.nozzle_temp_min_c:g} °C.",
                )
        sample = None
        if layers is not None:
            cut = self._planner.cut(job.solid, plan.shape)
            sample = sample_layers(cut, plan.shape, layers, job.solid.digest, like, with_skins=with_skins)
            if sample.chosen.all():
                sample = None
        inputs = StrokesInputs(job.solid, plan.shape, None if sample is None else sample.chosen)
        strokes = self._planner.remembered(inputs, progress if sample is None else no_progress)
        progress(0.7, "running it through the machine")
        moves = remembered(self._moves, MoveInputs.of(strokes, plan, job.printer), all_moves).value
        above, first = prepared.flow_caps_mm3_s
        timing = time_strokes(strokes.value, plan, job.printer, above, moves, first)
        return Run(prepared, timing, sample)


def _reach_mm(strokes: Strokes) -> NDArray[np.float64]:
    """How far plastic reaches in x on each layer: least and most, float64 (2, layers)."""
    count = len(strokes.layers)
    reach = np.stack([np.full(count, np.inf), np.full(count, -np.inf)])
    laid = ~strokes.is_travel
    for ends in (strokes.start_xy, strokes.end_xy):
        np.minimum.at(reach[0], strokes.layer[laid], ends[laid, 0])
        np.maximum.at(reach[1], strokes.layer[laid], ends[laid, 0])
    return np.where(np.isfinite(reach), reach, 0.0)
