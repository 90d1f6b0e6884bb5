"""The space of recipes that a search may look at: what varies, by which values, from which recipe."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Annotated

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, ValidationError

from meanbead.core.advise.context import AdviceContext, with_settings
from meanbead.core.advise.limits import allowed_ridge_mm
from meanbead.core.errors import RecipeError
from meanbead.core.estimate.job import Prepared, PrintJob, prepare
from meanbead.core.formulas.bead import bead_area_mm2
from meanbead.core.formulas.surface import height_for_ridge_mm
from meanbead.core.model.finding import SettingValue, SetTo
from meanbead.core.recipe.choices import check_value, choices
from meanbead.core.recipe.resolve import resolve
from meanbead.core.rules.bead import LOWEST_PER_BORE
from meanbead.core.rules.rule_input import CEILING_BORES, SPREAD_TO_FIT, floor_to
from meanbead.core.text.explain import explain, field_label

__all__ = ["Point", "Recipes", "Space", "Vary", "usual_vary"]

Vary = dict[str, Annotated[list[SettingValue], Field(min_length=1, max_length=40)]]
"""What varies and by which values. Keys are the recipe's own dotted ones, and four that set several of them:

``nozzle`` (numbers of those on hand; carries the shell and the ratios to the bore), ``line_width_bores`` (all lines, in
bores), ``inner_width_bores`` (all but outer wall and top), ``pace`` (factor on the speeds of all lines, each held to what
the hot end melts).
"""

_TOGETHER = ("nozzle", "line_width_bores", "inner_width_bores", "pace")
_LINES = ("outer_wall", "inner_wall", "infill", "solid", "top")
_INNER = ("inner_wall", "infill", "solid")
MAX_AXES = 16
_LIGHT = ("pace", "nozzle_temp_c", "bed_temp_c")
_LIGHT_TOPICS = ("infill.", "speed_mm_s.", "acceleration_mm_s2.", "retraction.", "cooling.")
_COMPANIONS = 2

Point = tuple[int, ...]
"""A recipe of the space: which value of each axis."""


@dataclass(frozen=True)
class Space:
    """The product of all axes' values. ``axes`` keeps the order in which settings are made."""

    axes: tuple[tuple[str, tuple[SettingValue, ...]], ...]

    @classmethod
    def of(cls, vary: Mapping[str, list[SettingValue]]) -> Space:
        """Check what is to vary. Raises :class:`RecipeError` for unknown keys, values that no recipe may have, and too much
        at once."""
        if not vary:
            raise RecipeError("Nothing is to vary.", field="vary", remedy="Name at least one setting with its values.")
        if len(vary) > MAX_AXES:
            raise RecipeError(f"{len(vary)} settings are more than {MAX_AXES}.", field="vary", code="over_limit")
        known = {choice.key for choice in choices()} | set(_TOGETHER)
        for key, values in vary.items():
            if key not in known or key in ("machine", "material", "height_ranges"):
                raise RecipeError(
                    f"{key!r:.60} is not a setting that can vary.",
                    field=f"vary.{key}"[:80],
                    remedy="Use the recipe's own keys, such as infill.density.",
                )
            for value in values:
                _check_value(key, value)
        order = {key: rank for rank, key in enumerate(_TOGETHER[:-1])}
        axes = sorted(vary.items(), key=lambda item: (item[0] == "pace", order.get(item[0], len(order))))
        return cls(tuple((key, tuple(dict.fromkeys(values))) for key, values in axes))

    @property
    def size(self) -> int:
        """How many recipes it holds."""
        return math.prod(len(values) for _, values in self.axes)

    @property
    def light(self) -> tuple[bool, ...]:
        """For each axis whether it leaves the outlines, heights and widths as they are."""
        return tuple(key in _LIGHT or key.startswith(_LIGHT_TOPICS) for key, _ in self.axes)

    def values(self, point: Point) -> dict[str, SettingValue]:
        """The values at a point, by axis."""
        return {key: values[at] for (key, values), at in zip(self.axes, point, strict=True)}

    def all_points(self) -> list[Point]:
        """Every point, in the order of :meth:`spread_points`' neighbourhood: far apart ones first."""
        shape = tuple(len(values) for _, values in self.axes)
        flat = np.arange(self.size)
        # A stride near the golden share of the whole visits all of it evenly, whenever it is stopped.
        stride = next(
            k for k in range(max(1, round(self.size * 0.618)), 2 * self.size + 2) if math.gcd(k, self.size) == 1
        )
        return [tuple(int(k) for k in np.unravel_index(int(number), shape)) for number in flat * stride % self.size]

    def spread_points(self, count: int) -> list[Point]:
        """Points that fill the space evenly: Sobol's sequence (scrambled with a fixed seed), rounded to the values.

        After each come a few that share its walls, with the next ones' filling, pace and acceleration: outlines are what
        takes longest to compute, and are remembered.
        """
        from scipy.stats import qmc  # half a second that only a search needs

        sobol = qmc.Sobol(len(self.axes), scramble=True, seed=20240517)
        unit = sobol.random_base2(max(3, math.ceil(math.log2(max(count, 2)))))
        shape = np.array([len(values) for _, values in self.axes])
        at: NDArray[np.int64] = np.minimum((unit * shape).astype(np.int64), shape - 1)
        light = np.array(self.light)
        following = (np.arange(len(at))[:, None] + np.arange(_COMPANIONS + 1)) % len(at)
        rows = np.where(light, at[following], at[:, None, :])
        points = (tuple(int(k) for k in row) for row in rows.reshape(-1, len(self.axes)))
        return list(dict.fromkeys(points))[:count]

    def neighbours(self, point: Point) -> list[Point]:
        """Points one value away along one axis. Values that are not numbers have no order: all others are near."""
        found = []
        for axis, (key, values) in enumerate(self.axes):
            ordered = key != "nozzle" and all(isinstance(v, int | float) and not isinstance(v, bool) for v in values)
            steps = (point[axis] - 1, point[axis] + 1) if ordered else range(len(values))
            found += [
                (*point[:axis], k, *point[axis + 1 :]) for k in steps if 0 <= k < len(values) and k != point[axis]
            ]
        return found


