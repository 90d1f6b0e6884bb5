"""Every single change worth a look, from the recipe, the part's facts, the machine and the house's rules.

Cheap ones come first: those that move no stroke, then filling, then walls and widths, then heights and nozzles.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterator, Mapping
from typing import Literal

from meanbead.core.advise.context import AdviceContext, with_settings
from meanbead.core.advise.trial import Trial
from meanbead.core.errors import MeanBeadError
from meanbead.core.estimate.job import PrintJob
from meanbead.core.formulas.bead import bead_area_mm2
from meanbead.core.formulas.melt import melt_ceiling, temperature_for_flow_c
from meanbead.core.model.base import Result
from meanbead.core.model.finding import SettingValue, SetTo
from meanbead.core.rules.bead import LOWEST_PER_BORE
from meanbead.core.rules.looks import exact_heights_mm, height_settings
from meanbead.core.rules.rule_input import SPREAD_TO_FIT, RuleInput, ceil_to, floor_to

__all__ = ["Candidate", "Group", "candidates", "remedies"]

Group = Literal[
    "remedy", "pace", "travel", "cooling", "start", "infill", "shell", "width", "height", "nozzle", "supports"
]
_INSIDE = ("inner_wall", "infill", "solid")


class Candidate(Result):
    """A change worth trying: ``why`` in a few words, ``rule`` the finding that asks for it."""

    group: Group
    label: str
    why: str
    settings: list[SetTo]
    rule: str = ""


def candidates(base: Trial, context: AdviceContext) -> list[Candidate]:
    """All candidates for a recipe, without those that change nothing, each change once."""
    s = context.rule_input(base.prepared, base.estimate)
    found: list[Candidate] = []
    seen: set[tuple[tuple[str, SettingValue], ...]] = set()
    makers: tuple[Callable[[RuleInput], Iterator[Candidate]], ...]
    makers = (_paces, _temperatures, _travels, _coolings, _starts, _fillings, _skins, _walls, _supports)
    beads = (_widths, _heights, _nozzles)
    kept = (_within_melt(base.job, context, candidate) for make in beads for candidate in make(s))
    for candidate in itertools.chain(remedies(base), *(make(s) for make in makers), kept):
        key = tuple(sorted((setting.key, setting.value) for setting in candidate.settings))
        if key and key not in seen:
            seen.add(key)
            found.append(candidate)
    order = {"pace": 0, "travel": 1, "cooling": 2, "start": 3, "infill": 4, "shell": 5, "width": 6}
    first = _house_keys(s)
    return sorted(found, key=lambda candidate: (_rank(candidate, order), not first(candidate)))


def _house_keys(s: RuleInput) -> Callable[[Candidate], bool]:
    """Whether a change is the house's own way to strength: it comes before others of its kind."""
    ways: dict[str, Callable[[dict[str, SettingValue]], bool]] = {
        "more_walls": lambda made: made.get("walls", 0) > s.plan.shape.walls,  # type: ignore[operator]
        "denser": lambda made: (
            made.get("infill.density", 0) > s.plan.shape.infill_density and "infill.lines_side_by_side" not in made  # type: ignore[operator]
        ),
        "doubled_lines": lambda made: made.get("infill.lines_side_by_side") == 2,
        "adaptive": lambda made: made.get("infill.pattern") == "adaptive",
    }
    own = ways[s.house.strength]
    return lambda candidate: own({setting.key: setting.value for setting in candidate.settings})


def remedies(base: Trial) -> list[Candidate]:
    """The remedies of a recipe's findings as candidates."""
    return [
        _change(
            "remedy", way.label, finding.rule.replace("_", " "), {x.key: x.value for x in way.settings}, finding.rule
        )
        for finding in base.findings
        for way in finding.remedies
    ]


