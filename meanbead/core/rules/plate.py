"""Rules of the whole print: room, copies, spool, hours, what has to come off again, layers that could not be cut."""

from __future__ import annotations

import math
from collections.abc import Iterator

from meanbead.core.model.finding import Finding
from meanbead.core.rules.rule_input import RuleInput, remedy
from meanbead.core.text.durations import duration

__all__ = [
    "copies_in_turn",
    "layers_from_neighbours",
    "long_print",
    "room_on_machine",
    "spool",
    "trimming",
]


def room_on_machine(s: RuleInput) -> Iterator[Finding]:
    """The part, its copies and its start must fit the machine."""
    bed, size = s.printer.bed_mm, s.facts.extents_mm
    wide, deep = (size.x, size.y) if s.estimate is None else s.estimate.plate_mm
    wide, deep = max(wide, size.x), max(deep, size.y)
    count = s.plan.shape.copies.count
    common = {
        "rule": "room_on_machine",
        "severity": "stop",
        "source": "The machine's description",
        "reason": "Moves beyond the bed end in a stop, or in a crash.",
    }
    if size.z <= bed.z and ((wide <= bed.x and deep <= bed.y) or (deep <= bed.x and wide <= bed.y)):
        return
    if count > 1:
        fewer = [n for n in sorted({count // 2, count // 4, 2, 1}, reverse=True) if 1 <= n < count]
        yield Finding(
            field="copies.count",
            sentence=(
                f"{count} copies take {wide:.0f} x {deep:.0f} x {size.z:.0f} mm; "
                f"the machine prints {bed.x:g} x {bed.y:g} x {bed.z:g} mm."
            ),
            remedy="Print fewer at once, or move them closer together.",
            remedies=[remedy(f"{n} at once", {"copies.count": n}) for n in fewer],
            **common,
        )
    elif size.z <= bed.z and size.x <= bed.x and size.y <= bed.y:
        yield Finding(
            field="adhesion.kind",
            sentence=(
                f"With its {s.plan.shape.adhesion} the part takes {wide:.0f} x {deep:.0f} mm; the bed has "
                f"{bed.x:g} x {bed.y:g} mm."
            ),
            remedy="Lay the start closer to the part, or leave it out.",
            remedies=[
                remedy(
                    "A skirt 1 mm away", {"adhesion.kind": "skirt", "adhesion.distance_mm": 1.0, "adhesion.loops": 1}
                ),
                remedy("No skirt or brim", {"adhesion.kind": "none"}),
            ],
            **common,
        )
    else:
        yield Finding(
            field="printer.bed_mm",
            sentence=(
                f"The part is {size.x:.0f} x {size.y:.0f} x {size.z:.0f} mm; "
                f"the machine prints {bed.x:g} x {bed.y:g} x {bed.z:g} mm."
            ),
            remedy="Choose a larger machine, turn the part, or cut it.",
            **common,
        )


def copies_in_turn(s: RuleInput) -> Iterator[Finding]:
    """A finished copy stands in the way of the head that prints the next."""
    copies = s.plan.shape.copies
    if copies.count < 2 or copies.order != "one_by_one":
        return
    yield Finding(
        rule="copies_in_turn",
        severity="risk",
        field="copies.order",
        sentence=f"Copies one after the other stand {copies.gap_mm:g} mm apart and {s.facts.extents_mm.z:.0f} mm high.",
        remedy="Measure that the head and what carries it pass the finished ones; if not, print layer by layer.",
        reason="A head that hits a finished copy knocks it off and may be damaged.",
        source="Common practice",
        remedies=[remedy("Layer by layer", {"copies.order": "by_layer"})],
    )


def spool(s: RuleInput) -> Iterator[Finding]:
    """More filament than the spool holds."""
    left = s.shop.spool_left_g
    if s.estimate is None or left is None or s.estimate.filament_g <= left:
        return
    yield Finding(
        rule="spool",
        severity="risk",
        field="spool",
        sentence=f"It takes {s.estimate.filament_g:.0f} g; {left:.0f} g are left on {s.shop.spool_name or 'the spool'}.",
        remedy="Another spool, or be there to change it.",
        value=s.estimate.filament_g,
        limit=left,
        reason="A print that runs dry at night is lost.",
        source="What the shelf knows of the spool",
    )


def long_print(s: RuleInput) -> Iterator[Finding]:
    """Hours in which something can go wrong, and what that costs on average."""
    if s.estimate is None or s.estimate.whole_time_s < s.shop.long_print_h * 3600:
        return
    hours = s.estimate.whole_time_s / 3600
    success = math.exp(-s.shop.fault_rate_per_h * hours)
    cost = s.estimate.cost
    yield Finding(
        rule="long_print",
        severity="note",
        field="part",
        sentence=f"It runs {duration(s.estimate.whole_time_s)}: about one in {1 / max(1 - success, 1e-6):.0f} such prints fails, so that a good one "
        f"costs {cost / success:.2f} instead of {cost:.2f}.",
        remedy="A faster recipe, or two shorter prints.",
        value=hours,
        limit=s.shop.long_print_h,
        reason="Every extra hour is one more in which something can go wrong: P = exp(-rate x hours).",
        source=f"{s.shop.fault_rate_per_h:.3g} faults an hour, "
        + (s.shop.fault_rate_says or "typical until the log says better"),
    )


def layers_from_neighbours(s: RuleInput) -> Iterator[Finding]:
    """Layers that could not be cut are said, not hidden."""
    if s.estimate is None or not s.estimate.substituted:
        return
    numbers = s.estimate.substituted
    more = f" and {len(numbers) - 5} more" if len(numbers) > 5 else ""
    yield Finding(
        rule="layers_from_neighbours",
        severity="note",
        field="part",
        sentence=f"Layer {', '.join(str(number + 1) for number in numbers[:5])}{more} could not be cut from this mesh; their "
        "neighbours stand in for them.",
        remedy="Repair the mesh where it is made and add it again.",
        value=float(len(numbers)),
        reason="The mesh has a flaw at that height.",
        source="The sections",
    )


def trimming(s: RuleInput) -> Iterator[Finding]:
    """What has to come off again."""
    what = []
    if s.has("support") or s.has("support_interface"):
        what.append("supports")
    if s.has("brim"):
        what.append("the brim")
    if s.plan.shape.adhesion == "raft":
        what.append("the raft")
    if not what:
        return
    yield Finding(
        rule="trimming",
        severity="caution",
        field="supports.kind" if what[0] == "supports" else "adhesion.kind",
        sentence=f"{' and '.join(what).capitalize()} must be cut off: chips fly and blades slip.",
        remedy="Wear eye protection and cut away from fingers.",
        reason="Hard plastic breaks into sharp pieces.",
        source="Common practice",
    )
