"""``meanbead calibrate`` and ``verdict``: what real prints teach of a machine, and what an experiment says."""

from __future__ import annotations

import argparse
import json
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from meanbead.cli.inputs import Commands, read
from meanbead.core.errors import MeanBeadError, PartError
from meanbead.core.text.durations import duration

if TYPE_CHECKING:  # the engine is loaded by the commands that need it
    from meanbead.core.estimate.engine import Engine, PrintJob
    from meanbead.core.learn.calibration import Calibration
    from meanbead.core.learn.calibration.run_file import Predicted, RunFile

__all__ = ["add", "calibration_of"]


def add(commands: Commands) -> None:
    """Add the commands and their arguments."""
    calibrate = commands.add_parser(
        "calibrate", help="what real times teach: factors, limits, intervals of what comes next"
    )
    calibrate.add_argument("runs", metavar="RUNS.json", type=Path)
    calibrate.add_argument("--json", action="store_true", help="print one JSON object")
    calibrate.set_defaults(run=_calibrate)
    verdict = commands.add_parser(
        "verdict", help="what an experiment says: effects, knee, real differences, what is missing"
    )
    verdict.add_argument("grid", metavar="GRID.json", type=Path)
    verdict.add_argument("--json", action="store_true", help="print one JSON object")
    verdict.set_defaults(run=_verdict)


@dataclass(frozen=True)
class _Loaded:
    """A file of runs with all that was made of it; of each run its job and prediction, None where there is none."""

    file: RunFile
    jobs: list[PrintJob | None]
    predictions: list[Predicted | None]
    calibration: Calibration
    order: list[int]
    engine: Engine


def calibration_of(path: Path) -> Calibration:
    """What the runs of a file teach. Raises :class:`MeanBeadError` that names the run and the field."""
    return _load(path).calibration


def _load(path: Path) -> _Loaded:
    from meanbead.core.estimate.engine import Engine
    from meanbead.core.learn.calibration import Calibration
    from meanbead.core.learn.calibration.run_file import RunFile, in_order, timed_runs

    file = read(path, RunFile)
    engine = Engine()
    jobs = _jobs(file, path.parent)
    predictions = [_predicted(engine, job, place) for place, job in enumerate(jobs)]
    predictions = [run.predicted or made for run, made in zip(file.runs, predictions, strict=True)]
    timed = timed_runs(file, jobs, predictions)
    order = [place for place in in_order(file.runs) if place in timed]
    grams = _grams(file, predictions)
    calibration = Calibration.from_runs([timed[place] for place in order], grams=grams)
    return _Loaded(file, jobs, predictions, calibration, order, engine)


def _jobs(file: RunFile, folder: Path) -> list[PrintJob | None]:
    """Each run's job, where it names a part; a file is read once."""
    from meanbead.core.estimate.engine import PrintJob
    from meanbead.core.model import Nozzle
    from meanbead.core.part.read import read_mesh
    from meanbead.core.part.solid import Solid, make_solid

    solids: dict[str, Solid] = {}
    jobs: list[PrintJob | None] = []
    for place, run in enumerate(file.runs):
        if run.part is None:
            jobs.append(None)
            continue
        if run.part not in solids:
            at = folder / run.part
            try:
                solids[run.part] = make_solid(read_mesh(at.read_bytes(), at.name))
            except OSError as problem:
                raise MeanBeadError(f"runs[{place}].part: {run.part}: {problem.strerror}") from None
            except PartError as problem:
                raise MeanBeadError(f"runs[{place}].part: {run.part}: {problem}") from None
        bore = run.recipe.nozzle_diameter_mm
        nozzle = Nozzle() if bore is None else Nozzle(bore_mm=bore)
        jobs.append(PrintJob(solids[run.part], run.recipe, run.printer, nozzle, run.material))
    return jobs


def _predicted(engine: Engine, job: PrintJob | None, place: int) -> Predicted | None:
    from meanbead.core.errors import RecipeError
    from meanbead.core.learn.calibration.run_file import Predicted

    if job is None:
        return None
    try:
        made = engine.sampled(job, None).estimate
    except RecipeError as problem:
        raise MeanBeadError(f"runs[{place}].recipe: {problem}", field=f"runs[{place}].recipe") from None
    return Predicted.model_validate(made.model_dump())


def _grams(file: RunFile, predictions: list[Predicted | None]) -> Any:
    from meanbead.core.learn.calibration import WeighedRun, fit_grams

    weighed = [
        WeighedRun("this", run.material.name, predicted.filament_g, run.weight_g)
        for run, predicted in zip(file.runs, predictions, strict=True)
        if run.weight_g is not None and predicted is not None and predicted.filament_g
    ]
    return fit_grams(weighed, "this", weighed[-1].material) if weighed else None


