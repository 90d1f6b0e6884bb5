"""Rules of what hangs in the air: overhangs, bridges, supports, and another way to stand."""

from __future__ import annotations

from collections.abc import Iterator

from meanbead.core.formulas.surface import (
    SHOWS_MM2,
    clean_angle_deg,
    clean_overhang_deg,
    cooled_share,
    hanging_level_mm2,
    steepest_overhang_deg,
)
from meanbead.core.model.finding import Finding
from meanbead.core.rules.bead import LOWEST_PER_BORE
from meanbead.core.rules.rule_input import RuleInput, floor_to, remedy
from meanbead.core.text.durations import duration

__all__ = [
    "bridge_pace",
    "hanging_floor",
    "long_bridge",
    "needless_supports",
    "overhang",
    "support_interface",
    "supports_left_out",
]

LONG_BRIDGE_MM = 30.0
FAST_BRIDGE_MM_S = 35.0
RICH_BRIDGE = 1.0


def overhang(s: RuleInput) -> Iterator[Finding]:
    """What leans out further than this bead carries on this machine, and is not held."""
    if s.insight is None or _held(s):
        return
    steepest, clean, level = (
        steepest_overhang_deg(s.insight),
        clean_overhang_deg(s.plan, s.printer),
        hanging_level_mm2(s.insight),
    )
    leans = steepest > clean + 0.5
    # What the engine has found hanging has a finding of its own.
    hangs = level > SHOWS_MM2 and (s.estimate is None or s.estimate.hanging_mm2 < SHOWS_MM2)
    if not (leans or hangs):
        return
    angle = max(5.0, floor_to(min(clean, 85.0), 1))
    ways = [remedy("Supports", {"supports.kind": "columns", "supports.angle_deg": angle})]
    if leans and not hangs and s.plan.shape.slope_heights is None:
        lower = _height_that_carries(s, steepest)
        if lower is not None:
            ways.insert(0, remedy(f"Layers of {lower:g} mm", {"layer_height_mm": lower}))
    parts = []
    if leans:
        parts.append(f"leans out by {steepest:.0f}°, and this bead prints clean up to {clean:.0f}° on this machine")
    if hangs:
        parts.append(f"has {level / 100:.1f} cm² of level underside in the air")
    other = s.lying_overhang_mm2
    turn = other is not None and other < 0.1 * s.insight.overhang_mm2
    yield Finding(
        rule="overhang",
        severity="risk",
        field="supports.kind",
        sentence=f"The part {' and '.join(parts)}.",
        remedy="Stood another way it would need no support: see Get ready."
        if turn
        else "Supports, or another way to stand.",
        value=steepest if leans else level,
        limit=clean if leans else SHOWS_MM2,
        reason="Each layer leans out as a lip: thick ones set slowly and droop, thin ones of wide lines curl.",
        source=_limit_source(s),
        where=s.spots("overhang"),
        remedies=ways,
    )


def _limit_source(s: RuleInput) -> str:
    if any(abs(test.bore_mm - s.nozzle.bore_mm) < 0.03 for test in s.printer.measured_overhangs):
        return "Measured with an overhang piece on this machine"
    return f"The machine's limit of {s.printer.overhang_limit_deg:g}° at 0.44 × 0.2 mm, typical to about 5°"


def _height_that_carries(s: RuleInput, angle_deg: float) -> float | None:
    """The highest layer under the present one, on the grid, whose bead prints an overhang clean; None if none does."""
    bore, width = s.nozzle.bore_mm, s.plan.shape.width_mm.outer_wall
    cooled = cooled_share(s.plan.fan, s.plan.min_layer_time_s)
    height = s.floor_step(s.plan.shape.layer_height_mm - s.step_mm)
    while height >= LOWEST_PER_BORE * bore - 1e-9:
        if clean_angle_deg(bore, height, width, s.printer, cooled) >= angle_deg - 0.5:
            return height
        height = round(height - s.step_mm, 5)
    return None


def hanging_floor(s: RuleInput) -> Iterator[Finding]:
    """A floor that nothing holds on its other side: it is laid as a bridge, and sags."""
    found = s.estimate
    if found is None or found.hanging_mm2 < SHOWS_MM2 or s.plan.shape.supports.kind != "none":
        return
    other = s.lying_overhang_mm2
    turn = other is not None and s.insight is not None and other < 0.1 * s.insight.overhang_mm2
    angle = max(5.0, floor_to(min(clean_overhang_deg(s.plan, s.printer), 85.0), 1))
    yield Finding(
        rule="hanging_floor",
        severity="risk",
        field="supports.kind",
        sentence=f"{found.hanging_at_mm:.1f} mm up a floor hangs in the air, up to {found.hanging_width_mm:.0f} mm wide, "
        f"{found.hanging_mm2 / 100:.1f} cm² of hanging floors in all: laid as bridges that are not held on both sides.",
        remedy="Stood another way it would need no support: see Get ready."
        if turn
        else "Supports, or another way to stand.",
        value=found.hanging_mm2,
        limit=SHOWS_MM2,
        reason="A strand that ends in the air has nothing to be pulled taut against.",
        source="The layer's section against the one below",
        where=s.spots("overhang"),
        remedies=[remedy("Supports", {"supports.kind": "columns", "supports.angle_deg": angle})],
    )


def _held(s: RuleInput) -> bool:
    """Whether supports stand under what this bead cannot carry."""
    supports = s.plan.shape.supports
    return supports.kind != "none" and supports.angle_deg <= clean_overhang_deg(s.plan, s.printer) + 0.5


