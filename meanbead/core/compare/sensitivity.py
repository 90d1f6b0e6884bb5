"""What a setting costs on this part: a step up and a step down, each computed."""

from __future__ import annotations

from typing import Any

from meanbead.core.errors import MeanBeadError
from meanbead.core.estimate.engine import Engine
from meanbead.core.estimate.job import PrintJob
from meanbead.core.estimate.sample import SAMPLE_LAYERS
from meanbead.core.model.estimate import Result
from meanbead.core.recipe.choices import Choice, choices, value_at, with_value
from meanbead.core.recipe.resolve import resolve

__all__ = ["Sensitivity", "neighbours", "sensitivities"]

_MAX_OPTIONS = 8
_NO_STEP = ("machine", "nozzle", "material", "spool", "ranges", "angles")
"""Kinds of rows that have neither a step nor a few options."""


class Sensitivity(Result):
    """One neighbouring value of a setting: what it would change, or why it cannot be."""

    value: float | str | bool
    time_s: float | None = None
    filament_g: float | None = None
    problem: str = ""


def sensitivities(engine: Engine, job: PrintJob, key: str) -> list[Sensitivity]:
    """Neighbouring values of a setting, each with its difference in print time and filament on this part.

    Both sides are computed on the same sample of layers, so that most of what a sample is off by falls out of the
    difference. Raises :class:`MeanBeadError` for an unknown setting.
    """
    choice = next((entry for entry in choices() if entry.key == key), None)
    if choice is None or choice.kind in _NO_STEP:
        raise MeanBeadError(f"{key!r:.60} is not a setting that has a step.", field="key")
    base = engine.sampled(job, SAMPLE_LAYERS)
    found = []
    for value in neighbours(job, choice):
        try:
            changed = PrintJob(job.solid, with_value(job.recipe, key, value), job.printer, job.nozzle, job.material)
            estimate = engine.sampled(changed, SAMPLE_LAYERS, base).estimate
        except MeanBeadError as problem:
            found.append(Sensitivity(value=value, problem=str(problem)))
            continue
        found.append(
            Sensitivity(
                value=value,
                time_s=estimate.print_time_s - base.estimate.print_time_s,
                filament_g=estimate.filament_g - base.estimate.filament_g,
            )
        )
    return found


def neighbours(job: PrintJob, choice: Choice) -> list[Any]:
    """The values worth a look from where a setting stands: a step down and up, or the other options."""
    plan = resolve(job.recipe, job.printer, job.nozzle, job.material, job.standards)
    now = value_at(plan.as_recipe(), choice.key)
    if choice.kind == "yesno":
        return [not now]
    if choice.kind == "choice":
        return [option.value for option in choice.options if option.value != now][:_MAX_OPTIONS]
    if now is None or choice.kind in _NO_STEP:
        return []
    step = _step(choice, float(now), job)
    values = [round(float(now) - step, 4), round(float(now) + step, 4)]
    low = choice.low if choice.low is not None else -1e9
    high = choice.high if choice.high is not None else 1e9
    whole = choice.kind == "whole"
    # A lower bound of a length is one that it has to stay above.
    allowed = [v for v in values if low <= v <= high and (v > 0 or low < 0 or whole or choice.kind == "percent")]
    return [int(v) for v in allowed] if whole else allowed


def _step(choice: Choice, now: float, job: PrintJob) -> float:
    """A step that people would take: a motor step, a line, five points, a tenth, five degrees."""
    if choice.kind == "whole":
        return 1.0
    if choice.kind == "percent":
        return 0.05
    if choice.key in ("layer_height_mm", "first_layer_height_mm"):
        return job.printer.z_step_mm or 0.02
    if choice.key.endswith(("_temp_c", "_deg")):
        return 5.0
    if choice.key.startswith("speed_mm_s") or choice.key.startswith("acceleration"):
        return _round(now * 0.2)
    return _round(max(now * 0.1, 0.02))


def _round(value: float) -> float:
    """One significant digit: steps of 7.6 are not what anybody types."""
    digits = f"{value:.0e}"
    return float(digits)