def _check_value(key: str, value: SettingValue) -> None:
    """Raises :class:`RecipeError` for a value that the setting can have in no recipe. Whether a value goes together with
    others is for the search to find out."""
    if key not in _TOGETHER:
        try:
            check_value(key, value)
        except ValidationError as problem:
            wrong = explain(problem)[0]
            raise RecipeError(f"{field_label(key)}: {wrong.message}", field=f"vary.{key}", code=wrong.code) from problem
    elif key != "nozzle" and not (isinstance(value, int | float) and 0 < value < math.inf):
        said = f"{field_label(key)}: Must be a number above 0, not {value!r:.40}."
        raise RecipeError(said, field=f"vary.{key}", code="invalid")


def _smooth_enough(
    allowed_mm: float | None, context: AdviceContext, step_mm: float, low_mm: float, high_mm: float
) -> set[float]:
    """The highest layers whose steps on slopes the limits allow, and a lower height beside it: the usual ones may all be
    too high for a part that has to be smooth."""
    if allowed_mm is None or context.insight is None:
        return set()
    highest = height_for_ridge_mm(allowed_mm, context.insight)
    if highest is None:
        return set()
    found = {floor_to(highest, step_mm), floor_to(0.85 * highest, step_mm)}
    return {height for height in found if low_mm - 1e-9 <= height <= high_mm + 1e-9}


class Recipes:
    """The recipes of a space around a base: the base with a point's values. Speeds are held to what the hot end melts, less
    the margin that the purpose asks for, and skins keep the base's thickness where layers change.

    What depends on the base and the nozzle alone is worked out once.
    """

    def __init__(self, base: PrintJob, context: AdviceContext) -> None:
        self._base, self._context = base, context
        shape = resolve(base.recipe, base.printer, base.nozzle, base.material, base.standards).shape
        self._skins = [
            (name, SetTo(key=f"skins.{name}_mm", value=round(layers * shape.layer_height_mm, 4)))
            for name, layers in (("top", shape.top_layers), ("bottom", shape.bottom_layers))
        ]
        self._carried: dict[SettingValue, PrintJob] = {}

    def at(self, values: Mapping[str, SettingValue]) -> Prepared:
        """The job at a point. Raises :class:`RecipeError` where the point cannot be."""
        nozzles = self._context.nozzles
        job = self._base if "nozzle" not in values else self._with_nozzle(values["nozzle"])
        settings = [SetTo(key=key, value=value) for key, value in values.items() if key not in _TOGETHER]
        job = with_settings(job, [*self._kept_skins(values), *settings, *_widths(values, job.nozzle.bore_mm)], nozzles)
        prepared = prepare(job)
        paced = _paced(prepared, float(values.get("pace") or 1.0), self._context)
        return prepare(with_settings(job, paced, nozzles)) if paced else prepared

    def _with_nozzle(self, number: SettingValue) -> PrintJob:
        if number not in self._carried:
            self._carried[number] = with_settings(
                self._base, [SetTo(key="nozzle", value=number)], self._context.nozzles
            )
        return self._carried[number]

    def _kept_skins(self, values: Mapping[str, SettingValue]) -> list[SetTo]:
        """Skins in millimetres where heights vary and layers are not varied themselves."""
        if "layer_height_mm" not in values and "nozzle" not in values:
            return []
        return [
            thick for name, thick in self._skins if f"{name}_layers" not in values and f"skins.{name}_mm" not in values
        ]


def _widths(values: Mapping[str, SettingValue], bore_mm: float) -> list[SetTo]:
    made: dict[str, float] = {}
    for key, names in (("line_width_bores", _LINES), ("inner_width_bores", _INNER)):
        ratio = values.get(key)
        if isinstance(ratio, int | float):
            made |= {f"line_width_mm.{name}": round(ratio * bore_mm, 3) for name in names}
    return [SetTo(key=key, value=value) for key, value in made.items()]


