"""Rules of the start: what holds the part on the bed, what primes the nozzle, how fast the first layer is."""

from __future__ import annotations

from collections.abc import Iterator

from meanbead.core.model.finding import Finding, SettingValue
from meanbead.core.part.stability import STABLE_DEG
from meanbead.core.rules.rule_input import RuleInput, remedy
from meanbead.core.text.durations import duration

__all__ = ["first_layer_pace", "hold_on_bed", "no_chamber", "priming", "reasons_for_brim"]

FAST_FIRST_LAYER_MM_S = 40.0
BRIM_MM = 6.0
SLENDER = 4.0
WARP_LENGTH_MM = 60.0


def reasons_for_brim(s: RuleInput) -> list[str]:
    """Why the part wants more than a skirt, in words; empty where it does not."""
    if s.insight is None:
        return []
    reasons, insight = [], s.insight
    width = max(insight.footprint_width_mm, 1e-9)
    if insight.tip_angle_deg < STABLE_DEG:
        reasons.append(f"it falls when it leans by {insight.tip_angle_deg:.0f}°")
    elif insight.height_mm / width > SLENDER:
        reasons.append(f"it stands {insight.height_mm:.0f} mm high on {width:.0f} mm")
    if s.material.warp_prone:
        long = max(s.facts.extents_mm.x, s.facts.extents_mm.y) > WARP_LENGTH_MM
        if s.house.adhesion == "brim_for_warp":
            reasons.append(f"{s.material.name} warps")
        elif insight.sharp_corners > 0 or long:
            what = f"{insight.sharp_corners} sharp corners" if insight.sharp_corners else "its length"
            reasons.append(f"{s.material.name} warps, and {what} will lift")
    return reasons


def hold_on_bed(s: RuleInput) -> Iterator[Finding]:
    """Too little hold for this part and plastic, or more than it needs."""
    if s.insight is None:
        return
    kind, reasons = s.plan.shape.adhesion, reasons_for_brim(s)
    if kind in ("none", "skirt") and reasons:
        yield Finding(
            rule="needs_brim",
            severity="note" if s.printer.enclosed and len(reasons) == 1 and "warps" in reasons[0] else "risk",
            field="adhesion.kind",
            sentence=f"Nothing but a skirt holds it: {' and '.join(reasons)}.",
            remedy=f"A brim of {BRIM_MM:g} mm. It has to be trimmed.",
            value=s.insight.tip_angle_deg,
            limit=STABLE_DEG,
            reason="What lets go is lost whole, however late; a brim is cut off in a minute.",
            source="Footprint against height, and the plastic's habit",
            school=s.convention("adhesion"),
            where=s.spots("corner"),
            remedies=[remedy(f"A brim of {BRIM_MM:g} mm", {"adhesion.kind": "brim", "adhesion.width_mm": BRIM_MM})],
        )
    elif kind == "brim" and not reasons:
        yield Finding(
            rule="needless_brim",
            severity="waste",
            field="adhesion.kind",
            sentence=f"The brim takes {duration(s.seconds('brim'))} and has to be trimmed; nothing here asks for it.",
            remedy="A skirt will do.",
            reason="The part stands wide enough, and its plastic hardly warps.",
            source="Footprint against height, and the plastic's habit",
            school=s.convention("adhesion"),
            remedies=[remedy("A skirt", {"adhesion.kind": "skirt", "adhesion.loops": 1})],
        )
    elif kind == "raft" and s.house.adhesion != "raft":
        other = "brim" if reasons else "skirt"
        more = {"adhesion.width_mm": BRIM_MM} if reasons else {"adhesion.loops": 1}
        yield Finding(
            rule="needless_raft",
            severity="waste",
            field="adhesion.kind",
            sentence=f"The raft takes {duration(s.seconds('raft'))} and leaves a rough underside.",
            remedy=f"A {other} holds as well on a level bed.",
            reason="Rafts are for beds that cannot be levelled, or have no heat.",
            source="Common practice",
            school=s.convention("adhesion"),
            remedies=[remedy(f"A {other}", {"adhesion.kind": other, **more})],
        )


def no_chamber(s: RuleInput) -> Iterator[Finding]:
    """A tall part of a plastic that warps, in the open."""
    if not s.material.warp_prone or s.printer.enclosed or s.facts.extents_mm.z < 50:
        return
    yield Finding(
        rule="no_chamber",
        severity="risk",
        field="material",
        sentence=f"{s.material.name} in the open, {s.facts.extents_mm.z:.0f} mm high: layers may split as they cool.",
        remedy="A chamber, or a plastic that shrinks less. Never wrap a machine beyond what its maker allows.",
        value=s.facts.extents_mm.z,
        limit=50.0,
        reason="Each layer shrinks on a colder one below.",
        source="The plastic's habit",
    )


def priming(s: RuleInput) -> Iterator[Finding]:
    """Nothing is laid before the part begins."""
    shape = s.plan.shape
    if not (shape.adhesion == "none" or (shape.adhesion == "skirt" and shape.skirt_loops == 0)):
        return
    loops: dict[str, SettingValue] = {"adhesion.kind": "skirt", "adhesion.loops": 1}
    yield Finding(
        rule="no_prime",
        severity="note",
        field="adhesion.kind",
        sentence="The part begins with the nozzle's first plastic.",
        remedy="One loop of skirt primes it, takes the blob and shows the level.",
        reason="The first centimetres come out uneven.",
        source="Common practice",
        school=s.convention("adhesion"),
        remedies=[] if reasons_for_brim(s) else [remedy("One loop of skirt", loops)],
    )


def first_layer_pace(s: RuleInput) -> Iterator[Finding]:
    """A first layer laid too fast to stick."""
    speed = s.plan.speed_mm_s.first_layer
    if speed <= FAST_FIRST_LAYER_MM_S:
        return
    yield Finding(
        rule="fast_first_layer",
        severity="risk",
        field="speed_mm_s.first_layer",
        sentence=f"The first layer is laid at {speed:g} mm/s.",
        remedy="About 25 mm/s, so that it sticks.",
        value=speed,
        limit=FAST_FIRST_LAYER_MM_S,
        reason="Plastic needs a moment on the bed to wet it; corners are dragged up before they hold.",
        source="Common practice, typical figure",
        where=s.spots("corner"),
        remedies=[remedy("25 mm/s", {"speed_mm_s.first_layer": 25.0})],
    )
