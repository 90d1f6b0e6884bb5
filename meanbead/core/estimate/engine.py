"""The engine: one part, one recipe, one machine in; an estimate out.

Each stage is cached on just the inputs that it reads: strokes on the solid and the plan's shape, so that a changed
speed, temperature or price reruns no geometry.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from meanbead.core.bead import filament_length_mm, filament_mass_g
from meanbead.core.cache import BoundedCache
from meanbead.core.errors import RecipeError
from meanbead.core.estimate.timing import CAUSES, Timing, stronger, stronger_plan, time_strokes
from meanbead.core.heat import machine_heat_up_s
from meanbead.core.melt import MeltCeiling, melt_ceiling
from meanbead.core.parallel import in_threads
from meanbead.core.part.facts import part_facts
from meanbead.core.part.sound import Solid
from meanbead.core.resolve import Plan, resolve
from meanbead.core.rules import Situation, findings
from meanbead.core.strokes import FEATURES, Feature, StrokePlanner, Strokes
from meanbead.core.vocabulary import (
    Causes,
    Estimate,
    FeatureShare,
    Interval,
    Material,
    Nozzle,
    PartFacts,
    Printer,
    Recipe,
)

ENGINE_VERSION = "3"
"""Stamped on every estimate; raised whenever the same inputs would give other figures."""

UNKNOWN_LIMITS = 0.3
"""Typical machine limits may be this share too high or too low; the interval runs the print at both ends."""


@dataclass(frozen=True)
class Job:
    """All inputs of an estimate."""

    solid: Solid
    recipe: Recipe
    printer: Printer = Printer()
    nozzle: Nozzle = Nozzle()
    material: Material = Material()


class Engine:
    """Estimates with memory. Safe to share between threads."""

    def __init__(self, cache_bytes: int = 512 * 1024 * 1024) -> None:
        self._planner = StrokePlanner(cache_bytes)
        self._facts: BoundedCache[PartFacts] = BoundedCache(4 * 1024 * 1024, lambda _: 1024)

    def strokes(self, solid: Solid, plan: Plan) -> Strokes:
        """Strokes of a solid; see :meth:`meanbead.core.strokes.StrokePlanner.plan`."""
        return self._planner.plan(solid, plan.shape)

    def estimate(self, job: Job) -> Estimate:
        """Time, filament, cost and findings. Raises :class:`RecipeError` for recipes that cannot be printed."""
        plan = resolve(job.recipe, job.printer, job.nozzle, job.material)
        ceiling = melt_ceiling(job.printer, job.nozzle, job.material, plan.nozzle_temp_c)
        if ceiling.plan_mm3_s <= 0:
            raise RecipeError(
                f"{job.material.name} does not melt at {plan.nozzle_temp_c:g} °C in this hot end.",
                field="nozzle_temp_c",
                remedy=f"Set at least {job.material.nozzle_temp_min_c:g} °C.",
            )
        heat_up_s = machine_heat_up_s(job.printer, plan.nozzle_temp_c, plan.bed_temp_c)
        strokes = self.strokes(job.solid, plan)
        timing = time_strokes(strokes, plan, job.printer, ceiling.plan_mm3_s)
        facts = self._facts.get(job.solid.digest, lambda: part_facts(job.solid))
        return self._summary(job, plan, ceiling, heat_up_s, strokes, timing, facts)

    def _summary(
        self,
        job: Job,
        plan: Plan,
        ceiling: MeltCeiling,
        heat_up_s: float,
        strokes: Strokes,
        timing: Timing,
        facts: PartFacts,
    ) -> Estimate:
        printer, material = job.printer, job.material
        by_feature = _by_feature(strokes, timing, plan, printer, material)
        print_time = timing.print_time_s
        volume = float(np.sum(strokes.area_mm2[~strokes.is_travel] * strokes.length_mm[~strokes.is_travel]))
        volume *= plan.flow_ratio
        grams = filament_mass_g(volume, material.density_g_cm3)
        causes = _by_cause(timing)
        return Estimate(
            engine_version=ENGINE_VERSION,
            print_time_s=print_time,
            start_time_s=printer.start_time_s,
            heat_up_s=heat_up_s,
            whole_time_s=print_time + printer.start_time_s + heat_up_s,
            filament_mm=filament_length_mm(volume, printer.filament_diameter_mm),
            filament_mm3=volume,
            filament_g=grams,
            filament_cost=grams * material.price_per_kg / 1000,
            layers=len(strokes.layers),
            travel_mm=float(strokes.length_mm[strokes.is_travel].sum()),
            retractions=timing.retractions,
            by_feature=by_feature,
            by_cause=causes,
            peak_flow_mm3_s=max(share.peak_flow_mm3_s for share in by_feature.values()),
            asked_flow_mm3_s=max(share.asked_flow_mm3_s for share in by_feature.values()),
            melt_ceiling_mm3_s=ceiling.plan_mm3_s,
            melt_ceiling_source=ceiling.source,
            melt_capped=bool(timing.capped.any()),
            findings=findings(Situation(plan, printer, job.nozzle, material, ceiling, facts, by_feature, causes)),
            interval=self._interval(job, plan, ceiling, strokes),
        )

    def _interval(self, job: Job, plan: Plan, ceiling: MeltCeiling, strokes: Strokes) -> Interval:
        """Print time if the machine's limits were off by :data:`UNKNOWN_LIMITS` either way."""

        def run(factor: float) -> float:
            printer = stronger(job.printer, factor)
            return time_strokes(strokes, stronger_plan(plan, factor), printer, ceiling.plan_mm3_s).print_time_s

        ends = in_threads(run, (1 + UNKNOWN_LIMITS, 1 - UNKNOWN_LIMITS))
        return Interval(
            low_s=min(ends),
            high_s=max(ends),
            source="typical",
            basis=f"accelerations and corner limits {100 * UNKNOWN_LIMITS:.0f} % better or worse than described",
        )


def _by_feature(
    strokes: Strokes, timing: Timing, plan: Plan, printer: Printer, material: Material
) -> dict[str, FeatureShare]:
    """Shares of the features that occur. Retraction, lifts and layer changes stand under ``travel``."""
    count = len(Feature)
    seconds = timing.by_feature_s().sum(axis=0)
    length = np.bincount(strokes.feature, weights=strokes.length_mm, minlength=count)
    laid = np.where(strokes.is_travel, 0.0, strokes.area_mm2 * strokes.length_mm) * plan.flow_ratio
    volume = np.bincount(strokes.feature, weights=laid, minlength=count)
    shares = {}
    for feature in Feature:
        rows = strokes.feature == feature
        if not rows.any():
            continue
        mm3 = float(volume[feature])
        shares[FEATURES[feature]] = FeatureShare(
            time_s=float(seconds[feature]),
            filament_mm=filament_length_mm(mm3, printer.filament_diameter_mm),
            filament_g=filament_mass_g(mm3, material.density_g_cm3),
            length_mm=float(length[feature]),
            peak_flow_mm3_s=float(timing.peak_flow_mm3_s[rows].max()),
            asked_flow_mm3_s=float(timing.asked_flow_mm3_s[rows].max()),
            capped=bool(timing.capped[rows].any()),
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


def _by_cause(timing: Timing) -> Causes:
    totals = timing.by_cause_s().sum(axis=0)
    return Causes(**{f"{cause}_s": float(total) for cause, total in zip(CAUSES, totals, strict=True)})
