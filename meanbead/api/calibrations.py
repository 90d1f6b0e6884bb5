"""What the log teaches, over HTTP: calibrations, intervals, inferred limits, two machines."""

from __future__ import annotations

from typing import Any

import numpy as np
from apiflask import APIBlueprint
from pydantic import ValidationError
from sqlalchemy.orm import Session

from meanbead import services, store
from meanbead.api.calibrations_schemas import (
    AddedParts,
    CalibrationHead,
    CalibrationOut,
    CalibrationsOut,
    ColumnDifference,
    DifferencesAsk,
    DifferencesOut,
    EraOut,
    ExpectedAsk,
    ExpectedOut,
    ExpectedPrint,
    GramsOut,
    LimitsApplied,
    LimitsApply,
    MachineNamed,
    MachinesAsk,
    RunPoint,
    TeachesOut,
    TestPrintsAdd,
    TestPrintsAsk,
)
from meanbead.api.context import session
from meanbead.api.jobs import start
from meanbead.api.jobs_schemas import JobOut
from meanbead.api.journal import note_shelf
from meanbead.core.errors import MeanBeadError
from meanbead.core.estimate.factors import by_factor
from meanbead.core.estimate.interval import Z_90, cause_seconds
from meanbead.core.learn.calibration import Calibration, Ranged
from meanbead.core.learn.calibration.design import CANDIDATES, candidate_solid
from meanbead.core.model import Material, Printer
from meanbead.core.model.run import Snapshot
from meanbead.core.text.explain import explain
from meanbead.services.calibrations import MachineRuns, calibration_of, learnt_of, seconds_by_factor
from meanbead.store.shelf import changed_paths, marked
from meanbead.store.tables import Machine, RecipeRow, plain

blueprint = APIBlueprint("calibrations", __name__, url_prefix="/api", tag="Calibrations")

_TEACHES = 6


@blueprint.get("/calibrations")
@blueprint.output(CalibrationsOut)
def list_calibrations() -> CalibrationsOut:
    """Every machine with what its log has taught, in short."""
    with session() as db:
        state = store.timed_runs.log_state(db)
        return CalibrationsOut(
            machines=[_head(row, *learnt_of(db, row, "", state)) for row in store.rows.all_rows(db, Machine)]
        )


@blueprint.get("/machines/<int:machine_id>/calibration")
@blueprint.output(CalibrationOut)
def get_calibration(machine_id: int) -> CalibrationOut:
    """All that a machine's log has taught."""
    with session() as db:
        row = store.rows.get(db, Machine, machine_id)
        runs, calibration = learnt_of(db, row)
        return CalibrationOut(
            head=_head(row, runs, calibration),
            machine_version=row.version,
            report=calibration.report,
            factors=calibration.factors,
            points=_points(runs, calibration),
            eras=_eras(runs),
            grams=_grams(db, row),
            teaches=_teaches(db, row, calibration),
        )


def _head(row: Machine, runs: MachineRuns, calibration: Calibration) -> CalibrationHead:
    points = [point for point in _points(runs, calibration) if point.era == runs.era and not point.odd]
    computed = [abs(point.real_s / point.predicted_s - 1) for point in points]
    expected = [abs(point.real_s / point.expected_s - 1) for point in points]
    return CalibrationHead(
        machine_id=row.id,
        machine_name=row.name,
        runs=calibration.posterior.runs,
        before=calibration.posterior.before,
        stale=len(runs.stale),
        off_computed=float(np.median(computed)) if computed else None,
        off_expected=float(np.median(expected)) if expected else None,
        scatter=calibration.report.scatter,
    )


def _points(runs: MachineRuns, calibration: Calibration) -> list[RunPoint]:
    found = calibration.posterior
    return [
        RunPoint(
            run_id=row.id,
            part_id=row.part_id,
            part=row.part,
            nozzle=row.nozzle,
            plastic=row.plastic,
            started_at=row.started_at,
            era=timed.era,
            predicted_s=timed.predicted_s,
            real_s=timed.real_s,
            expected_s=float(left[0]),
            low_s=float(left[1]),
            high_s=float(left[2]),
            odd=bool(fits < 0.5),
        )
        for (row, timed), left, fits in zip(runs.used, found.left_out, found.fits, strict=True)
    ]


def _eras(runs: MachineRuns) -> list[EraOut]:
    counted = [sum(timed.era == number for _, timed in runs.used) for number in range(runs.era + 1)]
    first = EraOut(number=0, since=None, entry_id=None, entry_version=None, name="As it was", runs=counted[0])
    later = [
        EraOut(
            number=number,
            since=change.at,
            entry_id=change.id,
            entry_version=change.version,
            name=change.name,
            runs=counted[number],
        )
        for number, change in enumerate(runs.changes, start=1)
    ]
    return [first, *later]