def _paced(prepared: Prepared, factor: float, context: AdviceContext) -> list[SetTo]:
    """Speeds times a factor, none faster than melts or than the axes."""
    job, plan = prepared.job, prepared.plan
    ceiling = prepared.ceiling.plan_mm3_s
    ceiling *= 1 - (context.limits.flow_margin or 0.0)
    heights = plan.shape.slope_heights
    height = plan.shape.layer_height_mm if heights is None else heights.max_mm
    fastest = min(job.printer.max_speed_mm_s.x, job.printer.max_speed_mm_s.y)
    made = []
    for name in (*_LINES, "first_layer", "bridge"):
        now = getattr(plan.speed_mm_s, name)
        if name == "bridge":
            area = math.pi / 4 * plan.shape.bore_mm**2 * plan.shape.bridge_flow_ratio * plan.flow_ratio
        else:
            high = plan.shape.first_layer_height_mm if name == "first_layer" else height
            area = bead_area_mm2(max(getattr(plan.shape.width_mm, name), high), high) * plan.flow_ratio
        melts = ceiling / area * (SPREAD_TO_FIT if name in ("solid", "top") else 0.998)
        limit = min(melts, fastest)
        if name == "outer_wall" and context.limits.outer_speed_mm_s is not None:
            limit = min(limit, context.limits.outer_speed_mm_s)
        speed = min(now * (1.0 if name in ("first_layer", "bridge") else factor), limit)
        speed = floor_to(speed, 0.5) if speed >= 1 else speed
        if abs(speed - now) > 1e-9:
            made.append(SetTo(key=f"speed_mm_s.{name}", value=max(speed, 0.1)))
    return made


def usual_vary(job: PrintJob, context: AdviceContext) -> Vary:
    """What is usually worth varying around a recipe: nozzles on hand, heights that some of them can lay, widths, walls,
    filling, pace and acceleration; each with the recipe's own value among them."""
    plan = resolve(job.recipe, job.printer, job.nozzle, job.material, job.standards)
    shape, step = plan.shape, max(job.printer.z_step_mm or 0.01, 0.01)
    pace = math.ceil(0.04 / step - 1e-9) * step
    own = next((number for number, nozzle in context.nozzles.items() if nozzle == job.nozzle), None)
    bores = {job.nozzle.bore_mm: own} | {nozzle.bore_mm: number for number, nozzle in sorted(context.nozzles.items())}
    if own is not None:
        bores[job.nozzle.bore_mm] = own
    # Very low layers of a small nozzle are for whoever names them: they take longest to compute, too.
    low = max(0.25 * min(bores), 0.3 * job.nozzle.bore_mm)
    high = CEILING_BORES[context.house.layer_height_ceiling] * max(bores)
    count = round((high - low) / pace) + 1
    every = max(1, math.ceil(count / 9))
    heights = {round(math.ceil(low / pace - 1e-6) * pace + k * every * pace, 4) for k in range(count // every + 1)}
    heights = {height for height in heights if height <= high + 1e-9} | {shape.layer_height_mm}
    allowed_mm = allowed_ridge_mm(context.limits, job.material.gloss)
    heights |= _smooth_enough(allowed_mm, context, step, LOWEST_PER_BORE * min(bores), high)
    vary: Vary = {}

    def offer(key: str, values: Iterable[SettingValue]) -> None:
        vary[key] = list(values)

    if len(context.nozzles) > 1 and own is not None:
        offer("nozzle", [number for _, number in sorted(bores.items()) if number is not None])
    offer("layer_height_mm", sorted(heights))
    offer("line_width_bores", sorted({1.0, 1.1, 1.25, round(shape.width_mm.outer_wall / job.nozzle.bore_mm, 3)}))
    offer("inner_width_bores", sorted({1.1, 1.5, round(shape.width_mm.inner_wall / job.nozzle.bore_mm, 3)}))
    offer("walls", list(range(max(1, shape.walls - 1), shape.walls + 3)))
    # Just under half with doubled lines is as hard to crush where cells buckle, and nearly where they yield.
    doubled = {round(0.494 * shape.infill_density, 3)} if 0.16 <= shape.infill_density <= 0.6 else set()
    offer("infill.density", sorted({0.08, 0.12, 0.15, 0.2, 0.3, round(shape.infill_density, 4)} | doubled))
    adaptive = ["adaptive"] if context.house.strength == "adaptive" else []
    offer("infill.pattern", list(dict.fromkeys([shape.infill_pattern, *adaptive, "grid", "gyroid", "cubic"])))
    offer("infill.lines_side_by_side", sorted({1, 2, shape.infill_lines_side_by_side}))
    offer("pace", [1, 1.5, 2.5])
    accelerations = {plan.print_acceleration_mm_s2, job.printer.clean_acceleration}
    offer("acceleration_mm_s2.print", sorted(accelerations))
    return vary
