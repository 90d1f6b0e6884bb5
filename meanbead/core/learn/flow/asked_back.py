"""The melt limit asked backwards: what temperature a recipe needs, what ten degrees more buy, what is worth fitting."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

from meanbead.core.errors import MeanBeadError
from meanbead.core.estimate.engine import Engine
from meanbead.core.estimate.job import PrintJob, prepare
from meanbead.core.estimate.sample import SAMPLE_LAYERS
from meanbead.core.formulas.melt import MeltCeiling, melt_ceiling, temperature_for_flow_c
from meanbead.core.model import Nozzle, Printer
from meanbead.core.model.base import Result
from meanbead.core.recipe.adapt import adapted

__all__ = ["Fitting", "Fittings", "HeatQuestion", "WantedPart", "heat_question", "what_to_fit"]

STEP_C = 10.0


@dataclass(frozen=True)
class HeatQuestion:
    """Answers about heat, in degrees C, mm3/s and s. ``saved_s`` may be negative; None where it cannot be hotter."""

    ceiling: MeltCeiling
    now_c: float
    asked_mm3_s: float
    needed_c: float | None
    highest_c: float
    hotter_c: float | None
    hotter_plan_mm3_s: float | None
    saved_s: float | None
    print_time_s: float


def heat_question(engine: Engine, job: PrintJob) -> HeatQuestion:
    """What temperature a recipe's fastest flow needs, and what ten degrees more would change of its print time.

    Both times are those of the same sample of layers, so that what the sample is off by falls out of the difference; the speeds
    that the recipe leaves open follow what then melts.
    """
    prepared = prepare(job)
    base = engine.sampled(prepared, SAMPLE_LAYERS)
    now = prepared.plan.nozzle_temp_c
    highest = min(job.material.nozzle_temp_max_c, job.printer.highest_nozzle_c)
    asked = base.estimate.asked_flow_mm3_s
    hotter = min(now + STEP_C, highest)
    saved, plan = None, None
    if hotter > now + 0.5:
        warm = replace(job, recipe=job.recipe.model_copy(update={"nozzle_temp_c": hotter}))
        other = engine.sampled(warm, SAMPLE_LAYERS, base)
        saved = base.estimate.print_time_s - other.estimate.print_time_s
        plan = melt_ceiling(job.printer, job.nozzle, job.material, hotter).plan_mm3_s
    return HeatQuestion(
        ceiling=prepared.ceiling,
        now_c=now,
        asked_mm3_s=asked,
        needed_c=temperature_for_flow_c(job.printer, job.nozzle, job.material, asked, highest),
        highest_c=highest,
        hotter_c=hotter if saved is not None else None,
        hotter_plan_mm3_s=plan,
        saved_s=saved,
        print_time_s=base.estimate.print_time_s,
    )


@dataclass(frozen=True)
class WantedPart:
    """A part of the list with its chosen recipe, and how many are wanted."""

    name: str
    job: PrintJob
    quantity: int


class Fitting(Result):
    """One way to equip a machine: print hours of all wanted parts, and grams. ``problems`` are parts that cannot be printed so.
    ``saved_h_a_week`` is against what is fitted now."""

    label: str
    hours: float
    filament_g: float
    saved_h_a_week: float
    source: str
    problems: list[str]


class Fittings(Result):
    """All ways to equip a machine; the first is what is there now."""

    ways: list[Fitting]


def what_to_fit(
    engine: Engine,
    parts: Sequence[WantedPart],
    nozzles: Mapping[str, Nozzle],
    hotends: Mapping[str, Printer],
    rounds_a_week: float = 1.0,
    tell: Callable[[float, str, list[Fitting]], None] = lambda share, doing, found: None,
) -> list[Fitting]:
    """All wanted parts on each nozzle and each hot end, by hours; the first is what is there now.

    ``nozzles`` are fitted to each part's own machine, its recipe adapted to their bore with the shell kept; ``hotends`` are
    machines whose hot end and flow tests would be on this one. All by samples of layers.
    """
    ways: list[tuple[str, Callable[[PrintJob], PrintJob]]] = [("as it is", lambda job: job)]
    ways += [(label, lambda job, nozzle=nozzle: _with_nozzle(job, nozzle)) for label, nozzle in nozzles.items()]  # type: ignore[misc]
    ways += [(label, lambda job, other=other: _with_hotend(job, other)) for label, other in hotends.items()]  # type: ignore[misc]
    found: list[Fitting] = []
    for number, (label, change) in enumerate(ways):
        tell(number / len(ways), label, found)
        hours, grams, problems, sources = 0.0, 0.0, [], set()
        for part in parts:
            try:
                job = change(part.job)
                estimate = engine.sampled(job, SAMPLE_LAYERS).estimate
            except MeanBeadError as problem:
                problems.append(f"{part.name}: {problem.message}")
                continue
            hours += part.quantity * estimate.print_time_s / 3600
            grams += part.quantity * estimate.filament_g
            sources.add(estimate.melt_basis or estimate.melt_ceiling_source)
        before = found[0].hours if found else hours
        found.append(
            Fitting(
                label=label,
                hours=hours,
                filament_g=grams,
                saved_h_a_week=(before - hours) * rounds_a_week if not problems else 0.0,
                source="; ".join(sorted(sources)),
                problems=problems,
            )
        )
    return [found[0], *sorted(found[1:], key=lambda way: (len(way.problems), -way.saved_h_a_week))]


def _with_nozzle(job: PrintJob, nozzle: Nozzle) -> PrintJob:
    recipe = adapted(job.recipe, job.printer, job.nozzle, nozzle, job.material, job.standards)
    return replace(job, nozzle=nozzle, recipe=recipe)


def _with_hotend(job: PrintJob, other: Printer) -> PrintJob:
    own = {"hotend": other.hotend, "measured_melts": other.measured_melts}
    return replace(job, printer=job.printer.model_copy(update=own))