def _longest_mm(s: RuleInput) -> float:
    """The longest bridge that the machine lays clean: measured, or typical."""
    return s.printer.bridge_span_mm or LONG_BRIDGE_MM


def long_bridge(s: RuleInput) -> Iterator[Finding]:
    """A span longer than strands hang straight over."""
    if s.insight is None or s.insight.longest_bridge_mm <= _longest_mm(s) or s.plan.shape.supports.kind != "none":
        return
    yield Finding(
        rule="long_bridge",
        severity="risk",
        field="supports.kind",
        sentence=f"A bridge spans {s.insight.longest_bridge_mm:.0f} mm.",
        remedy="Supports, or another way to stand.",
        value=s.insight.longest_bridge_mm,
        limit=_longest_mm(s),
        reason="A strand sags by its own weight and warmth before it is hard.",
        source=(
            "Measured with a bridge ladder on this machine"
            if s.printer.bridge_span_mm is not None
            else "Common practice, typical figure; a test piece tells this machine's own"
        ),
        where=s.spots("bridge"),
        remedies=[remedy("Supports", {"supports.kind": "columns"})],
    )


def bridge_pace(s: RuleInput) -> Iterator[Finding]:
    """Bridges are laid slow and a little lean, so that the strand is pulled taut."""
    if not s.has("bridge"):
        return
    speed, flow = s.plan.speed_mm_s.bridge, s.plan.shape.bridge_flow_ratio
    if speed > FAST_BRIDGE_MM_S:
        yield Finding(
            rule="fast_bridge",
            severity="risk",
            field="speed_mm_s.bridge",
            sentence=f"Bridges are laid at {speed:g} mm/s.",
            remedy=f"At most {FAST_BRIDGE_MM_S:g} mm/s.",
            value=speed,
            limit=FAST_BRIDGE_MM_S,
            reason="The strand has to harden while it hangs, and breaks when it is dragged.",
            source="Common practice, typical figure",
            where=s.spots("bridge"),
            remedies=[remedy("Bridges at 25 mm/s", {"speed_mm_s.bridge": 25.0})],
        )
    if flow > RICH_BRIDGE:
        yield Finding(
            rule="rich_bridge",
            severity="risk",
            field="bridge_flow_ratio",
            sentence=f"Bridges get {100 * flow:.0f} % of their plastic.",
            remedy="Slightly less than full, so that the strand is pulled taut.",
            value=flow,
            limit=RICH_BRIDGE,
            reason="What is too much hangs down as loops.",
            source="Common practice",
            where=s.spots("bridge"),
            remedies=[remedy("90 %", {"bridge_flow_ratio": 0.9})],
        )


def support_interface(s: RuleInput) -> Iterator[Finding]:
    """A single dense sheet peels off; a stack of them is a plate, and none leaves scars."""
    supports = s.plan.shape.supports
    if supports.kind == "none" or not s.has("support") or supports.interface_layers in (1, 2):
        return
    many = supports.interface_layers > 2
    yield Finding(
        rule="support_interface",
        severity="note",
        field="supports.interface_layers",
        sentence=f"{supports.interface_layers or 'No'} dense layers lie between supports and part.",
        remedy="One: it peels off.",
        value=float(supports.interface_layers),
        limit=1.0,
        reason="Several weld into one plate that has to be torn off."
        if many
        else "The part's underside rests on single lines.",
        source="Common practice",
        remedies=[remedy("One layer", {"supports.interface_layers": 1})],
    )


def supports_left_out(s: RuleInput) -> Iterator[Finding]:
    """Overhangs that ask for supports, where the gap beside the part leaves no room for any."""
    supports, found = s.plan.shape.supports, s.estimate
    if supports.kind == "none" or found is None or found.left_out_mm2 < SHOWS_MM2:
        return
    reach = " or the bed is out of reach" if supports.bed_only else ""
    yield Finding(
        rule="supports_left_out",
        severity="note",
        field="supports.gap_mm",
        sentence=f"{found.left_out_mm2 / 100:.1f} cm² of overhangs steeper than {supports.angle_deg:g}° get no support: the "
        f"gap in XY of {supports.gap_mm:g} mm leaves no room for it{reach}.",
        remedy="Use a smaller support gap in XY, or no supports where the overhang prints clean enough.",
        value=found.left_out_mm2,
        limit=SHOWS_MM2,
        reason="On a steep slope each layer stands out by less than the gap, so that a support would touch the part.",
        source="The overhangs against what stands under them",
        where=s.spots("overhang"),
    )


def needless_supports(s: RuleInput) -> Iterator[Finding]:
    """Supports that are laid where this bead carries itself."""
    if (
        s.insight is None
        or s.plan.shape.supports.kind == "none"
        or not (s.has("support") or s.has("support_interface"))
    ):
        return
    steepest, clean = steepest_overhang_deg(s.insight), clean_overhang_deg(s.plan, s.printer)
    if (
        steepest > clean + 0.5
        or hanging_level_mm2(s.insight) > SHOWS_MM2
        or s.insight.longest_bridge_mm > _longest_mm(s)
    ):
        return
    took_s = s.seconds("support", "support_interface")
    yield Finding(
        rule="needless_supports",
        severity="waste",
        field="supports.kind",
        sentence=f"Supports take {duration(took_s)} under overhangs that this bead carries: nothing leans out by more than "
        f"{clean:.0f}°.",
        remedy="Leave them out.",
        value=steepest,
        limit=clean,
        reason="They cost time and plastic, and leave scars.",
        source=_limit_source(s),
        remedies=[remedy("No supports", {"supports.kind": "none"})],
    )
