"""Rules of travel: retraction at short hops, too much travel."""

from __future__ import annotations

from collections.abc import Iterator

from meanbead.core.model.finding import Finding
from meanbead.core.rules.rule_input import RuleInput, remedy

__all__ = ["short_hops", "too_much_travel"]

SHORT_HOP_MM = 1.0
HOP_SHARE = 0.04
TRAVEL_SHARE = 1 / 3


def short_hops(s: RuleInput) -> Iterator[Finding]:
    """Pulling filament back at every short hop."""
    if s.estimate is None or s.plan.min_travel_mm >= SHORT_HOP_MM or s.house.retraction == "every_hop":
        return
    share = s.estimate.by_cause.retracting_s / max(s.estimate.print_time_s, 1e-9)
    if share < HOP_SHARE:
        return
    yield Finding(
        rule="short_hops",
        severity="waste",
        field="retraction.min_travel_mm",
        sentence=f"{s.estimate.retractions:,} retractions take {100 * share:.0f} % of the print, many at short hops.",
        remedy="Pull back only before travels of 2 mm and more.",
        value=s.plan.min_travel_mm,
        limit=SHORT_HOP_MM,
        reason="A pull at a short hop rarely shows, takes its time, and grinds the filament.",
        source="The ledger by cause",
        school=s.convention("retraction"),
        remedies=[remedy("From 2 mm on", {"retraction.min_travel_mm": 2.0})],
    )


def too_much_travel(s: RuleInput) -> Iterator[Finding]:
    """More than a third of the print without plastic, and the setting that causes it."""
    if s.estimate is None:
        return
    causes, total = s.estimate.by_cause, max(s.estimate.print_time_s, 1e-9)
    moving, pulling = causes.travelling_s / total, causes.retracting_s / total
    if moving + pulling < TRAVEL_SHARE:
        return
    fastest = min(s.printer.max_speed_mm_s.x, s.printer.max_speed_mm_s.y)
    ways = []
    if s.plan.shape.travel == "straight" and s.house.retraction != "every_hop":
        ways.append(remedy("Travel inside the part", {"travel": "inside"}))
    if pulling > 0.3 * (moving + pulling) and s.plan.min_travel_mm < 5 and s.house.retraction != "every_hop":
        ways.append(remedy("Retract from 5 mm on", {"retraction.min_travel_mm": 5.0}))
    if s.plan.speed_mm_s.travel < 0.9 * fastest:
        ways.append(remedy(f"Travel at {fastest:g} mm/s", {"speed_mm_s.travel": fastest}))
    if s.plan.shape.thin_walls == "fixed":
        ways.append(remedy("Let lines vary in width", {"thin_walls": "variable"}))
    cause = "pulling filament back" if pulling > moving else "travelling"
    yield Finding(
        rule="travel_share",
        severity="waste",
        field="retraction.min_travel_mm" if pulling > moving else "speed_mm_s.travel",
        sentence=f"{100 * (moving + pulling):.0f} % of the print lays no plastic, most of it {cause}: "
        f"{s.estimate.travel_mm / 1000:.0f} m of travel, {s.estimate.retractions:,} retractions.",
        remedy="Fewer or shorter travels, at the pace that the machine allows; the levers show what wins most.",
        value=moving + pulling,
        limit=TRAVEL_SHARE,
        reason="Many short strokes in separate places: thin walls, holes, or a filling that breaks up.",
        source="The ledger by cause",
        school=s.convention("retraction"),
        remedies=ways,
    )
