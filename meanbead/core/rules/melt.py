"""Rules of heat and flow: windows and limits of temperature, the melt ceiling, the drive's push."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from meanbead.core.formulas.bead import bead_area_mm2, filament_mass_g
from meanbead.core.formulas.melt import WALL_LOSS, output_share, temperature_for_flow_c
from meanbead.core.model.finding import Finding, Remedy, SettingValue
from meanbead.core.rules.bead import LOWEST_PER_BORE
from meanbead.core.rules.rule_input import PTFE_LIMIT_C, RuleInput, ceil_to, floor_to, remedy, words
from meanbead.core.text.durations import duration

__all__ = [
    "above_knee",
    "cold_metal",
    "flow_margin",
    "hotter_than_needed",
    "melt_cap",
    "metal_extra_c",
    "push_limit",
    "temperature_bounds",
]

OOZE_MARGIN_C = 12.0
"""Hotter than the flow needs by less than this is not worth a word."""

_SPEED_OF = {
    "outer_wall": "outer_wall",
    "thin_wall": "outer_wall",
    "inner_wall": "inner_wall",
    "infill": "infill",
    "solid": "solid",
    "bottom": "solid",
    "top": "top",
    "bridge": "bridge",
    "support": "support",
    "support_interface": "support",
    "raft": "support",
    "skirt": "first_layer",
    "brim": "first_layer",
}


def temperature_bounds(s: RuleInput) -> Iterator[Finding]:
    """The lining's, the hot end's and the plastic's limits, on the first layer and above; only the gravest that is broken
    speaks."""
    temps = (("nozzle_temp_c", s.plan.nozzle_temp_c), ("first_layer_nozzle_temp_c", s.plan.first_layer_nozzle_temp_c))
    found = [finding for key, temp in temps if (finding := _out_of_bounds(s, key, temp)) is not None]
    if found:
        yield min(found, key=lambda finding: (finding.severity != "stop", finding.field != "nozzle_temp_c"))


def _out_of_bounds(s: RuleInput, key: str, temp: float) -> Finding | None:
    """What a temperature breaks, if anything."""
    low, high = s.material.nozzle_temp_min_c, s.material.nozzle_temp_max_c
    good = min(max(temp, low), s.highest_c)
    # Of two chosen temperatures out of bounds both are brought back, or the other would speak next.
    recipe = s.prepared.job.recipe
    both: dict[str, SettingValue] = {key: good}
    for other, value in (
        ("nozzle_temp_c", s.plan.nozzle_temp_c),
        ("first_layer_nozzle_temp_c", s.plan.first_layer_nozzle_temp_c),
    ):
        back = min(max(value, low), s.highest_c)
        if other != key and back != value and getattr(recipe, other) is not None:
            both[other] = back
    way = [remedy(f"{good:g} °C", both)] if good >= 100 else []
    if s.printer.hotend.lining == "ptfe" and temp > PTFE_LIMIT_C:
        return Finding(
            rule="ptfe_lining",
            severity="stop",
            field=key,
            sentence=f"This hot end is lined with PTFE: above about {PTFE_LIMIT_C:g} °C the lining gives off toxic fumes.",
            remedy=f"Stay at or below {PTFE_LIMIT_C:g} °C and the maker's own limit, or use an all-metal hot end.",
            value=temp,
            limit=PTFE_LIMIT_C,
            reason="PTFE breaks down; its fumes harm people and kill birds.",
            source="Makers' safety sheets",
            remedies=way,
        )
    if temp > s.printer.hotend.max_temp_c:
        return Finding(
            rule="hot_end_limit",
            severity="stop",
            field=key,
            sentence=f"{temp:g} °C is above this hot end's limit of {s.printer.hotend.max_temp_c:g} °C.",
            remedy="Lower the temperature. Never raise a firmware limit or defeat thermal-runaway protection.",
            value=temp,
            limit=s.printer.hotend.max_temp_c,
            reason="Above the maker's limit heater, sensor and insulation may fail.",
            source="The machine's description",
            remedies=way,
        )
    if low <= temp <= high:
        return None
    what = "weak layers and a blocked drive" if temp < low else "ooze, stringing and burnt plastic"
    return Finding(
        rule="material_window",
        severity="risk",
        field=key,
        sentence=f"{temp:g} °C is outside {s.material.name}'s window of {low:g} to {high:g} °C.",
        remedy=f"Set {good:g} °C.",
        value=temp,
        limit=low if temp < low else high,
        reason=f"Expect {what}.",
        source="The plastic's description",
        remedies=[] if not low <= good <= high else way,
    )


def melt_cap(s: RuleInput) -> Iterator[Finding]:
    """Speeds for which the hot end cannot melt enough. The engine has already slowed them, so it costs what it costs."""
    if s.estimate is None:
        return
    capped = {name: share for name, share in s.estimate.by_feature.items() if share.capped}
    if not capped or s.plan.above_melt == "run_on":
        return
    asked = max(share.asked_flow_mm3_s for share in capped.values())
    limit = s.ceiling.plan_mm3_s
    temp = temperature_for_flow_c(s.printer, s.nozzle, s.material, asked * 1.001, s.highest_c)
    known = s.ceiling.bound == "known"
    if known:
        would = f"more than that {s.material.name} is not known to take, however hot"
    elif temp is not None:
        would = f"{temp:.0f} °C would melt it"
    else:
        would = f"not even {s.highest_c:g} °C would melt it"
    skips = " At that flow the drive may skip." if asked > s.ceiling.skip_mm3_s else ""
    push = " The drive's push binds, not the heat." if s.ceiling.bound == "push" else ""
    yield Finding(
        rule="melt_cap",
        severity="note",
        field="speed_mm_s",
        sentence=(
            f"Slowed to what the hot end melts: {words(list(capped))}. Asked for {asked:.1f} mm³/s, the ceiling is "
            f"{limit:.1f} mm³/s ({_sure(s)}); {would}.{skips}{push} It costs "
            f"{duration(s.estimate.by_cause.melt_ceiling_s)}."
        ),
        remedy=f"{'A' if known else 'Hotter, a'} smaller bead{'' if known else ', or a longer melt zone'}; a higher speed changes nothing.",
        value=asked,
        limit=limit,
        reason="Above the ceiling less plastic comes out than is asked for, and then the drive skips.",
        source="Conduction into the filament and the drive's push; see the method, Melt ceiling",
        school=s.convention("temperature"),
        remedies=_ways_out(s, list(capped), asked, limit, temp),
    )


def _sure(s: RuleInput) -> str:
    """Where the ceiling comes from, and how far it may be off where it is a guess."""
    source, ceiling = s.ceiling.source, s.ceiling
    if source != "typical" or not ceiling.low_mm3_s:
        return source
    share = ceiling.plan_mm3_s / ceiling.knee_mm3_s
    return f"typical, 90 % range {share * ceiling.low_mm3_s:.0f} to {share * ceiling.high_mm3_s:.0f}"


def above_knee(s: RuleInput) -> Iterator[Finding]:
    """Flows beyond the knee by choice: plastic that is asked for and does not come out."""
    if s.estimate is None or s.plan.above_melt != "run_on" or s.estimate.under_extruded_mm3 <= 0:
        return
    lost_g = filament_mass_g(s.estimate.under_extruded_mm3, s.material.density_g_cm3)
    worst = 1 - float(output_share(s.ceiling, np.array([s.estimate.peak_flow_mm3_s]))[0])
    skips = " At that flow the drive may skip." if s.estimate.peak_flow_mm3_s > s.ceiling.skip_mm3_s else ""
    lost = sorted(
        (
            (share.under_extruded_mm3, name)
            for name, share in s.estimate.by_feature.items()
            if share.under_extruded_mm3 > 0
        ),
        reverse=True,
    )
    missing = words([f"{_grams(s, mm3)} in the {name.replace('_', ' ')}" for mm3, name in lost[:3]])
    yield Finding(
        rule="above_knee",
        severity="risk",
        field="above_melt",
        sentence=(
            f"{lost_g:.1f} g of {s.estimate.filament_g:.1f} g do not come out: up to {s.estimate.peak_flow_mm3_s:.1f} mm³/s are "
            f"asked for, and the output falls from {s.ceiling.knee_mm3_s:.1f} mm³/s on, by {100 * worst:.0f} % at the most. Of "
            f"that, {missing} are missing.{skips}"
        ),
        remedy="Slow down to what melts; it costs the time that this saves.",
        value=s.estimate.peak_flow_mm3_s,
        limit=s.ceiling.knee_mm3_s,
        reason="Lines come out thinner than planned: gaps, weak layers, and a drive that grinds the filament.",
        source="Output beyond the knee; see the method, Flow test",
        remedies=[remedy("Slow down to what melts", {"above_melt": None})],
    )


def _grams(s: RuleInput, volume_mm3: float) -> str:
    grams = filament_mass_g(volume_mm3, s.material.density_g_cm3)
    return f"{grams:.1f} g" if grams >= 0.05 else "less than 0.1 g"


def _ways_out(s: RuleInput, capped: list[str], asked: float, limit: float, temp_c: float | None) -> list[Remedy]:
    """Slower, hotter, or a smaller bead."""
    ways = []
    slower: dict[str, SettingValue] = {}
    speeds = s.plan.speed_mm_s
    for name in {_SPEED_OF[name] for name in capped if name in _SPEED_OF}:
        speed = getattr(speeds, name)
        flow = max(
            s.estimate.by_feature[feature].asked_flow_mm3_s  # type: ignore[union-attr]
            for feature in capped
            if _SPEED_OF.get(feature) == name
        )
        slower[f"speed_mm_s.{name}"] = max(1.0, floor_to(speed * limit / flow * 0.998, 0.5))
    first = bead_area_mm2(s.plan.shape.width_mm.first_layer, s.plan.shape.first_layer_height_mm) * s.plan.flow_ratio
    if first * speeds.first_layer > limit:
        slower["speed_mm_s.first_layer"] = max(1.0, floor_to(limit / first * 0.99, 0.5))
    if slower:
        ways.append(remedy("Ask for what melts", dict(sorted(slower.items()))))
    if temp_c is not None:
        ways.append(remedy(f"{ceil_to(temp_c, 1):g} °C", {"nozzle_temp_c": ceil_to(temp_c, 1)}))
    lower = s.floor_step(s.height_mm * limit / asked)
    if LOWEST_PER_BORE * s.nozzle.bore_mm <= lower < s.height_mm:
        ways.append(remedy(f"Layers of {lower:g} mm", {s.height_key: lower}))
    return ways


def push_limit(s: RuleInput) -> Iterator[Finding]:
    """Close to what the drive can push through this bore, where heat no longer helps."""
    if s.estimate is None or s.ceiling.bound != "push" or s.estimate.melt_capped:
        return
    flow = s.estimate.peak_flow_mm3_s
    if flow < 0.85 * s.ceiling.plan_mm3_s:
        return
    yield Finding(
        rule="push_limit",
        severity="note",
        field="nozzle",
        sentence=f"{flow:.1f} of {s.ceiling.plan_mm3_s:.1f} mm³/s: the drive's push through the {s.nozzle.bore_mm:g} mm "
        "bore is nearly used up.",
        remedy="A larger bore helps; more heat hardly does.",
        value=flow,
        limit=s.ceiling.plan_mm3_s,
        reason="The pressure that a flow needs grows as the bore gets smaller.",
        source="See the method, Melt ceiling",
    )


def hotter_than_needed(s: RuleInput) -> Iterator[Finding]:
    """More heat than the flow needs oozes."""
    if s.estimate is None or s.house.temperature == "leave" or s.estimate.melt_capped:
        return
    usual = s.material.nozzle_temp_c + metal_extra_c(s)
    if s.house.temperature == "ten_a_size":
        usual += max(0.0, 10.0 * (s.nozzle.bore_mm - 0.4) / 0.2)
    needed = temperature_for_flow_c(s.printer, s.nozzle, s.material, s.estimate.asked_flow_mm3_s * 1.001, s.highest_c)
    good = ceil_to(min(max(usual, needed or usual), s.highest_c), 1)
    if s.plan.nozzle_temp_c < good + OOZE_MARGIN_C:
        return
    yield Finding(
        rule="hotter_than_needed",
        severity="note",
        field="nozzle_temp_c",
        sentence=f"{s.plan.nozzle_temp_c:g} °C is hotter than this flow needs: {good:g} °C would do.",
        remedy=f"Set {good:g} °C.",
        value=s.plan.nozzle_temp_c,
        limit=good,
        reason="Hot plastic oozes on travels, strings, and sags on overhangs.",
        source="The melt ceiling, inverted",
        school=s.convention("temperature"),
        remedies=[remedy(f"{good:g} °C", {"nozzle_temp_c": good})],
    )


def metal_extra_c(s: RuleInput) -> float:
    """How much hotter the sensor has to be set than with brass, for the same melt, degrees C."""
    loss = WALL_LOSS[s.nozzle.metal] - WALL_LOSS["brass"]
    return max(0.0, loss * (s.material.nozzle_temp_c - s.printer.room_temp_c))


def cold_metal(s: RuleInput) -> Iterator[Finding]:
    """A nozzle metal that passes heat badly needs a higher setting."""
    extra = round(metal_extra_c(s))
    requested = min(s.material.nozzle_temp_c + extra, s.highest_c)
    if extra < 4 or s.plan.nozzle_temp_c >= requested - 0.5 or s.plan.nozzle_temp_c < s.material.nozzle_temp_min_c:
        return
    metal = s.nozzle.metal.replace("_", " ")
    yield Finding(
        rule="cold_metal",
        severity="note",
        field="nozzle_temp_c",
        sentence=f"A {metal} nozzle is about {extra} °C colder inside than a brass one at the same setting.",
        remedy=f"Set {requested:g} °C.",
        value=s.plan.nozzle_temp_c,
        limit=requested,
        reason="Steel conducts heat worse than brass, so the plastic in the tip is colder than the sensor.",
        source="Typical loss by metal; see the method, Melt ceiling",
        remedies=[remedy(f"{requested:g} °C", {"nozzle_temp_c": requested})],
    )


def flow_margin(s: RuleInput) -> Iterator[Finding]:
    """The margin under the ceiling that the part's purpose asks for."""
    margin = s.limits.flow_margin
    if s.estimate is None or margin is None or s.estimate.melt_capped:
        return
    flow, allowed = s.even_flow_mm3_s, (1 - margin) * s.ceiling.plan_mm3_s
    if flow <= allowed + 1e-9:
        return
    ways = []
    temp = temperature_for_flow_c(s.printer, s.nozzle, s.material, flow / (1 - margin) * 1.002, s.highest_c)
    if temp is not None:
        ways.append(remedy(f"{ceil_to(temp, 1):g} °C", {"nozzle_temp_c": ceil_to(temp, 1)}))
    fast = [
        name
        for name, share in s.estimate.by_feature.items()
        if share.asked_flow_mm3_s > allowed and name != "thin_wall"
    ]
    slower: dict[str, SettingValue] = {}
    for name in sorted({_SPEED_OF[feature] for feature in fast if feature in _SPEED_OF}):
        own = max(s.estimate.by_feature[feature].asked_flow_mm3_s for feature in fast if _SPEED_OF.get(feature) == name)
        slower[f"speed_mm_s.{name}"] = max(1.0, floor_to(getattr(s.plan.speed_mm_s, name) * allowed / own * 0.998, 0.5))
    if slower:
        ways.append(remedy("Slower where it is too much", slower))
    yield Finding(
        rule="flow_margin",
        severity="risk",
        field="nozzle_temp_c",
        sentence=f"{flow:.1f} of {s.ceiling.plan_mm3_s:.1f} mm³/s leaves less than the {100 * margin:.0f} % margin that this "
        "part's purpose asks for.",
        remedy="Hotter, or slower.",
        value=flow,
        limit=allowed,
        reason="A margin covers filament that varies and a hot end that is not as good as described.",
        source="The part's purpose",
        remedies=ways,
    )
