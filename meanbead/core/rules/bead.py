"""Rules of the bead: height and width against the bore, motor steps, the first layer."""

from __future__ import annotations

from collections.abc import Iterator

from meanbead.core.model.finding import Finding, Remedy
from meanbead.core.rules.rule_input import RuleInput, ceil_to, floor_to, remedy, words

__all__ = ["LOWEST_PER_BORE", "first_layer_height", "full_steps", "layer_height_bounds", "narrow_line", "wide_line"]

LOWEST_PER_BORE = 0.25
PRESSED_LESS_BORES = 0.75
WIDEST_PER_BORE = 1.5
NARROW_PER_BORE = 0.95
NARROW_SPEED_MM_S = 25.0
_LINES = ("outer_wall", "inner_wall", "infill", "solid", "top", "first_layer")


def layer_height_bounds(s: RuleInput) -> Iterator[Finding]:
    """Height between a quarter of the bore and the house's ceiling."""
    bore, height, low = s.nozzle.bore_mm, s.height_mm, LOWEST_PER_BORE * s.nozzle.bore_mm
    if height > s.highest_mm + 1e-9:
        most = s.floor_step(s.highest_mm)
        yield Finding(
            rule="layer_height_high",
            severity="risk",
            field=s.height_key,
            sentence=f"A {height:g} mm layer is over {s.highest_mm / bore:g} of the {bore:g} mm bore.",
            remedy=f"At most {most:g} mm, or a larger nozzle.",
            value=height,
            limit=s.highest_mm,
            reason="The strand is no longer pressed flat: layers bond badly and edges come out ragged.",
            source="Common practice: 0.75 bores cautious, 0.8 bores common",
            school=s.convention("layer_height_ceiling"),
            remedies=[remedy(f"Layers of {most:g} mm", {s.height_key: most}), *_larger_nozzle(s, height)],
        )
    elif height > PRESSED_LESS_BORES * bore + 1e-9:
        most = s.floor_step(PRESSED_LESS_BORES * bore)
        yield Finding(
            rule="layer_pressed_less",
            severity="note",
            field=s.height_key,
            sentence=f"A {height:g} mm layer is over three quarters of the {bore:g} mm bore: it is common, and pressed less.",
            remedy=f"At most {most:g} mm where edges and bond matter most.",
            value=height,
            limit=PRESSED_LESS_BORES * bore,
            reason="From three quarters on the strand is pressed less and less; above four fifths it hardly bonds.",
            source="Common practice: 0.75 bores cautious, 0.8 bores common",
            school=s.convention("layer_height_ceiling"),
            remedies=[remedy(f"Layers of {most:g} mm", {s.height_key: most})],
        )
    lowest = s.plan.shape.layer_height_mm if s.plan.shape.slope_heights is None else s.plan.shape.slope_heights.min_mm
    if lowest < low - 1e-9:
        least = s.ceil_step(low)
        key = "layer_height_mm" if s.plan.shape.slope_heights is None else "variable_height.min_mm"
        yield Finding(
            rule="layer_height_low",
            severity="risk",
            field=key,
            sentence=f"A {lowest:g} mm layer is under a quarter of the {bore:g} mm bore.",
            remedy=f"At least {least:g} mm, or a smaller nozzle.",
            value=lowest,
            limit=low,
            reason="So little plastic flows that the drive's pulses and the nozzle's back-pressure show in the surface.",
            source="Common practice",
            remedies=[remedy(f"Layers of {least:g} mm", {key: least})],
        )


def _larger_nozzle(s: RuleInput, height_mm: float) -> list[Remedy]:
    """The smallest nozzle on hand for which the height is fine."""
    share = s.highest_mm / s.nozzle.bore_mm
    fits = [
        (nozzle.bore_mm, number) for number, nozzle in s.nozzles.items() if share * nozzle.bore_mm >= height_mm - 1e-9
    ]
    if not fits:
        return []
    bore, number = min(fits)
    return [remedy(f"The {bore:g} mm nozzle", {"nozzle": number, s.height_key: height_mm})]


def full_steps(s: RuleInput) -> Iterator[Finding]:
    """Heights that land on whole motor steps repeat exactly."""
    step, heights = s.printer.z_step_mm, s.plan.shape.slope_heights
    if step is None:
        return
    school = s.house.layer_heights
    if heights is not None:
        if heights.step_mm == 0:
            yield Finding(
                rule="full_steps",
                severity="note" if school == "any" else "risk",
                field="variable_height.full_steps",
                sentence=f"Heights by slope do not keep to this machine's motor steps of {step:g} mm.",
                remedy="Let them keep to full steps.",
                reason="Layers that end between two full steps alternate thick and thin.",
                source="Screw lead over steps a turn",
                school=s.convention("layer_heights"),
                remedies=[remedy("Full steps only", {"variable_height.full_steps": True})],
            )
        return
    height = s.plan.shape.layer_height_mm
    if abs(height / step - round(height / step)) < 1e-3:
        return
    low, high = s.ceil_step(LOWEST_PER_BORE * s.nozzle.bore_mm), s.floor_step(s.highest_mm)
    near = min(max(round(round(height / step) * step, 4), low), max(high, low))
    yield Finding(
        rule="full_steps",
        severity="note" if school == "any" else "risk",
        field="layer_height_mm",
        sentence=f"{height:g} mm is not a whole number of {step:g} mm motor steps.",
        remedy=f"The nearest whole step is {near:g} mm.",
        value=height,
        limit=near,
        reason="Layers that end between two full steps alternate thick and thin.",
        source="Screw lead over steps a turn",
        school=s.convention("layer_heights"),
        remedies=[remedy(f"Layers of {near:g} mm", {"layer_height_mm": near})],
    )