def _rank(candidate: Candidate, order: dict[str, int]) -> int:
    """Remedies stand among the changes of their kind."""
    if candidate.group != "remedy":
        return order.get(candidate.group, 9)
    keys = {setting.key for setting in candidate.settings}
    if keys & {"nozzle", "layer_height_mm", "copies.count", "supports.kind"}:
        return 8
    return 0 if all(key.startswith(("speed", "acceleration", "nozzle_temp")) for key in keys) else 5


def _change(group: Group, label: str, why: str, settings: Mapping[str, SettingValue], rule: str = "") -> Candidate:
    made = [SetTo(key=key, value=value) for key, value in settings.items()]
    return Candidate(group=group, label=label, why=why, settings=made, rule=rule)


def _melts_mm_s(s: RuleInput, feature: str) -> float:
    """Speed at which a feature uses all of the ceiling that the purpose leaves, within the axes, mm/s."""
    width = getattr(s.plan.shape.width_mm, feature)
    height = s.plan.shape.first_layer_height_mm if feature == "first_layer" else s.height_mm
    area = bead_area_mm2(max(width, height), height) * s.plan.flow_ratio
    free = 1 - (s.limits.flow_margin or 0.0)
    fastest = min(s.printer.max_speed_mm_s.x, s.printer.max_speed_mm_s.y)
    slack = SPREAD_TO_FIT if feature in ("solid", "top") else 0.998
    return max(1.0, floor_to(min(free * s.ceiling.plan_mm3_s / area * slack, fastest), 1))


def _within_melt(job: PrintJob, context: AdviceContext, candidate: Candidate) -> Candidate:
    """A larger bead, with the speeds that the hot end can still melt it at: asking for more would change nothing."""
    try:
        changed = context.rule_input(with_settings(job, candidate.settings, context.nozzles))
    except MeanBeadError:
        return candidate
    slower = []
    for name in ("outer_wall", "inner_wall", "infill", "solid", "top", "first_layer"):
        most = _melts_mm_s(changed, name)
        if getattr(changed.plan.speed_mm_s, name) > most:
            slower.append(SetTo(key=f"speed_mm_s.{name}", value=most))
    if not slower:
        return candidate
    return candidate.model_copy(
        update={"settings": [*candidate.settings, *slower], "label": f"{candidate.label}, at the speed that melts"}
    )


def _paces(s: RuleInput) -> Iterator[Candidate]:
    speeds = s.plan.speed_mm_s
    faster: dict[str, SettingValue] = {}
    for feature in _INSIDE:
        most, now = _melts_mm_s(s, feature), getattr(speeds, feature)
        if most > 1.05 * now:
            faster[f"speed_mm_s.{feature}"] = most
            name = feature.replace("_", " ")
            yield _change(
                "pace", f"{name.capitalize()} at {most:g} mm/s", "as fast as it melts", {f"speed_mm_s.{feature}": most}
            )
    if len(faster) > 1:
        yield _change("pace", "All inner lines as fast as they melt", "nobody sees them", faster)
    outer = min(_melts_mm_s(s, "outer_wall"), s.limits.outer_speed_mm_s or 1e9, 1.5 * speeds.outer_wall)
    if outer > 1.05 * speeds.outer_wall:
        value = floor_to(outer, 1)
        yield _change(
            "pace", f"Outer wall at {value:g} mm/s", "half as fast again at most", {"speed_mm_s.outer_wall": value}
        )
    clean, printing, outside = (
        s.printer.clean_acceleration,
        s.plan.print_acceleration_mm_s2,
        s.plan.outer_wall_acceleration_mm_s2,
    )
    if clean > 1.05 * min(printing, outside):
        travel = s.plan.travel_acceleration_mm_s2
        both = {
            "acceleration_mm_s2.print": max(clean, printing),
            "acceleration_mm_s2.outer_wall": clean,
            "acceleration_mm_s2.travel": max(clean, travel),
        }
        yield _change("pace", f"Acceleration {clean:g} mm/s²", "what this machine shows clean", both)
    most = min(s.printer.max_acceleration_mm_s2.x, s.printer.max_acceleration_mm_s2.y)
    if most > 1.05 * printing and most > clean:
        inside = {"acceleration_mm_s2.print": most, "acceleration_mm_s2.outer_wall": min(outside, clean)}
        yield _change("pace", f"Inside at {most:g} mm/s²", "all the machine has, where nobody looks", inside)


