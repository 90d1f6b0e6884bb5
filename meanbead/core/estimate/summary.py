"""The figures of a run: time, filament, cost, both ledgers, and how far they may be off."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from functools import cached_property

import numba
import numpy as np
from numpy.typing import NDArray

from meanbead.core.estimate.cooling import ASIDE_MM
from meanbead.core.estimate.job import Prepared
from meanbead.core.estimate.ledger import CAUSES
from meanbead.core.estimate.moves import moves_of
from meanbead.core.estimate.sample import INTERVAL_LAYERS, LayerSample
from meanbead.core.estimate.timing import Timing, stronger, stronger_plan, time_strokes
from meanbead.core.formulas.bead import filament_area_mm2, filament_length_mm, filament_mass_g
from meanbead.core.formulas.heat import machine_cool_down_s, machine_heat_up_s
from meanbead.core.formulas.melt import MeltCeiling, output_share
from meanbead.core.formulas.running import machine_cost
from meanbead.core.model import Causes, Estimate, FeatureShare, Interval, Material, PartFacts, Printer
from meanbead.core.model.estimate import IgnoredSurface
from meanbead.core.model.plan import Plan
from meanbead.core.runtime.parallel import parallel_map
from meanbead.core.strokes.features import FEATURES, Feature
from meanbead.core.strokes.sweep import returns_mm
from meanbead.core.strokes.table import Strokes

__all__ = ["ENGINE_VERSION", "UNKNOWN_LIMITS", "Run", "interval", "layer_volumes_mm3", "part_seconds", "summary"]

ENGINE_VERSION = "11"
"""Stamped on every estimate; raised whenever the same inputs would give other figures."""

UNKNOWN_LIMITS = 0.3
"""Typical machine limits may be this share too high or too low; the interval runs the print at both ends."""


@dataclass(frozen=True)
class Run:
    """One part run through one machine; ``sample`` is None where all layers were planned."""

    prepared: Prepared
    timing: Timing
    sample: LayerSample | None

    @property
    def plan(self) -> Plan:
        """The plan that was run."""
        return self.prepared.plan

    @property
    def ceiling(self) -> MeltCeiling:
        """What the hot end melts."""
        return self.prepared.ceiling

    @property
    def strokes(self) -> Strokes:
        """The strokes that were run."""
        return self.timing.strokes

    @cached_property
    def weight(self) -> NDArray[np.float64]:
        """How many layers each planned one stands for, (layers,)."""
        if self.sample is None:
            return np.ones(len(self.strokes.layers))
        return _on_plate(self.sample.weight, self.plan)

    @cached_property
    def volume_weight(self) -> NDArray[np.float64]:
        """The same for plastic, (layers,)."""
        if self.sample is None:
            return self.weight
        return _on_plate(self.sample.volume_weight, self.plan)


def summary(run: Run, facts: PartFacts) -> Estimate:
    """The figures of a run. Without an interval, which takes runs of its own: see :func:`interval`."""
    job = run.prepared.job
    printer, material = job.printer, job.material
    heat_up_s = machine_heat_up_s(printer, run.plan.first_layer_nozzle_temp_c, run.plan.first_layer_bed_temp_c)
    plan, strokes, weight, ceiling = run.plan, run.strokes, run.weight, run.ceiling
    by_feature = _by_feature(run, printer, material)
    causes = _by_cause(run)
    print_time = sum(getattr(causes, f"{cause}_s") for cause in CAUSES)
    volume = sum(share.filament_mm for share in by_feature.values()) * filament_area_mm2(printer.filament_diameter_mm)
    grams = filament_mass_g(volume, material.density_g_cm3)
    height = strokes.layers.height_mm
    areas = strokes.areas
    lost, over, void, sparse = (
        float(np.sum(area * height * run.volume_weight))
        for area in (areas.lost_mm2, areas.overfilled_mm2, areas.void_mm2, areas.sparse_mm2)
    )
    whole_s = print_time + printer.start_time_s + printer.end_time_s + heat_up_s
    filament_cost = grams * material.cost_per_kg / 1000
    costs = machine_cost(printer, plan.nozzle_temp_c, plan.bed_temp_c, heat_up_s, whole_s, volume, material)
    cooling = run.timing.cooling
    short = cooling.short
    own_s = run.timing.layer_s - cooling.wait_s - cooling.aside_s.sum(axis=1)
    comes_out, hanging = _height_mm(run), strokes.hanging
    return Estimate(
        engine_version=ENGINE_VERSION,
        print_time_s=print_time,
        start_time_s=printer.start_time_s,
        heat_up_s=heat_up_s,
        end_time_s=printer.end_time_s,
        whole_time_s=whole_s,
        cool_down_s=machine_cool_down_s(printer, plan.nozzle_temp_c, plan.bed_temp_c),
        filament_mm=filament_length_mm(volume, printer.filament_diameter_mm),
        filament_mm3=volume,
        filament_g=grams,
        filament_cost=filament_cost,
        power_cost=costs.power,
        wear_cost=costs.wear,
        cost=filament_cost + costs.power + costs.wear,
        lost_mm3=lost,
        overfilled_mm3=over,
        void_mm3=void,
        infill_asked_mm3=sparse,
        under_extruded_mm3=float(_under_extruded_mm3(run).sum()),
        returns_mm=float(top_returns_mm(strokes) @ weight),
        height_mm=comes_out,
        height_off_mm=comes_out - facts.extents_mm.z,
        short_layers=round(float(np.sum(weight[short]))),
        shortest_layer_s=float(own_s[short].min()) if short.any() else 0.0,
        hanging_mm2=hanging.area_mm2 * plan.shape.copies.count,
        hanging_width_mm=hanging.width_mm,
        hanging_at_mm=float(strokes.layers.top_mm[hanging.layer] - height[hanging.layer]),
        left_out_mm2=strokes.left_out_mm2 * plan.shape.copies.count,
        ignored=None if strokes.ignored is None else IgnoredSurface(**asdict(strokes.ignored)),
        layers=len(strokes.layers),
        layers_planned=int(np.count_nonzero(weight)),
        sampling_error=0.0 if run.sample is None else run.sample.error(part_seconds(run)),
        filament_error=0.0 if run.sample is None else run.sample.filament_error(part_volumes_mm3(run)),
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
        melt_basis=ceiling.basis,
        melt_capped=bool(run.timing.capped.any()),
        plate_mm=strokes.extent_mm,
        substituted=list(strokes.substituted),
        findings=[],
        interval=_no_interval(print_time),
    )


def interval(run: Run, print_time_s: float) -> Interval:
    """Print time if the machine's limits were off by :data:`UNKNOWN_LIMITS` either way; what else may be off comes on top,
    see :func:`~meanbead.core.estimate.interval.whole_interval`.

    Layers of one part answer alike, so a regular sample of them says by which share the whole would move.
    """
    planned = np.flatnonzero(np.bincount(run.strokes.layer, minlength=len(run.weight)))
    chosen = np.zeros(len(run.weight), dtype=bool)
    chosen[planned[:: max(1, len(planned) // INTERVAL_LAYERS)]] = True
    whole = bool(chosen[planned].all())
    sample = run.strokes if whole else run.strokes.of_layers(chosen)
    # Moves do not depend on how quick the machine is.
    moves = run.timing.moves if whole else moves_of(sample, run.plan, run.prepared.job.printer)

    def time(factor: float) -> float:
        printer = stronger(run.prepared.job.printer, factor)
        above, first = run.prepared.flow_caps_mm3_s
        return time_strokes(sample, stronger_plan(run.plan, factor), printer, above, moves, first).print_time_s

    better, worse, *rest = parallel_map(time, (1 + UNKNOWN_LIMITS, 1 - UNKNOWN_LIMITS, *(() if whole else (1.0,))))
    same = run.timing.print_time_s if whole else rest[0]
    ends = [print_time_s * better / same, print_time_s * worse / same]
    return Interval(
        low_s=min(ends),
        high_s=max(ends),
        source="typical",
        basis=f"accelerations and corner limits {100 * UNKNOWN_LIMITS:.0f} % better or worse than described",
    )


def _no_interval(print_time_s: float) -> Interval:
    return Interval(low_s=print_time_s, high_s=print_time_s, source="typical", basis="not worked out")


def _on_plate(weight: NDArray[np.float64], plan: Plan) -> NDArray[np.float64]:
    """Weights of a part's layers as those of all layers printed: a raft's count once, each copy's like the first's."""
    copies = plan.shape.copies
    raft = np.ones(plan.shape.raft_layers if plan.shape.adhesion == "raft" else 0)
    values = np.concatenate([raft, weight])
    return np.tile(values, copies.count) if copies.order == "one_by_one" else values


def _first_copy(run: Run, by_layer: NDArray[np.float64]) -> NDArray[np.float64]:
    """Figures of the first copy's own layers, without a raft's."""
    raft = run.plan.shape.raft_layers if run.plan.shape.adhesion == "raft" else 0
    count = len(run.sample.weight) if run.sample else len(by_layer)
    return by_layer[raft : raft + count]


def part_seconds(run: Run) -> NDArray[np.float64]:
    """Seconds of each of the part's own layers, (layers,)."""
    return _first_copy(run, run.timing.layer_s)


