"""The engine: one part, one recipe, one machine in; an estimate out.

Each stage is cached on just the inputs that it reads: strokes on the solid and the plan's shape, so that a changed
speed, temperature or price reruns no geometry.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numba
import numpy as np
from numpy.typing import NDArray

from meanbead.core.errors import RecipeError
from meanbead.core.estimate.detail import StrokeDetail, stroke_detail
from meanbead.core.estimate.first_layer import FirstLayer, first_layer
from meanbead.core.estimate.ledger import CAUSES
from meanbead.core.estimate.moves import MoveTable, all_moves
from meanbead.core.estimate.sample import LayerSample, sample_layers
from meanbead.core.estimate.timing import ASIDE_MM, Timing, stronger, stronger_plan, time_strokes
from meanbead.core.formulas.bead import filament_area_mm2, filament_length_mm, filament_mass_g
from meanbead.core.formulas.heat import machine_cool_down_s, machine_heat_up_s
from meanbead.core.formulas.melt import MeltCeiling, melt_ceiling
from meanbead.core.model import (
    Causes,
    Estimate,
    FeatureShare,
    Interval,
    LayerLedger,
    Material,
    Nozzle,
    PartFacts,
    Printer,
    Recipe,
)
from meanbead.core.part.facts import part_facts
from meanbead.core.part.insight import Insight, part_insight
from meanbead.core.part.orientations import orientations, simpler
from meanbead.core.part.solid import Solid
from meanbead.core.part.stability import STABLE_DEG
from meanbead.core.recipe.plan import Plan
from meanbead.core.recipe.resolve import resolve
from meanbead.core.rules import RuleInput, findings
from meanbead.core.runtime.cache import BoundedCache
from meanbead.core.runtime.parallel import parallel_map
from meanbead.core.strokes import FEATURES, Feature, StrokePlanner, Strokes
from meanbead.core.strokes.planner import ProgressCallback, no_progress

ENGINE_VERSION = "7"
"""Stamped on every estimate; raised whenever the same inputs would give other figures."""

UNKNOWN_LIMITS = 0.3
"""Typical machine limits may be this share too high or too low; the interval runs the print at both ends."""


INTERVAL_LAYERS = 24
"""Layers that are run for the interval, about."""


@dataclass(frozen=True)
class PrintJob:
    """All inputs of an estimate."""

    solid: Solid
    recipe: Recipe
    printer: Printer = Printer()
    nozzle: Nozzle = Nozzle()
    material: Material = Material()


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

    def estimate(self, job: PrintJob, layers: int | None = None, progress: ProgressCallback = no_progress) -> Estimate:
        """Time, filament, cost and findings; of all layers, or of a sample of about ``layers`` of them.

        ``progress`` is told how far it is, and may raise to end it.

        A sampled estimate says how far it may be off in ``sampling_error``. Raises :class:`RecipeError` for recipes
        that cannot be printed.
        """
        run = self._run(job, layers, progress)
        progress(0.9, "adding up")
        facts = self._facts.get(job.solid.digest, lambda: part_facts(job.solid))
        return self._summary(job, run, facts)

    def sampled(self, job: PrintJob, layers: int | None, like: Sampled | None = None) -> Sampled:
        """An estimate to be compared with others: on the same layers as ``like``'s where both have the same layers.

        It has no interval, which takes three more runs of some layers, and no findings: whoever compares has rules of
        its own to ask. Raises :class:`RecipeError` as :meth:`estimate` does.
        """
        run = self._run(job, layers, like=None if like is None else like.sample, with_skins=layers is not None)
        facts = self._facts.get(job.solid.digest, lambda: part_facts(job.solid))
        return Sampled(self._summary(job, run, facts, bare=True), run.sample, _part_seconds(run))

    def by_layer(self, job: PrintJob) -> LayerLedger:
        """Both ledgers, filament and areas layer by layer."""
        run = self._run(job, None)
        strokes = run.strokes
        features, causes = run.timing.by_feature_s(), run.timing.by_cause_s()
        volume = _layer_volumes(run)
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
            left_mm=reach[0].tolist(),
            right_mm=reach[1].tolist(),
            substituted=list(strokes.substituted),
        )

    def detail(self, job: PrintJob) -> StrokeDetail:
        """Every stroke with its seconds, speed, flow and cause; kept for a while, because it is asked for in pieces."""
        key = (job.solid.digest, job.recipe, job.printer, job.nozzle, job.material)

        def make() -> StrokeDetail:
            run = self._run(job, None)
            return stroke_detail(run.timing, run.ceiling.plan_mm3_s)

        return self._details.get(key, make)

    def first_layer(self, job: PrintJob) -> FirstLayer:
        """What touches the bed, and what the start costs."""
        plan = resolve(job.recipe, job.printer, job.nozzle, job.material)
        cut = self._planner.cut(job.solid, plan.shape)
        estimate = self.estimate(job, INTERVAL_LAYERS)
        return first_layer(cut, estimate, plan.shape.adhesion, plan.speed_mm_s.first_layer)

    def _run(
        self,
        job: PrintJob,
        layers: int | None,
        progress: ProgressCallback = no_progress,
        like: LayerSample | None = None,
        *,
        with_skins: bool = False,
    ) -> _Run:
        plan = resolve(job.recipe, job.printer, job.nozzle, job.material)
        ceiling = melt_ceiling(job.printer, job.nozzle, job.material, plan.nozzle_temp_c)
        if ceiling.plan_mm3_s <= 0:
            raise RecipeError(
                f"{job.material.name} does not melt at {plan.nozzle_temp_c:g} °C in this hot end.",
                field="nozzle_temp_c",
                remedy=f"Set at least {job.material.nozzle_temp_min_c:g} °C.",
            )
        heat_up_s = machine_heat_up_s(job.printer, plan.nozzle_temp_c, plan.bed_temp_c)
        sample = None
        if layers is not None:
            cut = self._planner.cut(job.solid, plan.shape)
            sample = sample_layers(cut, plan.shape, layers, job.solid.digest, like, with_skins=with_skins)
        if sample is None or sample.chosen.all():
            strokes = self._planner.plan(job.solid, plan.shape, None, progress)
            weight = volume_weight = np.ones(len(strokes.layers))
            sample = None
        else:
            strokes = self._planner.plan(job.solid, plan.shape, sample.chosen)
            weight = _on_plate(sample.weight, plan)
            volume_weight = _on_plate(sample.volume_weight, plan)
        progress(0.7, "running it through the machine")
        chosen = None if sample is None else sample.chosen.tobytes()
        moves_key = (job.solid.digest, plan.shape, chosen, plan.flow_ratio, job.printer.filament_diameter_mm)
        retraction = (plan.retraction_mm, plan.min_travel_mm, plan.z_hop_mm, plan.wipe_mm)
        moves = self._moves.get((moves_key, retraction), lambda: all_moves(strokes, plan, job.printer))
        timing = time_strokes(strokes, plan, job.printer, ceiling.plan_mm3_s, moves)
        return _Run(plan, ceiling, heat_up_s, strokes, timing, weight, volume_weight, sample)

    def _summary(self, job: PrintJob, run: _Run, facts: PartFacts, *, bare: bool = False) -> Estimate:
        printer, material = job.printer, job.material
        plan, strokes, weight, ceiling = run.plan, run.strokes, run.weight, run.ceiling
        by_feature = _by_feature(run, printer, material)
        causes = _by_cause(run)
        print_time = sum(getattr(causes, f"{cause}_s") for cause in CAUSES)
        volume = sum(share.filament_mm for share in by_feature.values()) * filament_area_mm2(
            printer.filament_diameter_mm
        )
        grams = filament_mass_g(volume, material.density_g_cm3)
        height = strokes.layers.height_mm
        areas = strokes.areas
        lost, over, void = (
            float(np.sum(area * height * run.volume_weight))
            for area in (areas.lost_mm2, areas.overfilled_mm2, areas.void_mm2)
        )
        cooling = run.timing.cooling
        short = cooling.short
        own_s = run.timing.layer_s - cooling.wait_s - cooling.aside_s.sum(axis=1)
        comes_out, hanging = _height_mm(run), strokes.hanging
        estimate = Estimate(
            engine_version=ENGINE_VERSION,
            print_time_s=print_time,
            start_time_s=printer.start_time_s,
            heat_up_s=run.heat_up_s,
            whole_time_s=print_time + printer.start_time_s + run.heat_up_s,
            cool_down_s=machine_cool_down_s(printer, plan.nozzle_temp_c, plan.bed_temp_c),
            filament_mm=filament_length_mm(volume, printer.filament_diameter_mm),
            filament_mm3=volume,
            filament_g=grams,
            filament_cost=grams * material.price_per_kg / 1000,
            lost_mm3=lost,
            overfilled_mm3=over,
            void_mm3=void,
            height_mm=comes_out,
            height_off_mm=comes_out - facts.extents_mm.z,
            short_layers=round(float(np.sum(weight[short]))),
            shortest_layer_s=float(own_s[short].min()) if short.any() else 0.0,
            hanging_mm2=hanging.area_mm2 * plan.shape.copies.count,
            hanging_width_mm=hanging.width_mm,
            hanging_at_mm=float(strokes.layers.top_mm[hanging.layer] - height[hanging.layer]),
            layers=len(strokes.layers),
            layers_planned=int(np.count_nonzero(weight)),
            sampling_error=0.0 if run.sample is None else run.sample.error(_part_seconds(run)),
            filament_error=0.0 if run.sample is None else run.sample.filament_error(_part_volumes(run)),
            travel_mm=by_feature["travel"].length_mm if "travel" in by_feature else 0.0,
            retractions=round(
                float(np.sum(weight[strokes.layer[run.timing.pulled_strokes]]) + weight[run.timing.cooling.aside].sum())
            ),
            by_feature=by_feature,
            by_cause=causes,
            peak_flow_mm3_s=max(share.peak_flow_mm3_s for share in by_feature.values()),
            asked_flow_mm3_s=max(share.asked_flow_mm3_s for share in by_feature.values()),
            melt_ceiling_mm3_s=ceiling.plan_mm3_s,
            melt_ceiling_source=ceiling.source,
            melt_capped=bool(run.timing.capped.any()),
            plate_mm=strokes.extent_mm,
            substituted=list(strokes.substituted),
            findings=[],
            interval=_no_interval(print_time) if bare else self._interval(job, run, print_time),
        )
        if bare:
            return estimate
        rule_input = RuleInput(job.recipe, plan, printer, job.nozzle, material, ceiling, facts, estimate)
        # A waste is only one once a remedy has been seen to save, which takes runs of its own: core.advise.confirm.
        said = [finding for finding in findings(rule_input) if finding.severity != "waste"]
        return estimate.model_copy(update={"findings": said})

    def _interval(self, job: PrintJob, run: _Run, print_time_s: float) -> Interval:
        """Print time if the machine's limits were off by :data:`UNKNOWN_LIMITS` either way.

        Layers of one part answer alike, so a regular sample of them says by which share the whole would move.
        """
        planned = np.flatnonzero(np.bincount(run.strokes.layer, minlength=len(run.weight)))
        chosen = np.zeros(len(run.weight), dtype=bool)
        chosen[planned[:: max(1, len(planned) // INTERVAL_LAYERS)]] = True
        sample = run.strokes.of_layers(chosen)

        def time(factor: float) -> float:
            printer = stronger(job.printer, factor)
            return time_strokes(sample, stronger_plan(run.plan, factor), printer, run.ceiling.plan_mm3_s).print_time_s

        same, better, worse = parallel_map(time, (1.0, 1 + UNKNOWN_LIMITS, 1 - UNKNOWN_LIMITS))
        ends = [print_time_s * better / same, print_time_s * worse / same]
        return Interval(
            low_s=min(ends),
            high_s=max(ends),
            source="typical",
            basis=f"accelerations and corner limits {100 * UNKNOWN_LIMITS:.0f} % better or worse than described",
        )


def _no_interval(print_time_s: float) -> Interval:
    return Interval(low_s=print_time_s, high_s=print_time_s, source="typical", basis="not worked out")


def _reach_mm(strokes: Strokes) -> NDArray[np.float64]:
    """How far plastic reaches in x on each layer: least and most, float64 (2, layers)."""
    count = len(strokes.layers)
    reach = np.stack([np.full(count, np.inf), np.full(count, -np.inf)])
    laid = ~strokes.is_travel
    for ends in (strokes.start_xy, strokes.end_xy):
        np.minimum.at(reach[0], strokes.layer[laid], ends[laid, 0])
        np.maximum.at(reach[1], strokes.layer[laid], ends[laid, 0])
    return np.where(np.isfinite(reach), reach, 0.0)


@dataclass(frozen=True)
class _Run:
    """One part run through one machine; ``weight`` (layers,) is how many layers each planned one stands for, and
    ``volume_weight`` the same for plastic."""

    plan: Plan
    ceiling: MeltCeiling
    heat_up_s: float
    strokes: Strokes
    timing: Timing
    weight: NDArray[np.float64]
    volume_weight: NDArray[np.float64]
    sample: LayerSample | None


def _on_plate(weight: NDArray[np.float64], plan: Plan) -> NDArray[np.float64]:
    """Weights of a part's layers as those of all layers printed: a raft's count once, each copy's like the first's."""
    copies = plan.shape.copies
    raft = np.ones(plan.shape.raft_layers if plan.shape.adhesion == "raft" else 0)
    values = np.concatenate([raft, weight])
    return np.tile(values, copies.count) if copies.order == "one_by_one" else values


def _first_copy(run: _Run, by_layer: NDArray[np.float64]) -> NDArray[np.float64]:
    """Figures of the first copy's own layers, without a raft's."""
    raft = run.plan.shape.raft_layers if run.plan.shape.adhesion == "raft" else 0
    count = len(run.sample.weight) if run.sample else len(by_layer)
    return by_layer[raft : raft + count]


def _part_seconds(run: _Run) -> NDArray[np.float64]:
    return _first_copy(run, run.timing.layer_s)


def _part_volumes(run: _Run) -> NDArray[np.float64]:
    return _first_copy(run, _layer_volumes(run))


def _layer_volumes(run: _Run) -> NDArray[np.float64]:
    """Plastic of each layer, mm3, shape (layers,)."""
    strokes = run.strokes
    laid = np.where(strokes.is_travel, 0.0, strokes.area_mm2 * strokes.length_mm) * run.plan.flow_ratio
    volumes = np.bincount(strokes.layer, weights=laid, minlength=len(strokes.layers))
    return volumes.astype(np.float64)


def _height_mm(run: _Run) -> float:
    """Height of the part as it comes out, without its raft, mm."""
    tops, raft = run.strokes.layers.top_mm, run.plan.shape.raft_layers if run.plan.shape.adhesion == "raft" else 0
    return float(tops[-1] - (tops[raft - 1] if raft else 0.0))


def _by_feature(run: _Run, printer: Printer, material: Material) -> dict[str, FeatureShare]:
    """Shares of the features that occur. Retraction, lifts and layer changes stand under ``travel``."""
    strokes, timing, count = run.strokes, run.timing, len(Feature)
    seconds = run.weight @ timing.by_feature_s()
    rows, length, volume, flows, capped = _feature_totals(
        strokes.feature,
        strokes.layer,
        strokes.length_mm,
        strokes.area_mm2,
        timing.peak_flow_mm3_s,
        timing.asked_flow_mm3_s,
        timing.capped,
        run.weight,
        run.volume_weight,
        count,
    )
    length[Feature.TRAVEL] += 2 * ASIDE_MM * float(run.weight[timing.cooling.aside].sum())
    volume *= run.plan.flow_ratio
    volume[Feature.TRAVEL] = 0.0
    shares = {}
    for feature in Feature:
        if not rows[feature] and not seconds[feature]:
            continue
        mm3 = float(volume[feature])
        shares[FEATURES[feature]] = FeatureShare(
            time_s=float(seconds[feature]),
            filament_mm=filament_length_mm(mm3, printer.filament_diameter_mm),
            filament_g=filament_mass_g(mm3, material.density_g_cm3),
            length_mm=float(length[feature]),
            peak_flow_mm3_s=float(flows[feature, 0]),
            asked_flow_mm3_s=float(flows[feature, 1]),
            capped=bool(capped[feature]),
        )
    if seconds[count] > 0:
        shares["wait"] = FeatureShare(
            time_s=float(seconds[count]),
            filament_mm=0,
            filament_g=0,
            length_mm=0,
            peak_flow_mm3_s=0,
            asked_flow_mm3_s=0,
            capped=False,
        )
    return shares


@numba.njit(cache=True, nogil=True)
def _feature_totals(  # type: ignore[no-untyped-def]
    feature, layer, length, area, peak, asked, capped, weight, volume_weight, count
):
    """By feature: rows, length, volume, largest flows reached and asked for, and whether any stroke is capped."""
    rows = np.zeros(count, np.int64)
    lengths, volumes, flows = np.zeros(count), np.zeros(count), np.zeros((count, 2))
    any_capped = np.zeros(count, np.bool_)
    for k in range(len(feature)):
        f, at = feature[k], layer[k]
        rows[f] += 1
        lengths[f] += length[k] * weight[at]
        volumes[f] += area[k] * length[k] * volume_weight[at]
        flows[f, 0] = max(flows[f, 0], peak[k])
        flows[f, 1] = max(flows[f, 1], asked[k])
        any_capped[f] |= capped[k]
    return rows, lengths, volumes, flows, any_capped


def _by_cause(run: _Run) -> Causes:
    totals = run.weight @ run.timing.by_cause_s()
    return Causes(**{f"{cause}_s": float(total) for cause, total in zip(CAUSES, totals, strict=True)})
