"""What a recipe costs and what it takes, in figures that can be set against each other and against limits.

All are per piece, so that several at once compare with one.
"""

from __future__ import annotations

import math

from meanbead.core.advise.context import AdviceContext
from meanbead.core.estimate.job import Prepared
from meanbead.core.formulas.strength import filled_density, strength
from meanbead.core.formulas.surface import clean_overhang_deg, ridge_mm, steepest_overhang_deg
from meanbead.core.model.base import Result
from meanbead.core.model.estimate import Causes, Estimate
from meanbead.core.model.insight import PartInsight
from meanbead.core.model.material import Gloss
from meanbead.core.model.plan import Plan
from meanbead.core.rules.rule_input import even_flow_mm3_s
from meanbead.core.schedule.attendance import plates_per_day

__all__ = ["Measures", "PlanMeasures", "measures", "narrowest_mm", "plan_measures"]


class PlanMeasures(Result):
    """What is known of a recipe on a part before a stroke is planned.

    ``ridge_mm`` is the highest step on slopes, ``detail_mm`` the narrowest detail that is laid, ``outer_width_mm`` the outer line, whose half is the roundness of corners, ``overhang_margin_deg``
    by how much the bead could lean out further than the part does (negative where supports have to hold it),
    ``shell_mm`` the walls' thickness, ``density`` the share of the filling that is plastic. ``bond``, ``crush``, ``sideways`` and
    ``bend`` are strength indices (see :mod:`meanbead.core.formulas.strength`): comparisons, never ratings. ``over_usual_c`` is how
    much hotter than the plastic's usual it is run. ``gloss`` is the plastic's: shiny steps show more than matte ones.
    """

    ridge_mm: float
    detail_mm: float
    overhang_margin_deg: float
    outer_width_mm: float
    shell_mm: float
    top_mm: float
    bottom_mm: float
    over_usual_c: float
    least_layer_s: float
    density: float
    bond: float
    crush: float
    sideways: float
    bend: float
    outer_speed_mm_s: float
    gloss: Gloss = "satin"


class Measures(PlanMeasures):
    """The same with what the engine computed. ``time_s`` is print time, ``whole_time_s`` with heat-up and start, of a
    plate of ``pieces``; the others are of one piece. ``flow_margin`` is the share of the melt ceiling that is kept free,
    negative where more is asked for. ``expected_cost`` counts the prints that fail: cost over ``success``. ``by_cause`` shares out
    ``time_s``.
    """

    time_s: float
    piece_time_s: float
    whole_time_s: float
    pieces: int
    filament_g: float
    cost: float
    expected_cost: float
    success: float
    lost_share: float
    flow_margin: float
    plates_per_day: float
    by_cause: Causes


def narrowest_mm(plan: Plan, insight: PartInsight | None) -> float:
    """The narrowest detail that is laid, mm; 0 on a part that has none so narrow, so that nothing is held against it."""
    narrowest = plan.shape.width_mm.outer_wall * (0.6 if plan.shape.thin_walls == "variable" else 1.0)
    if insight is not None and (insight.smallest_detail_mm is None or insight.smallest_detail_mm > narrowest):
        return 0.0
    return narrowest


def plan_measures(prepared: Prepared, context: AdviceContext) -> PlanMeasures:
    """What the plan alone says. Slopes and overhangs need the part's insight; without it nothing leans."""
    job, plan = prepared.job, prepared.plan
    facts, insight, shape = context.facts, context.insight, plan.shape
    index = strength(plan, job.material, facts.volume_mm3, facts.surface_mm2)
    steepest = 0.0 if insight is None else steepest_overhang_deg(insight)
    return PlanMeasures(
        ridge_mm=0.0 if insight is None else ridge_mm(plan, insight),
        detail_mm=narrowest_mm(plan, insight),
        overhang_margin_deg=clean_overhang_deg(plan, job.printer) - steepest,
        outer_width_mm=shape.width_mm.outer_wall,
        shell_mm=index.shell_mm,
        top_mm=shape.top_layers * shape.layer_height_mm,
        bottom_mm=shape.bottom_layers * shape.layer_height_mm,
        over_usual_c=max(0.0, plan.nozzle_temp_c - job.material.nozzle_temp_c),
        least_layer_s=plan.min_layer_time_s,
        density=filled_density(plan),
        bond=index.bond,
        crush=index.crush,
        sideways=index.sideways,
        bend=index.bend,
        outer_speed_mm_s=plan.speed_mm_s.outer_wall,
        gloss=job.material.gloss,
    )


def measures(prepared: Prepared, estimate: Estimate, context: AdviceContext) -> Measures:
    """All measures of a computed recipe."""
    ceiling = prepared.ceiling.plan_mm3_s
    pieces = prepared.plan.shape.copies.count
    hours = estimate.whole_time_s / 3600
    success = math.exp(-context.shop.fault_rate_per_h * hours)
    cost = estimate.cost / pieces
    return Measures(
        **plan_measures(prepared, context).model_dump(),
        time_s=estimate.print_time_s,
        piece_time_s=estimate.print_time_s / pieces,
        whole_time_s=estimate.whole_time_s,
        pieces=pieces,
        filament_g=estimate.filament_g / pieces,
        cost=cost,
        expected_cost=cost / success,
        success=success,
        lost_share=estimate.lost_mm3 / max(estimate.filament_mm3, 1e-9),
        flow_margin=1.0 - even_flow_mm3_s(estimate) / max(ceiling, 1e-9),
        plates_per_day=plates_per_day(estimate.whole_time_s, context.shop.attended),
        by_cause=estimate.by_cause,
    )
