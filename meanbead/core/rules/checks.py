"""The rules. Each looks at one thing and returns a finding or None; :func:`findings` runs them all, gravest first."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from meanbead.core.melt import MeltCeiling, temperature_for_flow_c
from meanbead.core.plan import Plan
from meanbead.core.vocabulary.estimate import Causes, FeatureShare, Finding, Severity
from meanbead.core.vocabulary.material import Material
from meanbead.core.vocabulary.nozzle import Nozzle
from meanbead.core.vocabulary.part import PartFacts
from meanbead.core.vocabulary.printer import Printer

PTFE_LIMIT_C = 240.0
HIGHEST_LAYER_PER_BORE = 0.75
LOWEST_LAYER_PER_BORE = 0.25
WIDEST_LINE_PER_BORE = 1.5
SOFT_METALS = ("brass", "plated_copper")


@dataclass(frozen=True)
class Situation:
    """All that a rule may look at."""

    plan: Plan
    printer: Printer
    nozzle: Nozzle
    material: Material
    ceiling: MeltCeiling
    facts: PartFacts
    by_feature: dict[str, FeatureShare]
    by_cause: Causes
    plate_mm: tuple[float, float]
    """Size of all that is laid, x and y: copies, skirt, brim and raft with the part."""
    lost_share: float = 0.0
    substituted: tuple[int, ...] = ()


def findings(situation: Situation) -> list[Finding]:
    """All findings on a recipe, gravest first."""
    order: dict[Severity, int] = {"stop": 0, "risk": 1, "waste": 2, "note": 3}
    found = [finding for rule in _RULES if (finding := rule(situation)) is not None]
    return sorted(found, key=lambda finding: order[finding.severity])


def ptfe_lining(s: Situation) -> Finding | None:
    """A PTFE lining gives off toxic fumes when too hot."""
    if s.printer.hotend.lining != "ptfe" or s.plan.nozzle_temp_c <= PTFE_LIMIT_C:
        return None
    return Finding(
        rule="ptfe_lining",
        severity="stop",
        field="nozzle_temp_c",
        sentence=f"This hot end is lined with PTFE: above about {PTFE_LIMIT_C:g} °C the lining gives off toxic fumes.",
        remedy=f"Stay at or below {PTFE_LIMIT_C:g} °C and the maker's own limit, or use an all-metal hot end.",
        value=s.plan.nozzle_temp_c,
        limit=PTFE_LIMIT_C,
    )


def hot_end_limit(s: Situation) -> Finding | None:
    """The maker's limit of the hot end."""
    if s.plan.nozzle_temp_c <= s.printer.hotend.max_temp_c:
        return None
    return Finding(
        rule="hot_end_limit",
        severity="stop",
        field="nozzle_temp_c",
        sentence=f"{s.plan.nozzle_temp_c:g} °C is above this hot end's limit of {s.printer.hotend.max_temp_c:g} °C.",
        remedy="Lower the temperature. Never raise a firmware limit or defeat thermal-runaway protection.",
        value=s.plan.nozzle_temp_c,
        limit=s.printer.hotend.max_temp_c,
    )


def room_on_machine(s: Situation) -> Finding | None:
    """The part must fit the machine."""
    bed, size, (wide, deep) = s.printer.bed_mm, s.facts.extents_mm, s.plate_mm
    wide, deep = max(wide, size.x), max(deep, size.y)
    fits = size.z <= bed.z and ((wide <= bed.x and deep <= bed.y) or (deep <= bed.x and wide <= bed.y))
    if fits:
        return None
    if s.plan.shape.copies.count > 1:
        return Finding(
            rule="room_on_machine",
            severity="stop",
            field="copies.count",
            sentence=(
                f"{s.plan.shape.copies.count} copies take {wide:.0f} x {deep:.0f} x {size.z:.0f} mm; "
                f"the machine prints {bed.x:g} x {bed.y:g} x {bed.z:g} mm."
            ),
            remedy="Print fewer at once, or move them closer together.",
        )
    if size.z <= bed.z and size.x <= bed.x and size.y <= bed.y:
        return Finding(
            rule="room_on_machine",
            severity="stop",
            field="adhesion.kind",
            sentence=(
                f"With its {s.plan.shape.adhesion} the part takes {wide:.0f} x {deep:.0f} mm; the bed has "
                f"{bed.x:g} x {bed.y:g} mm."
            ),
            remedy="Lay the start closer to the part, or leave it out.",
        )
    return Finding(
        rule="room_on_machine",
        severity="stop",
        field="printer.bed_mm",
        sentence=(
            f"The part is {size.x:.0f} x {size.y:.0f} x {size.z:.0f} mm; "
            f"the machine prints {bed.x:g} x {bed.y:g} x {bed.z:g} mm."
        ),
        remedy="Choose a larger machine, turn the part, or cut it.",
    )