def _calibrate(arguments: argparse.Namespace) -> None:
    loaded = _load(arguments.runs)
    report = loaded.calibration.report
    limits = _limits(loaded)
    coming = _next(loaded)
    outliers = sorted(loaded.order[place] for place in report.outliers)
    if arguments.json:
        told: dict[str, Any] = report.model_dump()
        told |= {"outliers": outliers, "next": coming, "inferred_limits": limits, "filament": _filament(loaded)}
        print(json.dumps(told, ensure_ascii=False))
        return
    print(
        f"runs       {report.runs}, {len(outliers)} of them unlike the others"
        if outliers
        else f"runs       {report.runs}"
    )
    for factor in loaded.calibration.factors:
        print(f"  {factor.words:<26} {factor.says}")
    print(f"scatter    {100 * report.scatter:.1f} %")
    if report.coverage_loo is not None:
        print(f"held       {100 * report.coverage_loo:.0f} % of the runs by the interval made from all others")
    for one in coming:
        print(f"next       {duration(one['print_time_s'])}   ({duration(one['low_s'])} to {duration(one['high_s'])})")
    if limits is not None:
        print(f"limits     {limits['says']}")


def _next(loaded: _Loaded) -> list[dict[str, float]]:
    """What is expected of the runs without a real time, in their order."""
    import numpy as np

    from meanbead.core.learn.calibration.run_file import factor_seconds

    found = []
    for place, run in enumerate(loaded.file.runs):
        predicted = loaded.predictions[place]
        if run.real_time_s is not None:
            continue
        if predicted is None:
            raise MeanBeadError(
                f"runs[{place}].predicted: there is no prediction, and no part to make one from.",
                remedy="Give predicted, or part with its file.",
            )
        row = loaded.calibration.posterior.expected(np.array(factor_seconds(predicted, f"runs[{place}].predicted")))[0]
        found.append({"run": place, "print_time_s": float(row[0]), "low_s": float(row[1]), "high_s": float(row[2])})
    return found


def _limits(loaded: _Loaded) -> dict[str, Any] | None:
    from meanbead.core.learn.calibration.limits import LimitRun, infer_limits

    runs = [
        LimitRun(job, run)
        for place, run in zip(loaded.order, loaded.calibration.runs, strict=True)
        if (job := loaded.jobs[place]) is not None
    ]
    found = infer_limits(loaded.engine, runs)
    if found is None:
        return None
    told = found.model_dump(exclude={"limits"})
    units = {"acceleration": "acceleration_mm_s2", "corner": "corner", "pull_speed": "retraction_speed_mm_s"}
    return {units[limit.name]: limit.model_dump(exclude={"name", "label"}) for limit in found.limits} | told


def _filament(loaded: _Loaded) -> dict[str, Any] | None:
    grams = loaded.calibration.grams
    if grams is None:
        return None
    names = ("value", "low", "high")
    return {
        "weighed": grams.weighed,
        "ratio": grams.ratio,
        "flow_ratio": dict(zip(names, grams.flow, strict=True)),
        "density_ratio": dict(zip(names, grams.density, strict=True)),
        "scatter": grams.scatter,
    }


def _verdict(arguments: argparse.Namespace) -> None:
    from meanbead.core.learn.experiments import CellData, judge
    from meanbead.core.learn.experiments.grid_file import GridFile

    file = read(arguments.grid, GridFile)
    verdict = judge(
        file.factors,
        [CellData(cell.levels, cell.time_s, cell.measured, cell.faulted) for cell in file.cells],
        ranks=[pair for cell in file.cells for pair in cell.ranks],
        gauge=file.gauge,
        share=file.share,
        more_is_better=file.more_is_better,
    )
    if arguments.json:
        print(verdict.model_dump_json())
        return

    def named(place: int) -> str:
        return ", ".join(f"{name} {level}" for name, level in file.cells[place].levels.items())

    for name, of in verdict.effects.items():
        for response, effects in of.items():
            for effect in effects:
                span = "" if effect.low is None else f"   ({effect.low:+.3g} to {effect.high:+.3g})"
                print(f"{name} {effect.level}  {response} {effect.mean:.4g}  {effect.change:+.3g}{span}")
    for name, knee in verdict.knee.items():
        print(f"knee       {name}: {knee.says}")
    for difference in verdict.differences:
        one, other = difference.pair
        print(f"differ     {named(one)} | {named(other)}: {difference.value:+.3g} ({difference.of})")
    for need in verdict.need:
        one, other = need.pair
        print(f"the same   {named(one)} | {named(other)}: {need.because}")
    for note in verdict.notes:
        print(f"mind       {note}")
    if verdict.fastest is not None:
        print(f"fastest    {named(verdict.fastest)}")