def part_volumes_mm3(run: Run) -> NDArray[np.float64]:
    """Plastic of each of the part's own layers, mm3, (layers,)."""
    return _first_copy(run, layer_volumes_mm3(run))


def layer_volumes_mm3(run: Run) -> NDArray[np.float64]:
    """Plastic of each layer, mm3, shape (layers,)."""
    strokes = run.strokes
    laid = np.where(strokes.is_travel, 0.0, strokes.area_mm2 * strokes.length_mm) * run.plan.flow_ratio
    volumes = np.bincount(strokes.layer, weights=laid, minlength=len(strokes.layers))
    return volumes.astype(np.float64)


def top_returns_mm(strokes: Strokes) -> NDArray[np.float64]:
    """How much of the tops' strokes of each layer is laid against an edge that is older than the stroke just before, mm,
    (layers,): there a flat top shows marks."""
    rows = np.flatnonzero(strokes.feature == Feature.TOP)
    layer = strokes.layer[rows].astype(np.int64)
    found = returns_mm(strokes.start_xy[rows], strokes.end_xy[rows], strokes.width_mm[rows], layer)
    return np.asarray(np.bincount(layer, weights=found, minlength=len(strokes.layers)), dtype=np.float64)


def _under_extruded_mm3(run: Run) -> NDArray[np.float64]:
    """Plastic that is asked for beyond the knee and does not come out, by feature, mm3, (features,).

    By the flow that each stroke reaches at its fastest, so a little too much where strokes are mostly ramps; that
    pressure builds up and falls over a second is left out.
    """
    strokes, flow = run.strokes, run.timing.peak_flow_mm3_s
    if not flow.size or flow.max() <= min(run.ceiling.knee_mm3_s, run.prepared.first_ceiling.knee_mm3_s):
        return np.zeros(len(Feature))
    share = np.where(
        strokes.layers.on_bed[strokes.layer],
        output_share(run.prepared.first_ceiling, flow),
        output_share(run.ceiling, flow),
    )
    laid = np.where(strokes.is_travel, 0.0, strokes.area_mm2 * strokes.length_mm) * run.plan.flow_ratio
    missing = laid * (1 - share) * run.volume_weight[strokes.layer]
    return np.asarray(np.bincount(strokes.feature, weights=missing, minlength=len(Feature)), dtype=np.float64)


def _height_mm(run: Run) -> float:
    """Height of the part as it comes out, without its raft, mm."""
    tops, raft = run.strokes.layers.top_mm, run.plan.shape.raft_layers if run.plan.shape.adhesion == "raft" else 0
    return float(tops[-1] - (tops[raft - 1] if raft else 0.0))


def _by_feature(run: Run, printer: Printer, material: Material) -> dict[str, FeatureShare]:
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
    shares, missing_mm3 = {}, _under_extruded_mm3(run)
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
            under_extruded_mm3=float(missing_mm3[feature]),
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


def _by_cause(run: Run) -> Causes:
    totals = run.weight @ run.timing.by_cause_s()
    return Causes(**{f"{cause}_s": float(total) for cause, total in zip(CAUSES, totals, strict=True)})