def material_window(s: Situation) -> Finding | None:
    """The temperature window of the plastic."""
    low, high, temp = s.material.nozzle_temp_min_c, s.material.nozzle_temp_max_c, s.plan.nozzle_temp_c
    if low <= temp <= high:
        return None
    what = "weak layers and a blocked drive" if temp < low else "ooze, stringing and burnt plastic"
    return Finding(
        rule="material_window",
        severity="risk",
        field="nozzle_temp_c",
        sentence=f"{temp:g} °C is outside {s.material.name}'s window of {low:g} to {high:g} °C: expect {what}.",
        remedy=f"Set {min(max(temp, low), high):g} °C.",
        value=temp,
        limit=low if temp < low else high,
    )


def melt_cap(s: Situation) -> Finding | None:
    """Speeds that the hot end cannot melt fast enough for."""
    capped = {name: share for name, share in s.by_feature.items() if share.capped}
    if not capped:
        return None
    asked = max(share.asked_flow_mm3_s for share in capped.values())
    limit = s.ceiling.plan_mm3_s
    most = min(s.material.nozzle_temp_max_c, s.printer.hotend.max_temp_c)
    if s.printer.hotend.lining == "ptfe":
        most = min(most, PTFE_LIMIT_C)
    temp = temperature_for_flow_c(s.printer, s.nozzle, s.material, asked, most)
    hotter = f"{temp:.0f} °C would melt it" if temp is not None else f"not even {most:g} °C would melt it"
    names = ", ".join(name.replace("_", " ") for name in capped)
    return Finding(
        rule="melt_cap",
        severity="note",
        field="speed_mm_s",
        sentence=(
            f"Slowed to what the hot end melts: {names}. Asked for {asked:.1f} mm³/s, the ceiling is {limit:.1f} mm³/s "
            f"({s.ceiling.source}); {hotter}. It costs {s.by_cause.melt_ceiling_s / 60:.0f} min."
        ),
        remedy=(
            f"A smaller bead{', a hotter nozzle' if temp is not None else ''} or a longer melt zone; "
            "a higher speed changes nothing."
        ),
        value=asked,
        limit=limit,
    )


def layer_height_bounds(s: Situation) -> Finding | None:
    """Layer height between a quarter and three quarters of the bore (the cautious school)."""
    height, bore = s.plan.shape.layer_height_mm, s.nozzle.bore_mm
    high, low = HIGHEST_LAYER_PER_BORE * bore, LOWEST_LAYER_PER_BORE * bore
    if height > high + 1e-9:
        sentence = f"A {height:g} mm layer is over three quarters of the {bore:g} mm bore: layers press together badly."
        return Finding(
            rule="layer_height_bounds",
            severity="risk",
            field="layer_height_mm",
            sentence=sentence,
            remedy=f"At most {high:g} mm, or a larger nozzle.",
            value=height,
            limit=high,
        )
    if height < low - 1e-9:
        sentence = (
            f"A {height:g} mm layer is under a quarter of the {bore:g} mm bore: flow pulses and back-pressure show."
        )
        return Finding(
            rule="layer_height_bounds",
            severity="risk",
            field="layer_height_mm",
            sentence=sentence,
            remedy=f"At least {low:g} mm, or a smaller nozzle.",
            value=height,
            limit=low,
        )
    return None


def line_width_bounds(s: Situation) -> Finding | None:
    """Width against the bore: not narrower, nor wider than the nozzle's flat can press."""
    bore = s.nozzle.bore_mm
    widths = s.plan.shape.width_mm
    for name in ("outer_wall", "inner_wall", "infill", "solid", "top", "first_layer"):
        width = getattr(widths, name)
        label = name.replace("_", " ")
        if width > WIDEST_LINE_PER_BORE * bore + 1e-9:
            return Finding(
                rule="line_width_bounds",
                severity="risk",
                field=f"line_width_mm.{name}",
                sentence=f"The {label} line is {width:g} mm wide from a {bore:g} mm bore: few nozzle flats press that far.",
                remedy=f"At most {WIDEST_LINE_PER_BORE * bore:g} mm, or a larger nozzle.",
                value=width,
                limit=WIDEST_LINE_PER_BORE * bore,
            )
        if width < 0.95 * bore and s.plan.shape.layer_height_mm > width / 2:
            return Finding(
                rule="line_width_bounds",
                severity="risk",
                field=f"line_width_mm.{name}",
                sentence=(
                    f"The {label} line is narrower than the bore and less than twice the layer height: the strand is "
                    "pulled, not pressed."
                ),
                remedy=f"At least {bore:g} mm wide, or layers of at most {width / 2:.2f} mm.",
                value=width,
                limit=bore,
            )
    return None