def _grams(db: Session, row: Machine) -> list[GramsOut]:
    found = []
    mine = [one.plastic for one in store.timed_runs.weighed(db) if one.machine_id == row.id]
    for plastic in dict.fromkeys(mine):
        grams = calibration_of(db, row, plastic).grams
        if grams is not None:
            found.append(
                GramsOut(
                    plastic=plastic,
                    weighed=mine.count(plastic),
                    ratio=grams.ratio,
                    flow=_ranged(grams.flow),
                    density=_ranged(grams.density),
                    scatter=grams.scatter,
                )
            )
    return found


def _ranged(ends: tuple[float, float, float]) -> Ranged:
    return Ranged(value=ends[0], low=ends[1], high=ends[2])


def _teaches(db: Session, row: Machine, calibration: Calibration) -> list[TeachesOut]:
    """Parts' chosen columns on this machine, by what one more run of each would teach of all of them."""
    parts = store.parts.list_parts(db, limit=200)
    chosen = [one for one in store.recipes.chosen_columns(db, parts).values() if one.machine_id == row.id]
    figures = store.estimates.latest_figures(db, [one.id for one in chosen])
    known = [(one, figures[one.id]) for one in chosen if one.id in figures and figures[one.id].by_cause]
    if not known:
        return []
    seconds = np.array([seconds_by_factor(figure.by_cause) for _, figure in known])
    return [
        TeachesOut(
            part_id=column.part_id,
            part=column.part.name,
            recipe_id=column.id,
            column=column.name,
            print_time_s=figure.print_time_s,
            narrower=one.narrower,
        )
        for one in calibration.most_teaching(seconds, seconds)[:_TEACHES]
        for column, figure in [known[one.place]]
    ]


@blueprint.post("/recipes/<int:recipe_id>/expected")
@blueprint.input(ExpectedAsk)
@blueprint.output(ExpectedOut)
def expected(recipe_id: int, json_data: ExpectedAsk) -> ExpectedOut:
    """What prints with these ledgers will really take on a column's machine, and how they differ."""
    with session() as db:
        column = store.recipes.get_recipe(db, recipe_id)
        calibration = calibration_of(db, column.machine)
    seconds = [by_factor(cause_seconds(causes)) for causes in json_data.prints]
    errors = [*json_data.errors_s, *[0.0] * len(seconds)][: len(seconds)]
    shares = [error / Z_90 / max(float(mine.sum()), 1e-9) for error, mine in zip(errors, seconds, strict=True)]
    rows = calibration.posterior.expected(np.array(seconds), np.array(shares))
    against = None if json_data.against is None else by_factor(cause_seconds(json_data.against))
    return ExpectedOut(
        prints=[
            ExpectedPrint(
                expected_s=float(row[0]),
                low_s=float(max(row[1], 0.0)),
                high_s=float(row[2]),
                difference=None if against is None else calibration.between(against, mine, error),
            )
            for row, mine, error in zip(rows, seconds, errors, strict=True)
        ],
        runs=calibration.posterior.runs,
        basis=calibration.basis if calibration.told else "no run of this machine is logged yet",
    )


@blueprint.post("/differences")
@blueprint.input(DifferencesAsk)
@blueprint.output(DifferencesOut)
def list_differences(json_data: DifferencesAsk) -> DifferencesOut:
    """What columns take longer than another one, each with its interval: what both are off by falls out."""
    with session() as db:
        first = store.recipes.get_recipe(db, json_data.from_id)
        rows = [first, *(store.recipes.get_recipe(db, number) for number in json_data.to_ids)]
        about = store.around.around(db)
        digests = [services.digests.inputs_digest(row, row.part.digest, about) for row in rows]
        found = store.estimates.find_estimates(db, digests)
        base = found.get(digests[0])
        columns = []
        for row, digest in zip(rows[1:], digests[1:], strict=True):
            estimate = found.get(digest)
            known = base is not None and estimate is not None
            difference = services.calibrations.difference(db, (first, base), (row, estimate)) if known else None  # type: ignore[arg-type]
            columns.append(ColumnDifference(recipe_id=row.id, difference=difference))
        return DifferencesOut(columns=columns)


@blueprint.post("/machines/<int:machine_id>/again")
@blueprint.output(JobOut, status_code=202)
def start_again(machine_id: int) -> JobOut:
    """Compute anew, in the background, what runs would have been predicted with the limits that are described now."""
    with session() as db:
        row = store.rows.get(db, Machine, machine_id)
        inputs = [machine_id, row.version, store.timed_runs.log_state(db)]
    return start("again", inputs, {"machine_id": machine_id}, again=True)


@blueprint.post("/machines/<int:machine_id>/limits")
@blueprint.output(JobOut, status_code=202)
def start_limits(machine_id: int) -> JobOut:
    """Find, in the background, which limits of a machine explain its runs best."""
    with session() as db:
        store.rows.get(db, Machine, machine_id)
        inputs = [machine_id, store.timed_runs.log_state(db)]
    return start("limits", inputs, {"machine_id": machine_id})


