"""Rules of the surface: ridges, tops, ironing, ripples, the pace outside, the seam."""

from __future__ import annotations

import math
from collections.abc import Iterator

from meanbead.core.formulas.surface import flattest_slope_deg, ridge_mm
from meanbead.core.model.finding import Finding, SettingValue, Severity
from meanbead.core.model.material import Gloss
from meanbead.core.model.purpose import Limits
from meanbead.core.rules.bead import LOWEST_PER_BORE
from meanbead.core.rules.rule_input import RuleInput, remedy
from meanbead.core.text.durations import duration

__all__ = [
    "RIDGE_BY_GLOSS",
    "exact_heights_mm",
    "face_down",
    "fast_top",
    "height_off",
    "height_settings",
    "ironing",
    "outer_speed",
    "ridge",
    "ridge_limit_mm",
    "ripples",
    "seam",
    "top_returns",
]

TOP_SPEED_MM_S = 70.0
STICKY_ROOM = 1.5
"""So much faster than its usual pace there a plastic still closes a top."""
IRONING_SHARE = 0.15
RETURNS_MM = 10.0
"""Shorter returns than that in all are corners."""
FLAT_MM2 = 4.0
RIDGE_BY_GLOSS = {"matte": 1.25, "satin": 1.0, "shiny": 0.75}
"""How much of a purpose's ridge shows no more than that: shiny plastic mirrors each step, matte hides some. Typical."""


def ridge_limit_mm(limits: Limits, gloss: Gloss) -> float | None:
    """How high steps on slopes may be, mm, in a plastic of that gloss; None where nobody minds."""
    return None if limits.ridge_mm is None else round(limits.ridge_mm * RIDGE_BY_GLOSS[gloss], 4)


BROAD_TOP_MM2 = 400.0
OFF_LAYERS = 0.1
"""A flat top may be off by so many layers before it is told."""


def height_off(s: RuleInput) -> Iterator[Finding]:
    """A flat top that whole layers do not meet."""
    if s.estimate is None or s.facts.flat_summit_mm2 < FLAT_MM2:
        return
    off, height = s.estimate.height_off_mm, s.plan.shape.layer_height_mm
    if abs(off) <= OFF_LAYERS * height + 1e-6:
        return
    ways = []
    if s.plan.shape.slope_heights is None:
        low = s.ceil_step(LOWEST_PER_BORE * s.nozzle.bore_mm)
        ways = [
            remedy(f"Layers of {exact:g} mm", height_settings(s, exact))
            for exact in exact_heights_mm(s)
            if low <= exact <= s.highest_mm
        ]
    yield Finding(
        rule="height_off",
        severity="note",
        field=s.height_key,
        sentence=f"It comes out {s.estimate.height_mm:.2f} mm high, {abs(off):.2f} mm {'more' if off > 0 else 'less'} than the "
        "part: its height is no whole number of layers.",
        remedy="A layer height that divides the part exactly.",
        value=off,
        limit=OFF_LAYERS * height,
        reason="A layer is laid where its middle lies inside the part, so a flat top is off by up to half of one.",
        source="The part's height against its layers",
        where=s.spots("flat_top"),
        remedies=ways,
    )


def exact_heights_mm(s: RuleInput) -> list[float]:
    """The layer heights next to the recipe's with which the part comes out exactly as high as it is, to 0.1 micrometre;
    the nearest first. With the house's full steps only those that lie on them."""
    shape, part = s.plan.shape, s.facts.extents_mm.z
    first = s.recipe.first_layer_height_mm
    left = part if first is None else part - first
    if left <= 0:
        return []
    near = left / shape.layer_height_mm
    heights = {round(left / count, 4) for count in (math.floor(near + 1e-6), math.ceil(near - 1e-6)) if count > 0}
    if s.house.layer_heights == "full_steps":
        heights = {height for height in heights if abs(s.floor_step(height) - height) < 1e-4}
    return sorted(heights, key=lambda height: abs(height - shape.layer_height_mm))


def height_settings(s: RuleInput, height_mm: float) -> dict[str, SettingValue]:
    """Another layer height, skins as thick as before as far as whole layers allow."""
    shape = s.plan.shape
    now = shape.layer_height_mm
    counts = {"top_layers": shape.top_layers, "bottom_layers": shape.bottom_layers}
    skins = {name: max(1, round(count * now / height_mm)) if count else 0 for name, count in counts.items()}
    asked = s.recipe.skins
    unset: dict[str, SettingValue] = (
        {"skins.top_mm": None, "skins.bottom_mm": None} if asked.top_mm or asked.bottom_mm else {}
    )
    return {"layer_height_mm": height_mm, **skins, **unset}


