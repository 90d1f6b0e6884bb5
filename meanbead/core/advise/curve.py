"""A curve for a number of a recipe: what each value would take on this part, where the saving bends, and what bounds it."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import replace

from pydantic import ValidationError

from meanbead.core.advise.context import AdviceContext
from meanbead.core.advise.measures import measures
from meanbead.core.errors import MeanBeadError
from meanbead.core.estimate.engine import Engine, Sampled
from meanbead.core.estimate.job import Prepared, PrintJob, prepare
from meanbead.core.estimate.sample import SAMPLE_LAYERS
from meanbead.core.formulas.bead import bead_area_mm2
from meanbead.core.model.base import Result
from meanbead.core.recipe.choices import Choice, choices, value_at, with_value
from meanbead.core.rules.bead import LOWEST_PER_BORE
from meanbead.core.rules.rule_input import CEILING_BORES, RuleInput

__all__ = ["SHARE", "Bend", "Curve", "CurvePoint", "Mark", "bend_of", "curve", "values_of"]

SHARE = 0.8
"""The share of the whole saving at which a curve is said to bend."""

_STEPS = 8
_NUMBERS = ("number", "whole", "percent")
_DENSITIES = (0.0, 0.05, 0.1, 0.15, 0.2, 0.3, 0.4, 0.6, 0.8, 1.0)


class CurvePoint(Result):
    """One value and what it makes of the recipe, per piece; ``problem`` says why it cannot be printed. ``bound_s`` is how far its
    difference from the present value may be off."""

    value: float
    piece_time_s: float | None = None
    filament_g: float | None = None
    ridge_mm: float | None = None
    peak_flow_mm3_s: float | None = None
    bound_s: float = 0.0
    problem: str = ""


class Mark(Result):
    """A value that bounds a setting, and what it is: a limit of the machine, the bore, the plastic or the house."""

    value: float
    label: str


class Bend(Result):
    """From ``now`` the quickest value is ``best``, which saves ``saves_s`` a piece; ``value`` is the first on the way there that
    has :data:`SHARE` of it, and saves ``has_s``."""

    now: float
    best: float
    saves_s: float
    value: float
    has_s: float


class Curve(Result):
    """Points by value, those that are computed so far of ``of``; ``ceiling_mm3_s`` is what melts now. ``bend`` is None while
    points are missing, and where no value saves more than the sample may be off by."""

    key: str
    now: float
    points: list[CurvePoint]
    of: int
    marks: list[Mark]
    ceiling_mm3_s: float
    bend: Bend | None = None


def curve(engine: Engine, job: PrintJob, context: AdviceContext, key: str) -> Iterator[Curve]:
    """The curve of the setting at a dotted key, after each value that was computed: the present one and both ends first, then
    between them, so that its shape shows early.

    All values are computed on the sample of layers of the present one, where they share its layers. Raises
    :class:`MeanBeadError` for what is no number, or for a recipe that cannot be printed as it is.
    """
    choice = next((entry for entry in choices() if entry.key == key), None)
    if choice is None or choice.kind not in _NUMBERS:
        raise MeanBeadError(f"{key!r:.60} is no number that has a curve.", field="key")
    prepared = prepare(job)
    now = value_at(prepared.plan.as_recipe(), key)
    if now is None:
        raise MeanBeadError(f"{choice.label} has no value here, so there is no curve from it.", field="key")
    source = context.rule_input(prepared)
    marks = list(_marks(source, key))
    values = values_of(choice, float(now), source, marks)
    base = engine.sampled(prepared, SAMPLE_LAYERS)
    known = {float(now): _point(prepared, base, base, context, float(now))}
    ceiling = prepared.ceiling.plan_mm3_s

    def answer() -> Curve:
        points = [known[value] for value in sorted(known)]
        bend = bend_of(points, float(now)) if len(points) == len(values) else None
        return Curve(
            key=key, now=float(now), points=points, of=len(values), marks=marks, ceiling_mm3_s=ceiling, bend=bend
        )

    def compute(value: float) -> CurvePoint:
        asked = int(value) if choice.kind == "whole" else value
        try:
            changed = prepare(replace(job, recipe=with_value(job.recipe, key, asked)))
            return _point(changed, engine.sampled(changed, SAMPLE_LAYERS, base), base, context, value)
        except ValidationError as problem:
            return CurvePoint(value=value, problem=str(problem.errors()[0]["msg"]))
        except MeanBeadError as problem:
            return CurvePoint(value=value, problem=str(problem))

    yield answer()
    # One at a time, each on all cores: whoever stops looking leaves nothing running that the next edit would wait for.
    for point in map(compute, _ends_first([value for value in values if value != now])):
        known[point.value] = point
        yield answer()


def _point(prepared: Prepared, found: Sampled, base: Sampled, context: AdviceContext, value: float) -> CurvePoint:
    measured = measures(prepared, found.estimate, context)
    return CurvePoint(
        value=value,
        piece_time_s=measured.piece_time_s,
        filament_g=measured.filament_g,
        ridge_mm=measured.ridge_mm,
        peak_flow_mm3_s=found.estimate.asked_flow_mm3_s,
        bound_s=base.difference_error_s(found) / measured.pieces,
    )


def bend_of(points: Sequence[CurvePoint], now: float) -> Bend | None:
    """Where the saving bends; None where no value saves more than it may be off by. The quickest value counts as such only where
    it beats a nearer one by a thousandth, so that a flat end is not held out as worth going to."""
    timed = [(point.value, point.piece_time_s, point.bound_s) for point in points if point.piece_time_s is not None]
    here = next((seconds for value, seconds, _ in timed if value == now), None)
    if here is None:
        return None
    slack = 0.001 * here
    least = min(seconds for _, seconds, _ in timed)
    best, best_s, bound_s = min(
        (entry for entry in timed if entry[1] <= least + slack), key=lambda entry: abs(entry[0] - now)
    )
    saves = here - best_s
    if best == now or saves <= max(bound_s, 1.0, 0.002 * here):
        return None
    way = sorted(
        (entry for entry in timed if min(now, best) <= entry[0] <= max(now, best)), key=lambda e: abs(e[0] - now)
    )
    value, seconds = next((value, s) for value, s, _ in way if here - s >= SHARE * saves)
    return Bend(now=now, best=best, saves_s=saves, value=value, has_s=here - seconds)


def _ends_first(values: Sequence[float]) -> list[float]:
    """The ends, then the middle, then the middles between."""
    ordered = sorted(values)
    if len(ordered) < 3:
        return ordered
    order, spans = [0, len(ordered) - 1], [(0, len(ordered) - 1)]
    while spans:
        low, high = spans.pop(0)
        middle = (low + high) // 2
        if middle != low:
            order.append(middle)
            spans += [(low, middle), (middle, high)]
    return [ordered[place] for place in order]


def values_of(choice: Choice, now: float, s: RuleInput, marks: Sequence[Mark]) -> list[float]:
    """Values worth drawing, ascending, the present one among them: the range in which people choose, as far as the marks that
    bound it and what is accepted."""
    low, high = _range(choice, now, s, marks)
    if choice.kind == "whole":
        first, last = int(max(low, now - 3)), int(min(high, max(now + 4, 6)))
        found = [float(value) for value in range(first, last + 1)]
    elif choice.key == "infill.density":
        found = [value for value in _DENSITIES if low <= value <= high]
    elif choice.key in ("layer_height_mm", "first_layer_height_mm") and s.printer.z_step_mm:
        step = s.printer.z_step_mm * max(1, round((high - low) / _STEPS / s.printer.z_step_mm))
        first = math.ceil(low / step - 1e-9)
        found = [round(step * k, 4) for k in range(first, int(high / step + 1e-9) + 1)]
    else:
        found = [_two_digits(low + (high - low) * k / _STEPS, choice) for k in range(_STEPS + 1)]
    near = 0.02 * (max(found, default=now) - min(found, default=now))
    kept = [value for value in found if low - 1e-9 <= value <= high + 1e-9 and abs(value - now) > near]
    bounds = [mark.value for mark in marks if low <= mark.value <= high and choice.kind == "number"]
    own = [value for value in bounds if abs(value - now) > near and all(abs(value - other) > near for other in kept)]
    return sorted({*kept, *own, now})


def _range(choice: Choice, now: float, s: RuleInput, marks: Sequence[Mark]) -> tuple[float, float]:
    low = -math.inf if choice.low is None else choice.low
    high = math.inf if choice.high is None else choice.high
    bore, key = s.nozzle.bore_mm, choice.key
    if choice.kind == "whole":
        return low, high
    if key == "infill.density":
        return max(low, 0.0), min(high, 1.0)
    if key in ("layer_height_mm", "first_layer_height_mm"):
        wanted = LOWEST_PER_BORE * bore, CEILING_BORES[s.house.layer_height_ceiling] * bore
    elif key.startswith("line_width_mm"):
        wanted = 0.8 * bore, 1.6 * bore
    elif key == "nozzle_temp_c":
        wanted = s.material.nozzle_temp_min_c, s.highest_c
    elif key.startswith(("speed_mm_s", "acceleration_mm_s2")):
        bound = max((mark.value for mark in marks), default=2.5 * now)
        wanted = 0.4 * now, max(1.2 * now, min(bound, 4 * now))
    else:
        wanted = (0.4 * now, 2.5 * now) if now > 0 else (0.0, 1.0)
    return max(low, min(wanted[0], now)), min(high, max(wanted[1], now))


def _two_digits(value: float, choice: Choice) -> float:
    """As people type it: whole speeds, accelerations and degrees, hundredths of a millimetre."""
    if choice.key.startswith("acceleration_mm_s2"):
        return float(round(value, -1))
    if choice.key.startswith("speed_mm_s") or choice.key.endswith(("_temp_c", "_deg")):
        return float(round(value))
    return round(value, 3 if choice.kind == "percent" else 2)


def _marks(s: RuleInput, key: str) -> Iterator[Mark]:
    bore = s.nozzle.bore_mm
    topic, _, name = key.partition(".")
    if key == "layer_height_mm":
        yield Mark(value=LOWEST_PER_BORE * bore, label=f"{LOWEST_PER_BORE:g} of the bore")
        yield Mark(value=s.highest_mm, label=f"{CEILING_BORES[s.house.layer_height_ceiling]:g} of the bore")
    elif topic == "line_width_mm":
        yield Mark(value=bore, label="the bore")
        yield Mark(value=1.5 * bore, label="1.5 bores")
    elif key == "nozzle_temp_c":
        yield Mark(value=s.material.nozzle_temp_c, label="the plastic's usual")
    elif topic == "speed_mm_s":
        yield Mark(value=min(s.printer.max_speed_mm_s.x, s.printer.max_speed_mm_s.y), label="the axes' limit")
        widths = s.plan.shape.width_mm
        if hasattr(widths, name):
            first = s.plan.shape.first_layer_height_mm
            height = first if name == "first_layer" else s.plan.shape.layer_height_mm
            area = bead_area_mm2(max(getattr(widths, name), height), height) * s.plan.flow_ratio
            yield Mark(value=round(s.ceiling.plan_mm3_s / area, 1), label="all that melts")
    elif topic == "acceleration_mm_s2":
        most = s.printer.max_acceleration_mm_s2
        yield Mark(value=min(most.x, most.y), label="the axes' limit")
        clean = s.printer.clean_acceleration
        if clean < min(most.x, most.y):
            yield Mark(value=clean, label="what prints clean")