def _temperatures(s: RuleInput) -> Iterator[Candidate]:
    """Hotter with the speeds that the heat allows; not where the house leaves the temperature alone."""
    if s.house.temperature == "leave":
        return
    hotter = min(s.highest_c, s.plan.nozzle_temp_c + 10)
    if hotter > s.plan.nozzle_temp_c + 2 and s.estimate is not None:
        ceiling = melt_ceiling(s.printer, s.nozzle, s.material, hotter).plan_mm3_s
        gain = ceiling / max(s.ceiling.plan_mm3_s, 1e-9)
        if gain > 1.03:
            fastest = min(s.printer.max_speed_mm_s.x, s.printer.max_speed_mm_s.y)
            faster: dict[str, SettingValue] = {
                f"speed_mm_s.{name}": min(floor_to(_melts_mm_s(s, name) * gain, 1), fastest) for name in _INSIDE
            }
            label = f"{hotter:g} °C, and inner lines as fast as that melts"
            yield _change("pace", label, "heat is for flow", {"nozzle_temp_c": hotter, **faster})
    usual = s.material.nozzle_temp_c
    asked = 0.0 if s.estimate is None else s.estimate.asked_flow_mm3_s
    needed = temperature_for_flow_c(s.printer, s.nozzle, s.material, asked, s.highest_c) if asked else None
    if needed is not None:
        good = ceil_to(max(needed, usual), 1)
        if abs(good - s.plan.nozzle_temp_c) > 1:
            yield _change("pace", f"{good:g} °C", "what this flow needs", {"nozzle_temp_c": good})


def _travels(s: RuleInput) -> Iterator[Candidate]:
    plan = s.plan
    fastest = min(s.printer.max_speed_mm_s.x, s.printer.max_speed_mm_s.y)
    if fastest > 1.05 * plan.speed_mm_s.travel:
        yield _change("travel", f"Travel at {fastest:g} mm/s", "the axes' own limit", {"speed_mm_s.travel": fastest})
    most = min(s.printer.max_acceleration_mm_s2.x, s.printer.max_acceleration_mm_s2.y)
    if most > 1.05 * plan.travel_acceleration_mm_s2:
        label = f"Travel acceleration {most:g} mm/s²"
        yield _change("travel", label, "the axes' own limit", {"acceleration_mm_s2.travel": most})
    for longer in (2.0, 5.0):
        if plan.min_travel_mm < longer and s.house.retraction != "every_hop":
            label = f"Retract only from {longer:g} mm on"
            yield _change("travel", label, "short hops ooze nothing that is seen", {"retraction.min_travel_mm": longer})
    if plan.z_hop_mm > 0:
        yield _change("travel", "No lift on travels", "each lift takes time", {"retraction.z_hop_mm": 0.0})
    if plan.shape.travel == "straight" and s.house.retraction != "every_hop":
        yield _change("travel", "Travel inside the part", "fewer retractions", {"travel": "inside"})


def _coolings(s: RuleInput) -> Iterator[Candidate]:
    waits = s.estimate is not None and s.estimate.by_cause.layer_cooling_s > 0.01 * s.estimate.print_time_s
    if not waits:
        return
    copies = s.plan.shape.copies.count
    if s.plan.shape.copies.order == "by_layer" and not s.plan.shape.spiral:
        for count in (2 * copies, 4 * copies):
            if count <= 32:
                yield _change("cooling", f"{count} at once", "one cools while another is laid", {"copies.count": count})
    if s.plan.min_layer_time_s > 6:
        yield _change(
            "cooling", "Layers of at least 6 s", "small layers are slowed less", {"cooling.min_layer_time_s": 6.0}
        )