def full_steps(s: Situation) -> Finding | None:
    """Heights that land on whole motor steps repeat exactly."""
    step = s.printer.z_step_mm
    height = s.plan.shape.layer_height_mm
    if step is None or abs(height / step - round(height / step)) < 1e-3:
        return None
    near = max(1, round(height / step)) * step
    return Finding(
        rule="full_steps",
        severity="note",
        field="layer_height_mm",
        sentence=f"{height:g} mm is not a whole number of {step:g} mm motor steps: layers alternate thick and thin.",
        remedy=f"The nearest whole step is {near:g} mm.",
        value=height,
        limit=near,
    )


def abrasive(s: Situation) -> Finding | None:
    """Filled plastic wears soft nozzles."""
    if not s.material.abrasive or s.nozzle.metal not in SOFT_METALS:
        return None
    return Finding(
        rule="abrasive",
        severity="risk",
        field="nozzle",
        sentence=f"{s.material.name} is abrasive and will wear out a {s.nozzle.metal.replace('_', ' ')} nozzle quickly.",
        remedy="Use a hardened nozzle, at least 0.4 mm, a little hotter.",
    )


def cooling_time(s: Situation) -> Finding | None:
    """Layers that have to be slowed for cooling."""
    lost = s.by_cause.layer_cooling_s
    total = sum(share.time_s for share in s.by_feature.values())
    if lost < 0.05 * total:
        return None
    return Finding(
        rule="cooling_time",
        severity="note",
        field="cooling.min_layer_time_s",
        sentence=(
            f"Small layers are slowed to {s.plan.min_layer_time_s:g} s so that they can harden: {lost / 60:.0f} min, "
            f"{100 * lost / total:.0f} % of the print. No speed can win that back."
        ),
        remedy="Print two at once, so that one cools while the other is laid.",
        value=lost,
        limit=0.05 * total,
    )


def ventilation(s: Situation) -> Finding | None:
    """Plastics whose fumes should not be breathed."""
    if not s.material.ventilate:
        return None
    return Finding(
        rule="ventilation",
        severity="risk",
        field="material",
        sentence=f"{s.material.name} gives off fumes and fine particles while it prints.",
        remedy="Ventilate to the outside or filter, and follow the maker's safety sheet.",
    )


def copies_in_turn(s: Situation) -> Finding | None:
    """A finished copy stands in the way of the head that prints the next."""
    copies = s.plan.shape.copies
    if copies.count < 2 or copies.order != "one_by_one":
        return None
    return Finding(
        rule="copies_in_turn",
        severity="risk",
        field="copies.order",
        sentence=f"Copies one after the other stand {copies.gap_mm:g} mm apart and {s.facts.extents_mm.z:.0f} mm high.",
        remedy="Measure that the head and what carries it pass the finished ones; if not, print layer by layer.",
    )


LOST_SHARE = 0.005


def lost_detail(s: Situation) -> Finding | None:
    """What is too thin for the line is not printed."""
    if s.lost_share < LOST_SHARE:
        return None
    return Finding(
        rule="lost_detail",
        severity="risk",
        field="line_width_mm.outer_wall",
        sentence=f"{100 * s.lost_share:.1f} % of what should be filled is too thin for these lines and is left out.",
        remedy="Use a narrower line or a smaller nozzle"
        + ("." if s.plan.shape.thin_walls == "variable" else ", or let lines vary in width."),
        value=s.lost_share,
        limit=LOST_SHARE,
    )


def layers_from_neighbours(s: Situation) -> Finding | None:
    """Layers that could not be cut are said, not hidden."""
    if not s.substituted:
        return None
    which = ", ".join(str(one + 1) for one in s.substituted[:5])
    more = f" and {len(s.substituted) - 5} more" if len(s.substituted) > 5 else ""
    return Finding(
        rule="layers_from_neighbours",
        severity="note",
        field="part",
        sentence=f"Layer {which}{more} could not be cut from this mesh; their neighbours stand in for them.",
        remedy="Repair the mesh where it is made and add it again.",
        value=float(len(s.substituted)),
    )


def trimming(s: Situation) -> Finding | None:
    """What has to come off again."""
    shape = s.plan.shape
    what = [
        name
        for name, there in (
            ("supports", bool({"support", "support_interface"} & set(s.by_feature))),
            ("the brim", "brim" in s.by_feature),
            ("the raft", shape.adhesion == "raft"),
        )
        if there
    ]
    if not what:
        return None
    return Finding(
        rule="trimming",
        severity="note",
        field="supports.kind" if what[0] == "supports" else "adhesion.kind",
        sentence=f"{' and '.join(what).capitalize()} must be cut off: chips fly and blades slip.",
        remedy="Wear eye protection and cut away from fingers.",
    )


_RULES: tuple[Callable[[Situation], Finding | None], ...] = (
    ptfe_lining,
    hot_end_limit,
    room_on_machine,
    material_window,
    layer_height_bounds,
    line_width_bounds,
    abrasive,
    ventilation,
    melt_cap,
    full_steps,
    cooling_time,
    copies_in_turn,
    lost_detail,
    layers_from_neighbours,
    trimming,
)
