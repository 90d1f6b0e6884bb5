"""Rules of cooling: layers that wait or end too soon, and fans."""

from __future__ import annotations

from collections.abc import Iterator

from meanbead.core.model.finding import Finding
from meanbead.core.rules.rule_input import RuleInput, ceil_to, floor_to, remedy
from meanbead.core.text.durations import duration

__all__ = ["fan", "short_layers", "waiting"]

WAITING_SHARE = 0.05
SHORT_LAYER_S = 5.0


def waiting(s: RuleInput) -> Iterator[Finding]:
    """Layers that have to be slowed for cooling."""
    if s.estimate is None:
        return
    lost, total = s.estimate.by_cause.layer_cooling_s, s.estimate.print_time_s
    if lost < WAITING_SHARE * total:
        return
    count = s.plan.shape.copies.count
    ways = []
    if s.plan.shape.copies.order == "by_layer" and not s.plan.shape.spiral:
        ways = [remedy(f"{n} at once", {"copies.count": n}) for n in (count * 2, count * 4, count * 8) if n <= 64]
    yield Finding(
        rule="cooling_time",
        severity="note",
        field="cooling.min_layer_time_s",
        sentence=(
            f"Small layers are slowed towards {s.plan.min_layer_time_s:g} s so that they can harden: {duration(lost)}, "
            f"{100 * lost / total:.0f} % of the print. No speed can win that back."
        ),
        remedy="Print several at once, so that one cools while another is laid.",
        value=lost / total,
        limit=WAITING_SHARE,
        reason="A layer on one that is still soft is pushed out of place.",
        source="The recipe's least layer time",
        remedies=ways,
    )


def short_layers(s: RuleInput) -> Iterator[Finding]:
    """Layers too short to harden: because little is asked for, or because even the slowest pace ends them too soon."""
    if s.estimate is None:
        return
    asked, estimate = s.plan.min_layer_time_s, s.estimate
    if asked < SHORT_LAYER_S:
        if s.insight is None or estimate.print_time_s / max(estimate.layers, 1) > 3 * SHORT_LAYER_S:
            return
        yield Finding(
            rule="short_layers",
            severity="risk",
            field="cooling.min_layer_time_s",
            sentence=f"Layers may end after {asked:g} s: small ones are still soft then.",
            remedy="At least 8 s, or several at once, or a slower tip.",
            value=asked,
            limit=SHORT_LAYER_S,
            reason="The next layer brings more heat than the fan can take away in that time.",
            source="Common practice, typical figure",
            remedies=[remedy("8 s", {"cooling.min_layer_time_s": 8.0})],
        )
        return
    if not estimate.short_layers:
        return
    count, shortest = estimate.short_layers, estimate.shortest_layer_s
    layers = f"{count:,} layer{'s' if count > 1 else ''}"
    waited = sum(share.time_s for name, share in estimate.by_feature.items() if name == "wait")
    slowed = f"though slowed to {s.plan.min_speed_mm_s:g} mm/s"
    ends = f"{layers} end after as little as" if count > 1 else f"{layers} ends after"
    they = "they are" if count > 1 else "it is"
    says = {
        "slow": f"{ends} {shortest:.1f} s, {slowed}: {they} soft when the next comes.",
        "wait": f"On {layers} the nozzle stands still, {duration(waited)} in all, {slowed}: it leaves a blob each time.",
        "lift_and_wait": f"After {layers} the nozzle goes aside and waits, {duration(waited)} in all, {slowed}: it oozes "
        "meanwhile.",
    }[s.plan.short_layers]
    yield Finding(
        rule="still_short_layers",
        severity="risk" if s.plan.short_layers == "slow" and shortest < SHORT_LAYER_S else "note",
        field="cooling.short_layers",
        sentence=says,
        remedy="Several at once: one cools while another is laid.",
        value=shortest,
        limit=asked,
        reason="The next layer brings more heat than the fan can take away in that time.",
        source="The recipe's least layer time and slowest pace",
    )


def fan(s: RuleInput) -> Iterator[Finding]:
    """A fan that does not suit the plastic."""
    low, high, now = s.material.fan_min, s.material.fan_max, s.plan.fan
    if low - 1e-9 <= now <= high + 1e-9 or low > high:
        return
    much = now > high
    good = floor_to(high, 0.01) if much else ceil_to(low, 0.01)
    yield Finding(
        rule="fan",
        severity="risk",
        field="cooling.fan",
        sentence=f"The fan runs at {100 * now:.0f} %; {s.material.name} wants {100 * low:.0f} to {100 * high:.0f} %.",
        remedy=f"{100 * good:.0f} %.",
        value=now,
        limit=high if much else low,
        reason="Layers that are cooled too fast split and lift." if much else "Corners curl and overhangs sag.",
        source="The plastic's description",
        remedies=[remedy(f"{100 * good:.0f} %", {"cooling.fan": round(good, 2)})],
    )