def _starts(s: RuleInput) -> Iterator[Candidate]:
    kind = s.plan.shape.adhesion
    if kind in ("brim", "raft"):
        yield _change(
            "start", "A skirt only", "less to lay and to trim", {"adhesion.kind": "skirt", "adhesion.loops": 1}
        )
    if kind == "skirt":
        yield _change("start", "A brim of 6 mm", "holds better", {"adhesion.kind": "brim", "adhesion.width_mm": 6.0})
        if s.plan.shape.skirt_loops > 1:
            yield _change("start", "One loop of skirt", "primes enough where the bed is known", {"adhesion.loops": 1})
    if s.plan.shape.ironing.kind != "none":
        yield _change("start", "No ironing", "a second pass over each face", {"ironing.kind": "none"})


def _fillings(s: RuleInput) -> Iterator[Candidate]:
    shape = s.plan.shape
    if shape.spiral or not s.has("infill"):
        return
    density, lines = shape.infill_density, shape.infill_lines_side_by_side
    for less in (density - 0.05, density / 2):
        if less >= 0.05:
            value = round(less, 3)
            yield _change("infill", f"{100 * value:g} % filling", "less to lay", {"infill.density": value})
    more = round(min(1.0, density + 0.05), 3)
    yield _change("infill", f"{100 * more:g} % filling", "stiffer", {"infill.density": more})
    if lines == 1 and density >= 0.08:
        half = round(density / 2, 3)
        doubled = {"infill.density": half, "infill.lines_side_by_side": 2}
        yield _change("infill", f"Doubled lines at {100 * half:g} %", "thick cell walls, half as many", doubled)
    for pattern in ("lines", "grid", "cubic", "adaptive", "gyroid"):
        if pattern != shape.infill_pattern:
            yield _change("infill", f"{pattern.capitalize()} filling", "another pattern", {"infill.pattern": pattern})


def _skins(s: RuleInput) -> Iterator[Candidate]:
    shape = s.plan.shape
    if shape.spiral:
        return
    if s.has("top"):
        in_order = s.house.smooth_top if s.house.smooth_top == "one_way" else "sweep"
        if s.house.smooth_top in ("in_order", "one_way") and not shape.skins.extra_top:
            smoother = {"skins.order": in_order, "skins.extra_top": True}
            words = "one way" if in_order == "one_way" else "in order"
            yield _change("shell", f"One more top layer, strokes {words}", "smoother tops", smoother)
        elif s.house.smooth_top == "ironing" and shape.ironing.kind == "none":
            yield _change("shell", "Iron the topmost faces", "smoother tops", {"ironing.kind": "topmost"})
    if shape.top_layers > 2 and s.has("top"):
        fewer = {"top_layers": shape.top_layers - 1, "skins.top_mm": None}
        yield _change("shell", f"{shape.top_layers - 1} top layers", "one less", fewer)
    if shape.bottom_layers > 2 and s.has("bottom"):
        fewer = {"bottom_layers": shape.bottom_layers - 1, "skins.bottom_mm": None}
        yield _change("shell", f"{shape.bottom_layers - 1} bottom layers", "one less", fewer)


def _walls(s: RuleInput) -> Iterator[Candidate]:
    walls = s.plan.shape.walls
    if s.plan.shape.spiral:
        return
    yield _change("shell", f"{walls + 1} walls", "one more", {"walls": walls + 1})
    if walls > 1:
        yield _change("shell", f"{walls - 1} wall{'s' if walls > 2 else ''}", "one less", {"walls": walls - 1})
    if s.plan.shape.thin_walls == "fixed":
        yield _change(
            "shell", "Lines that vary in width", "thin walls in one or two strokes", {"thin_walls": "variable"}
        )


