"""Checks of a recipe: small functions, each with a value, a limit, a reason, a source and a remedy.

A rule yields findings on a :class:`RuleInput`; :func:`findings` runs them all, gravest first. A rule that lacks what it
needs (an estimate, the part's insight) says nothing.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator

from meanbead.core.estimate.job import Prepared
from meanbead.core.model import Estimate, PartFacts
from meanbead.core.model.finding import Finding, Severity
from meanbead.core.rules import bead, cooling, looks, melt, overhangs, plastic, plate, shell, start, travel
from meanbead.core.rules.rule_input import PTFE_LIMIT_C, RuleInput

__all__ = ["FORBIDDING", "PTFE_LIMIT_C", "RULES", "RuleInput", "findings", "with_findings"]

Rule = Callable[[RuleInput], Iterator[Finding]]

RULES: tuple[Rule, ...] = (
    melt.temperature_bounds,
    plate.room_on_machine,
    bead.layer_height_bounds,
    bead.wide_line,
    bead.narrow_line,
    bead.first_layer_height,
    bead.full_steps,
    plastic.abrasive,
    plastic.small_bore,
    plastic.damp,
    plastic.ventilation,
    melt.melt_cap,
    melt.above_knee,
    melt.flow_margin,
    melt.push_limit,
    melt.cold_metal,
    melt.hotter_than_needed,
    shell.sliver,
    shell.void,
    shell.spiral_outside,
    shell.infill_off,
    shell.lost_detail,
    shell.detail_limit,
    shell.shell_limit,
    shell.density_limit,
    shell.thin_top,
    shell.thin_floor,
    looks.ridge,
    looks.height_off,
    looks.outer_speed,
    looks.ripples,
    looks.fast_top,
    looks.top_returns,
    looks.ironing,
    looks.seam,
    overhangs.overhang,
    overhangs.hanging_floor,
    overhangs.long_bridge,
    overhangs.bridge_pace,
    overhangs.support_interface,
    overhangs.supports_left_out,
    overhangs.needless_supports,
    start.hold_on_bed,
    start.no_chamber,
    start.priming,
    start.first_layer_pace,
    cooling.waiting,
    cooling.short_layers,
    cooling.fan,
    travel.short_hops,
    travel.too_much_travel,
    plate.copies_in_turn,
    plate.spool,
    looks.face_down,
    plate.long_print,
    plate.layers_from_neighbours,
    plate.trimming,
)

FORBIDDING: tuple[Rule, ...] = (
    melt.temperature_bounds,
    bead.layer_height_bounds,
    bead.wide_line,
    bead.narrow_line,
    bead.first_layer_height,
    plastic.abrasive,
    plastic.small_bore,
)
"""Rules that need no estimate and whose stops and risks no search may offer."""

_ORDER: dict[Severity, int] = {"stop": 0, "risk": 1, "caution": 2, "waste": 3, "note": 4}


def findings(rule_input: RuleInput) -> list[Finding]:
    """All findings on a recipe, gravest first."""
    found = [finding for rule in RULES for finding in rule(rule_input)]
    return sorted(found, key=lambda finding: _ORDER[finding.severity])


def with_findings(estimate: Estimate, prepared: Prepared, facts: PartFacts) -> Estimate:
    """An estimate with what the rules say of it by itself, without insight, purpose or house.

    Wastes are left out: one is only told once a remedy has been seen to save (:mod:`meanbead.core.advise.confirm`).
    """
    found = findings(RuleInput(prepared, facts, estimate))
    return estimate.model_copy(update={"findings": [finding for finding in found if finding.severity != "waste"]})