def ridge(s: RuleInput) -> Iterator[Finding]:
    """Steps on visible slopes against the purpose's limit."""
    limit = ridge_limit_mm(s.limits, s.material.gloss)
    if limit is None or s.insight is None:
        return
    high = ridge_mm(s.plan, s.insight)
    slope = flattest_slope_deg(s.insight)
    if slope is None or high <= limit + 1e-9:
        return
    cosine = math.cos(math.radians(slope))
    least = s.ceil_step(LOWEST_PER_BORE * s.nozzle.bore_mm)
    lower = s.floor_step(limit / cosine)
    ways = []
    if least <= lower <= limit / cosine + 1e-9:
        flat = {"variable_height.kind": "even"} if s.plan.shape.slope_heights is not None else {}
        ways.append(remedy(f"Layers of {lower:g} mm", {"layer_height_mm": lower, **flat}))
    if least * cosine <= limit and s.plan.shape.slope_heights is None and s.plan.shape.layer_height_mm > least:
        by_slope: dict[str, SettingValue] = {
            "variable_height.kind": "by_slope",
            "variable_height.min_mm": least,
            "variable_height.max_mm": s.plan.shape.layer_height_mm,
            "variable_height.ridge_mm": limit,
        }
        ways.append(remedy("Low layers only where it curves", by_slope))
    smaller = [n for n, nozzle in s.nozzles.items() if LOWEST_PER_BORE * nozzle.bore_mm * cosine <= limit]
    if not ways and smaller:
        bore, number = max((s.nozzles[n].bore_mm, n) for n in smaller)
        height = math.floor(min(limit / cosine, 0.75 * bore) / s.step_mm + 1e-6) * s.step_mm
        if height >= LOWEST_PER_BORE * bore:
            label = f"The {bore:g} mm nozzle, layers of {height:.2g} mm"
            ways.append(remedy(label, {"nozzle": number, "layer_height_mm": round(height, 4)}))
    yield Finding(
        rule="ridge",
        severity="risk",
        field=s.height_key,
        sentence=f"Steps of {high:.2f} mm show on its slopes; this part's purpose asks for {limit:g} mm{_in_gloss(s)}.",
        remedy="Lower layers, at least where it curves.",
        value=high,
        limit=limit,
        reason="A slope shows each layer as a step as high as the layer times the cosine of the slope.",
        source="The part's purpose",
        where=s.spots("slope"),
        remedies=ways,
    )


def _in_gloss(s: RuleInput) -> str:
    return "" if s.material.gloss == "satin" else f" in {s.material.gloss} plastic"


def outer_speed(s: RuleInput) -> Iterator[Finding]:
    """The fastest outer wall that the purpose takes."""
    limit, speed = s.limits.outer_speed_mm_s, s.plan.speed_mm_s.outer_wall
    if limit is None or speed <= limit + 1e-9:
        return
    yield Finding(
        rule="outer_speed",
        severity="risk",
        field="speed_mm_s.outer_wall",
        sentence=f"The outer wall is asked to run {speed:g} mm/s; this part's purpose takes {limit:g} mm/s.",
        remedy=f"{limit:g} mm/s outside.",
        value=speed,
        limit=limit,
        reason="Ripple, gloss and corners are made by the outer wall.",
        source="The part's purpose",
        school=s.convention("pace"),
        remedies=[remedy(f"{limit:g} mm/s outside", {"speed_mm_s.outer_wall": limit})],
    )


def fast_top(s: RuleInput) -> Iterator[Finding]:
    """Tops laid so fast that they tear."""
    speed, own = s.plan.speed_mm_s.top, s.material.top_speed_mm_s
    most = TOP_SPEED_MM_S if own is None else min(own * STICKY_ROOM, TOP_SPEED_MM_S)
    if speed <= most + 1e-9 or not s.has("top"):
        return
    good = TOP_SPEED_MM_S if own is None else min(own, TOP_SPEED_MM_S)
    yield Finding(
        rule="fast_top",
        severity="risk",
        field="speed_mm_s.top",
        sentence=f"Tops are laid at {speed:g} mm/s{'' if own is None else f'; {s.material.name} wants {own:g} mm/s there'}.",
        remedy=f"At most {good:g} mm/s for a closed face.",
        value=speed,
        limit=most,
        reason="A strand that is dragged over gaps tears and leaves pinholes.",
        source="Common practice, typical figure" if own is None else "The plastic's description",
        where=s.spots("flat_top"),
        remedies=[remedy(f"Tops at {good:g} mm/s", {"speed_mm_s.top": good})],
    )