def _widths(s: RuleInput) -> Iterator[Candidate]:
    """Line widths of the schools, at the walls' present count."""
    bore = s.nozzle.bore_mm
    wide, quarter = floor_to(min(1.5 * bore, s.nozzle.flat_mm or 2.5 * bore), 0.01), round(1.25 * bore, 2)
    inner = ("inner_wall", "infill", "solid")
    every = ("outer_wall", *inner, "top")
    schools = (
        (f"Inner lines of {wide:g} mm", "wide inside, narrow outside", inner, wide),
        (f"All lines of {wide:g} mm", "fewest lines", every, wide),
        (f"All lines of {quarter:g} mm", "a quarter wider than the bore", every, quarter),
        (f"All lines of {bore:g} mm", "as wide as the bore", every, bore),
    )
    for label, why, names, width in schools:
        if width < s.height_mm:
            continue
        if any(abs(getattr(s.plan.shape.width_mm, name) - width) > 0.005 for name in names):
            kept = {} if "top" in names else {"line_width_mm.top": s.plan.shape.width_mm.top}
            yield _change("width", label, why, {**{f"line_width_mm.{name}": width for name in names}, **kept})


def _heights(s: RuleInput) -> Iterator[Candidate]:
    if s.plan.shape.slope_heights is not None:
        yield _change("height", "Even layers", "one height for all", {"variable_height.kind": "even"})
        return
    now, low = s.plan.shape.layer_height_mm, s.ceil_step(LOWEST_PER_BORE * s.nozzle.bore_mm)
    high = min(s.floor_step(s.highest_mm), min(_all_widths(s)))
    step = max(s.step_mm, ceil_to(0.04, s.step_mm))
    first = (
        {}
        if s.recipe.first_layer_height_mm is not None
        else {"first_layer_height_mm": s.plan.shape.first_layer_height_mm}
    )
    if s.estimate is not None and abs(s.estimate.height_off_mm) > 1e-3:
        for exact in exact_heights_mm(s):
            if low <= exact <= high and abs(exact - now) > 1e-6:
                why = "divides the part exactly"
                yield _change("height", f"Layers of {exact:g} mm", why, height_settings(s, exact))
    for height in sorted({s.floor_step(now + step), s.ceil_step(now - step), high}):
        if low <= height <= high and abs(height - now) > 1e-6:
            why = "the house's ceiling" if height == high else "one step up" if height > now else "one step down"
            yield _change("height", f"Layers of {height:g} mm", why, {**height_settings(s, height), **first})
    if s.insight is not None and s.insight.slope_mm2 > 1 and low < now:
        by_slope: dict[str, SettingValue] = {
            "variable_height.kind": "by_slope",
            "variable_height.min_mm": low,
            "variable_height.max_mm": max(high, now),
        }
        yield _change("height", "Heights that follow the slope", "low layers only where it curves", by_slope)


def _all_widths(s: RuleInput) -> list[float]:
    widths = s.plan.shape.width_mm
    return [widths.outer_wall, widths.inner_wall, widths.infill, widths.solid, widths.top]


def _nozzles(s: RuleInput) -> Iterator[Candidate]:
    bores = set()
    for number, nozzle in sorted(s.nozzles.items()):
        if nozzle == s.nozzle or nozzle.bore_mm in bores or abs(nozzle.bore_mm - s.nozzle.bore_mm) < 1e-6:
            continue
        bores.add(nozzle.bore_mm)
        label = f"The {nozzle.bore_mm:g} mm nozzle"
        yield _change("nozzle", label, "shell and ratios kept; swapping it is work, and it is hot", {"nozzle": number})


def _supports(s: RuleInput) -> Iterator[Candidate]:
    kind = s.plan.shape.supports.kind
    if kind == "none":
        return
    other = "trees" if kind == "columns" else "columns"
    yield _change("supports", f"Supports as {other}", "another kind", {"supports.kind": other})
    yield _change("supports", "No supports", "none is cheapest", {"supports.kind": "none"})
    if s.plan.shape.supports.interface_layers > 1:
        yield _change("supports", "One dense layer under the part", "it peels off", {"supports.interface_layers": 1})
