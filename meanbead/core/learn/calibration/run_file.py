"""Runs as a file brings them, ``{"runs": [...]}``: what was printed with what, what was predicted, what it really took."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime
from typing import Annotated, Any

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, field_validator

from meanbead.core.errors import MeanBeadError, RecipeError
from meanbead.core.estimate.factors import FACTOR_OF, FACTORS
from meanbead.core.estimate.job import PrintJob, prepare
from meanbead.core.formulas.heat import machine_heat_up_s
from meanbead.core.learn.calibration.fit import TimedRun
from meanbead.core.model import Material, Printer, Recipe
from meanbead.core.model.base import Model

__all__ = ["FileRun", "Predicted", "RunFile", "around_s", "factor_seconds", "in_order", "timed_runs"]

_SUM_OFF = 0.02
"""By which share a ledger may miss its print time: figures in files are rounded."""


class Predicted(BaseModel):
    """A prediction, as ``meanbead estimate`` gives it; what is not needed of it is ignored. ``by_cause`` has the ledger's
    causes, with or without ``_s``."""

    model_config = ConfigDict(extra="ignore", frozen=True, allow_inf_nan=False)

    print_time_s: Annotated[float, Field(gt=0, le=1e8)]
    by_cause: dict[str, Annotated[float, Field(ge=-1, le=1e8)]] = {}
    filament_g: Annotated[float, Field(ge=0, le=1e6)] | None = None
    whole_time_s: Annotated[float, Field(gt=0, le=1e8)] | None = None

    @field_validator("by_cause")
    @classmethod
    def _known(cls, given: dict[str, float]) -> dict[str, float]:
        plain = {name.removesuffix("_s"): value for name, value in given.items()}
        names = {*FACTOR_OF, *(factor.name for factor in FACTORS)}
        for name in plain:
            if name not in names:
                raise ValueError(f"there is no cause {name!r:.40}; they are {', '.join(FACTOR_OF)}")
        return plain


class FileRun(Model):
    """A run. ``part`` names a file beside the list. ``real_time_s`` is None for a print that is still to come;
    ``includes_heating`` says that it counts the heating and start before it, too."""

    part: str | None = None
    recipe: Recipe = Recipe()
    printer: Printer = Printer()
    material: Material = Material()
    predicted: Predicted | None = None
    real_time_s: Annotated[float, Field(gt=0, le=1e8)] | None = None
    includes_heating: bool = False
    weight_g: Annotated[float, Field(gt=0, le=1e6)] | None = None
    at: datetime | None = None

    @field_validator("recipe", "printer", "material", mode="before")
    @classmethod
    def _none_is_usual(cls, given: Any) -> Any:
        return {} if given is None else given

    @field_validator("includes_heating", mode="before")
    @classmethod
    def _none_is_no(cls, given: Any) -> Any:
        return False if given is None else given


class RunFile(Model):
    """Runs of one machine."""

    runs: Annotated[tuple[FileRun, ...], Field(max_length=20_000)]


def factor_seconds(predicted: Predicted, where: str) -> NDArray[np.float64]:
    """Seconds by factor, (factors,). What a ledger leaves open counts as at set speed. Raises :class:`MeanBeadError` where it
    holds more than the print time."""
    found = np.zeros(len(FACTORS))
    names = {factor.name: k for k, factor in enumerate(FACTORS)} | FACTOR_OF
    for name, seconds in predicted.by_cause.items():
        found[names[name]] += max(seconds, 0.0)
    rest = predicted.print_time_s - float(found.sum())
    if rest < -_SUM_OFF * predicted.print_time_s:
        raise MeanBeadError(
            f"{where}.by_cause: its seconds sum up to {found.sum():.0f}, more than print_time_s.",
            field="by_cause",
            remedy="Give the causes of the same estimate.",
        )
    found[0] += max(rest, 0.0)
    scaled: NDArray[np.float64] = found * (predicted.print_time_s / found.sum())
    return scaled


def around_s(run: FileRun, job: PrintJob | None) -> float:
    """What heating, start and end take beside the printing, s. Raises :class:`RecipeError`."""
    if run.predicted is not None and run.predicted.whole_time_s is not None:
        return max(0.0, run.predicted.whole_time_s - run.predicted.print_time_s)
    known = prepare(job if job is not None else PrintJob(_NO_PART, run.recipe, run.printer, material=run.material))
    plan, printer = known.plan, run.printer
    heating = machine_heat_up_s(printer, plan.first_layer_nozzle_temp_c, plan.first_layer_bed_temp_c)
    return heating + printer.start_time_s + printer.end_time_s


_NO_PART: Any = None
"""Heating does not depend on the part."""


def in_order(runs: Sequence[FileRun]) -> list[int]:
    """Places of runs in the order of their making: by ``at`` where every one has it, else as they stand."""
    if any(run.at is None for run in runs):
        return list(range(len(runs)))
    stamps = [run.at if run.at is None or run.at.tzinfo else run.at.replace(tzinfo=UTC) for run in runs]
    return sorted(range(len(runs)), key=lambda place: (stamps[place], place))


def timed_runs(
    file: RunFile, jobs: Sequence[PrintJob | None], predictions: Sequence[Predicted | None]
) -> dict[int, TimedRun]:
    """The runs with a real time, by their place. ``predictions`` stand in for those that the file lacks.

    Raises :class:`MeanBeadError` that names the run and the field.
    """
    found = {}
    for place, run in enumerate(file.runs):
        if run.real_time_s is None:
            continue
        where = f"runs[{place}]"
        predicted = run.predicted or predictions[place]
        if predicted is None:
            raise MeanBeadError(
                f"{where}.predicted: there is no prediction, and no part to make one from.",
                field=f"{where}.predicted",
                remedy="Give predicted, or part with its file.",
            )
        real_s = run.real_time_s
        if run.includes_heating:
            try:
                real_s -= around_s(run, jobs[place])
            except RecipeError as problem:
                raise MeanBeadError(f"{where}.recipe: {problem}", field=f"{where}.recipe") from None
            if real_s <= 0:
                raise MeanBeadError(
                    f"{where}.real_time_s: heating and start alone take longer.",
                    field=f"{where}.real_time_s",
                    remedy="If it does not count the heating, set includes_heating to false.",
                )
        found[place] = TimedRun(factor_seconds(predicted, f"{where}.predicted"), real_s)
    return found