def top_returns(s: RuleInput) -> Iterator[Finding]:
    """Top strokes that come back beside an older, cold edge."""
    if s.estimate is None or s.plan.shape.skins.order != "nearest" or s.estimate.returns_mm < RETURNS_MM:
        return
    order = "one_way" if s.house.smooth_top == "one_way" else "sweep"
    yield Finding(
        rule="top_returns",
        severity="note",
        field="skins.order",
        sentence=f"{s.estimate.returns_mm:.0f} mm of the tops’ strokes are laid against an edge that is older and cold.",
        remedy="Lay them in order, each beside the one before.",
        value=s.estimate.returns_mm,
        limit=RETURNS_MM,
        reason="A stroke that comes back beside a cold edge leaves a mark on a flat top.",
        source="The strokes in the order in which they are laid",
        where=s.spots("flat_top"),
        school=s.convention("smooth_top"),
        remedies=[remedy("Strokes in order", {"skins.order": order})],
    )


def ironing(s: RuleInput) -> Iterator[Finding]:
    """A second pass that takes a large part of the print."""
    if s.estimate is None or not s.has("ironing"):
        return
    share = s.seconds("ironing") / max(s.estimate.print_time_s, 1e-9)
    if share < IRONING_SHARE:
        return
    ways = []
    if s.plan.shape.ironing.kind == "all_tops":
        ways.append(remedy("Only the topmost faces", {"ironing.kind": "topmost"}))
    if s.house.smooth_top in ("in_order", "one_way"):
        order = "one_way" if s.house.smooth_top == "one_way" else "sweep"
        laid: dict[str, SettingValue] = {"ironing.kind": "none", "skins.order": order, "skins.extra_top": True}
        words = "one-way strokes" if order == "one_way" else "strokes in order"
        ways.append(remedy(f"One more layer with {words} instead", laid))
    ways.append(remedy("No ironing", {"ironing.kind": "none"}))
    yield Finding(
        rule="ironing",
        severity="waste",
        field="ironing.kind",
        sentence=f"Ironing takes {duration(s.seconds('ironing'))}, {100 * share:.0f} % of the print.",
        remedy="Iron only what is looked at, or lay one more layer in order.",
        value=share,
        limit=IRONING_SHARE,
        reason="The second pass runs over each face in lines a third of a bore apart.",
        source="Area over spacing and speed",
        school=s.convention("smooth_top"),
        where=s.spots("flat_top"),
        remedies=ways,
    )


def face_down(s: RuleInput) -> Iterator[Finding]:
    """Where the house smooths tops by printing them face down, a broad flat top on this side is told."""
    if s.insight is None or s.house.smooth_top != "face_down" or s.insight.flat_top_mm2 < BROAD_TOP_MM2:
        return
    yield Finding(
        rule="face_down",
        severity="note",
        field="part",
        sentence=f"{s.insight.flat_top_mm2 / 100:.1f} cm² of flat top face up; the house prints such faces down.",
        remedy="Stand it on that face: see the ways to stand under Get ready.",
        value=s.insight.flat_top_mm2,
        limit=BROAD_TOP_MM2,
        reason="The bed is flatter than any stroke.",
        source="House rule",
        school=s.convention("smooth_top"),
        where=s.spots("flat_top"),
    )


def ripples(s: RuleInput) -> Iterator[Finding]:
    """Acceleration of the outer wall above what this machine shows clean."""
    limit, asked = s.printer.clean_acceleration, s.plan.outer_wall_acceleration_mm_s2
    if asked <= limit + 1e-9:
        return
    severity: Severity
    if s.printer.clean_acceleration_mm_s2 is not None:
        severity, whose, source = "risk", "this machine shows", "This machine's own figure"
    else:
        severity, whose, source = "note", "such machines often show", "Typical for this kind of machine"
    yield Finding(
        rule="ripples",
        severity=severity,
        field="acceleration_mm_s2.outer_wall",
        sentence=f"The outer wall is asked to speed up by {asked:g} mm/s²; {whose} ripple above {limit:g}.",
        remedy=f"At most {limit:g} mm/s² outside.",
        value=asked,
        limit=limit,
        reason="The frame rings after each corner, and the wall shows it. A faster setting that spoils the surface on this "
        "machine is not a saving.",
        source=source,
        remedies=[remedy(f"{limit:g} mm/s² outside", {"acceleration_mm_s2.outer_wall": limit})],
    )


def seam(s: RuleInput) -> Iterator[Finding]:
    """Where loops begin, against the house's school."""
    place = s.plan.shape.seam
    if s.plan.shape.spiral or s.plan.shape.walls == 0:
        return
    if s.house.seam == "hidden" and place in ("nearest", "scattered"):
        requested, label = "back", "At the back"
    elif s.house.seam == "scattered" and place != "scattered":
        requested, label = "scattered", "Scattered"
    else:
        return
    yield Finding(
        rule="seam",
        severity="note",
        field="seam",
        sentence=f"Loops begin {'wherever is nearest' if place == 'nearest' else 'at the ' + place if place != 'scattered' else 'all over'}"
        ": the seam comes into view.",
        remedy=f"{label}.",
        reason="Each loop leaves a mark where it begins and ends.",
        source="House rule",
        school=s.convention("seam"),
        remedies=[remedy(label, {"seam": requested})],
    )