def wide_line(s: RuleInput) -> Iterator[Finding]:
    """A line wider than the nozzle's flat can press."""
    bore = s.nozzle.bore_mm
    limit = min(WIDEST_PER_BORE * bore, s.nozzle.flat_mm or 2.5 * bore)
    wide = [name for name in _LINES if getattr(s.plan.shape.width_mm, name) > limit + 1e-9]
    if not wide:
        return
    most = floor_to(limit, 0.01)
    yield Finding(
        rule="wide_line",
        severity="risk",
        field=f"line_width_mm.{wide[0]}",
        sentence=f"Lines up to {max(getattr(s.plan.shape.width_mm, name) for name in wide):g} mm wide from a {bore:g} mm "
        f"bore ({words(wide)}).",
        remedy=f"At most {most:g} mm, or a larger nozzle.",
        value=max(getattr(s.plan.shape.width_mm, name) for name in wide),
        limit=limit,
        reason="Beyond the nozzle's flat nothing presses the strand down: its edges curl and do not bond.",
        source="Common practice: 1.5 bores, and never wider than the flat",
        school=s.convention("line_width"),
        remedies=[remedy(f"Lines of {most:g} mm", {f"line_width_mm.{name}": most for name in wide})],
    )


def narrow_line(s: RuleInput) -> Iterator[Finding]:
    """A line narrower than the bore is pulled, unless the layer is low and the nozzle slow."""
    bore, height = s.nozzle.bore_mm, s.height_mm
    widths = s.plan.shape.width_mm
    narrow = [name for name in _LINES if getattr(widths, name) < NARROW_PER_BORE * bore - 1e-9]
    if not narrow:
        return
    least = min(getattr(widths, name) for name in narrow)
    wider = remedy(f"Lines of {bore:g} mm", {f"line_width_mm.{name}": bore for name in narrow})
    if height > least / 2 + 1e-9:
        lower = s.floor_step(least / 2)
        remedies = [wider]
        if lower >= LOWEST_PER_BORE * bore - 1e-9 and lower <= least / 2 + 1e-9:
            remedies.append(remedy(f"Layers of {lower:g} mm", {s.height_key: lower}))
        yield Finding(
            rule="narrow_line",
            severity="risk",
            field=f"line_width_mm.{narrow[0]}",
            sentence=f"Lines of {least:g} mm are narrower than the {bore:g} mm bore and less than two layers wide "
            f"({words(narrow)}).",
            remedy=f"At least {bore:g} mm wide, or layers of at most {least / 2:.2g} mm.",
            value=least,
            limit=2 * height,
            reason="The strand is pulled thin instead of pressed; it breaks off at corners and hardly bonds.",
            source="Common practice: height at most half the width",
            school=s.convention("line_width"),
            remedies=remedies,
        )
        return
    most = s.printer.narrow_line_speed_mm_s or NARROW_SPEED_MM_S
    fast = {
        f"speed_mm_s.{name}": most
        for name in ("outer_wall", "inner_wall")
        if name in narrow and getattr(s.plan.speed_mm_s, name) > most
    }
    if fast:
        yield Finding(
            rule="narrow_line_fast",
            severity="risk",
            field=next(iter(fast)),
            sentence=f"Walls of {least:g} mm from a {bore:g} mm bore are asked to run faster than {most:g} mm/s.",
            remedy="Slow the walls down a great deal, or make the lines as wide as the bore.",
            value=max(s.plan.speed_mm_s.outer_wall, s.plan.speed_mm_s.inner_wall),
            limit=most,
            reason="A pulled strand tears where the nozzle hurries round a corner.",
            source="Common practice, typical figure",
            school=s.convention("line_width"),
            remedies=[remedy(f"Walls at {most:g} mm/s", fast), wider],
        )


def first_layer_height(s: RuleInput) -> Iterator[Finding]:
    """A first layer that is set apart must still press and hold."""
    first, bore = s.plan.shape.first_layer_height_mm, s.nozzle.bore_mm
    if s.recipe.first_layer_height_mm is None or first == s.plan.shape.layer_height_mm:
        return
    low, high = LOWEST_PER_BORE * bore, s.highest_mm
    if low - 1e-9 <= first <= high + 1e-9:
        return
    good = max(s.floor_step(0.5 * bore), s.ceil_step(low))
    thin = first < low
    yield Finding(
        rule="first_layer_height",
        severity="risk",
        field="first_layer_height_mm",
        sentence=f"The first layer of {first:g} mm is too {'thin' if thin else 'thick'} for a {bore:g} mm bore.",
        remedy=f"Between {ceil_to(low, 0.01):g} and {floor_to(high, 0.01):g} mm.",
        value=first,
        limit=low if thin else high,
        reason="A thin one shows every hollow of the bed and blocks the nozzle."
        if thin
        else "A thick one is not pressed onto the bed and lets go.",
        source="Common practice",
        remedies=[remedy(f"A first layer of {good:g} mm", {"first_layer_height_mm": good})],
    )