@blueprint.post("/machines/<int:machine_id>/limits/apply")
@blueprint.input(LimitsApply)
@blueprint.output(LimitsApplied)
def apply_limits(machine_id: int, json_data: LimitsApply) -> LimitsApplied:
    """Correct what is described of a machine's limits. Its firmware is as it was: no era ends, and its runs count on."""
    with session() as db:
        row = store.rows.get_for_edit(db, Machine, machine_id, json_data.version)
        held = Printer.model_validate(row.printer).model_dump(mode="json")
        before: dict[str, float | None] = {}
        for key, value in json_data.change.items():
            if key.split(".")[0] not in services.limit_runs.LIMIT_FIELDS:
                raise MeanBeadError(f"{key!r:.60} is no limit of a machine.", field="change")
            place: Any = held
            *path, last = key.split(".")
            for name in path:
                place[name] = place.get(name) or {}
                place = place[name]
            before[key] = place.get(last)
            place[last] = value
        if held["corner"].get("jerk_mm_s") is not None:
            held["corner"]["jerk_mm_s"] = {
                k: v for k, v in held["corner"]["jerk_mm_s"].items() if v is not None
            } or None
        try:
            printer = plain(Printer.model_validate(held))
        except ValidationError as problem:
            first = explain(problem, Printer)[0]
            raise MeanBeadError(first.message, field=f"change.{first.field}") from None
        paths = changed_paths(row.printer, printer)
        row.sources = marked(row.sources, paths, "measured")
        row.printer = printer
        note_shelf(
            db,
            "limits_corrected",
            f"Description of its limits corrected: {row.name}",
            dict(before),
            dict(json_data.change),
            machine_id=row.id,
        )
        db.flush()
        db.refresh(row)
        return LimitsApplied(version=row.version, before=before)


@blueprint.post("/machines/<int:machine_id>/test-prints")
@blueprint.input(TestPrintsAsk)
@blueprint.output(JobOut, status_code=202)
def start_test_prints(machine_id: int, json_data: TestPrintsAsk) -> JobOut:
    """Find, in the background, which two short prints would tell a machine's acceleration best."""
    with session() as db:
        store.rows.get(db, Machine, machine_id)
        column = store.recipes.get_recipe(db, json_data.recipe_id)
        inputs = [
            machine_id,
            store.timed_runs.log_state(db),
            services.digests.inputs_digest(column, column.part.digest),
        ]
    return start("test_prints", inputs, {"machine_id": machine_id, "recipe_id": json_data.recipe_id})


@blueprint.post("/machines/<int:machine_id>/test-prints/add")
@blueprint.input(TestPrintsAdd)
@blueprint.output(AddedParts, status_code=201)
def add_test_prints(machine_id: int, json_data: TestPrintsAdd) -> AddedParts:
    """Keep test prints as parts, with a column on the machine each."""
    made = {one.name: one for one in CANDIDATES}
    unknown = [name for name in json_data.names if name not in made]
    if unknown:
        raise MeanBeadError(
            f"There is no test print {unknown[0]!r:.40}.", field="names", remedy=f"They are {', '.join(made)}."
        )
    with session() as db:
        machine = store.rows.get(db, Machine, machine_id)
        found = []
        for name in json_data.names:
            part = services.intake.add_test_part(db, candidate_solid(made[name]), f"{name}, test print", machine)
            found.append(part.id)
        return AddedParts(part_ids=found)


@blueprint.post("/machine-comparisons")
@blueprint.input(MachinesAsk)
@blueprint.output(JobOut, status_code=202)
def compare_two(json_data: MachinesAsk) -> JobOut:
    """Split the difference of a column's time on two machines, in the background."""
    with session() as db:
        column = store.recipes.get_recipe(db, json_data.recipe_id)
        if column.gcode_id is not None:
            raise MeanBeadError("A replayed file does not tell its settings.", field="recipe_id")
        here, there = (_printer(db, column, named) for named in (json_data.here, json_data.there))
        digest = services.digests.inputs_digest(column, column.part.digest)
    arguments = {
        "recipe_id": json_data.recipe_id,
        "here": here.model_dump(mode="json"),
        "there": there.model_dump(mode="json"),
    }
    return start("machines", [digest, arguments["here"], arguments["there"]], arguments)


def _printer(db: Session, column: RecipeRow, named: MachineNamed) -> Printer:
    if named.machine_id is not None:
        machine = store.rows.get(db, Machine, named.machine_id)
        shop = store.around.around(db).shop
        return store.recipes.printer_of(db, machine, shop, Material.model_validate(column.material.material))
    run = store.runs.get_full(db, named.run_id or 0)
    if run is None or run.deleted_at is not None:
        raise store.rows.NotFound(f"There is no run {named.run_id}.")
    return Snapshot.model_validate(run.snapshot).printer()
