"""Experiments over HTTP: grids, what came of them, and what they say."""

from __future__ import annotations

import csv
import io

from apiflask import APIBlueprint
from flask import Response
from sqlalchemy.orm import Session

from meanbead import services, store
from meanbead.api.access import me
from meanbead.api.binary import described_as
from meanbead.api.context import session
from meanbead.api.experiments_schemas import (
    CellOut,
    CellRunOut,
    ComparisonAdd,
    ComparisonOut,
    ExperimentAdd,
    ExperimentEdit,
    ExperimentHead,
    ExperimentOut,
    ExperimentsOut,
    MeasurementAdd,
    MeasurementOut,
    PairAsk,
    PairOut,
    ReadyMadeOut,
    comparison_out,
    head_out,
    measurement_out,
)
from meanbead.api.recipes_schemas import recipe_out
from meanbead.api.schema import VersionOnly
from meanbead.core.errors import MeanBeadError
from meanbead.core.learn.experiments.grid import SHARES, varied
from meanbead.core.learn.experiments.ready_made import ready_made
from meanbead.core.recipe.choices import choices
from meanbead.services.experiments import Cell
from meanbead.store.tables import ComparisonRow, ExperimentRow, MeasurementRow, NozzleRow, RecipeRow, now, plain

blueprint = APIBlueprint("experiments", __name__, url_prefix="/api", tag="Experiments")

_NO_FACTOR = ("spool", "height_ranges")


@blueprint.get("/experiments")
@blueprint.output(ExperimentsOut)
def list_experiments() -> ExperimentsOut:
    """All experiments, the newest first."""
    with session() as db:
        counted = store.experiments.counts(db)
        rows = store.experiments.list_experiments(db)
        return ExperimentsOut(experiments=[head_out(row, counted.get(row.id, (0, 0))) for row in rows])


@blueprint.get("/experiments/ready-made")
@blueprint.output(ReadyMadeOut)
def list_ready_made() -> ReadyMadeOut:
    """Experiments that are asked for again and again, and all that can vary."""
    with session() as db:
        nozzles = sorted(store.rows.all_rows(db, NozzleRow), key=lambda row: float(row.nozzle.get("bore_mm", 0.4)))
        one_a_bore = {row.nozzle.get("bore_mm", 0.4): row.id for row in reversed(nozzles)}
    keys = [*SHARES, *(choice.key for choice in choices() if choice.key not in _NO_FACTOR)]
    return ReadyMadeOut(ready=ready_made(sorted(one_a_bore.values())), factors=[varied(key) for key in keys])


@blueprint.post("/experiments")
@blueprint.input(ExperimentAdd)
@blueprint.output(ExperimentOut, status_code=201)
def add_experiment(json_data: ExperimentAdd) -> ExperimentOut:
    """Begin an experiment: all its cells are columns at once."""
    with session() as db:
        column = store.recipes.get_recipe(db, json_data.recipe_id)
        if column.gcode_id is not None:
            raise MeanBeadError("A replayed file does not tell its settings.", field="recipe_id")
        row = ExperimentRow(
            name=json_data.name.strip(),
            part_id=column.part_id,
            machine_id=column.machine_id,
            nozzle_id=column.nozzle_id,
            material_id=column.material_id,
            choices=column.choices,
            grid=plain(json_data.grid),
            note=json_data.note.strip(),
        )
        db.add(row)
        db.flush()
        db.refresh(row)
        services.experiments.sync_cells(db, row)
        return _full(db, row)


@blueprint.get("/experiments/<int:experiment_id>")
@blueprint.output(ExperimentOut)
def get_experiment(experiment_id: int) -> ExperimentOut:
    """All of an experiment."""
    with session() as db:
        return _full(db, store.rows.get(db, ExperimentRow, experiment_id))


@blueprint.patch("/experiments/<int:experiment_id>")
@blueprint.input(ExperimentEdit)
@blueprint.output(ExperimentOut)
def edit_experiment(experiment_id: int, json_data: ExperimentEdit) -> ExperimentOut:
    """Rename it, change its grid (cells are made and removed, results stay), or keep what it says."""
    said = json_data
    with session() as db:
        row = store.rows.get_for_edit(db, ExperimentRow, experiment_id, said.version)
        if said.name is not None:
            row.name = said.name.strip()
        if said.note is not None:
            row.note = said.note.strip()
        if said.grid is not None:
            row.grid = plain(said.grid)
            services.experiments.sync_cells(db, row)
        if "kept" in said.model_fields_set:
            kept = said.kept
            row.kept = None if kept is None else plain(kept.model_copy(update={"at": now(), "who": me().name[:60]}))
        db.flush()
        return _full(db, row)


@blueprint.post("/experiments/<int:experiment_id>/delete")
@blueprint.input(VersionOnly)
@blueprint.output(ExperimentHead)
def delete_experiment(experiment_id: int, json_data: VersionOnly) -> ExperimentHead:
    """Remove an experiment; it can be restored. Runs of its cells stay in the log."""
    with session() as db:
        row = store.rows.get_for_edit(db, ExperimentRow, experiment_id, json_data.version)
        store.rows.delete(db, row)
        return head_out(row)


@blueprint.post("/experiments/<int:experiment_id>/restore")
@blueprint.output(ExperimentHead)
def restore_experiment(experiment_id: int) -> ExperimentHead:
    """Undo the removal of an experiment."""
    with session() as db:
        row = store.rows.get(db, ExperimentRow, experiment_id, deleted=True)
        store.rows.restore(db, row)
        return head_out(row)


def _full(db: Session, row: ExperimentRow) -> ExperimentOut:
    found = services.experiments.load(db, row)
    numbers = services.experiments.blind_numbers(row.id, [cell.row for cell in found.cells])
    printed = sum(cell.printed for cell in found.cells)
    about = store.around.around(db)
    return ExperimentOut(
        head=head_out(row, (len(found.cells), printed)),
        grid=found.grid,
        note=row.note,
        factors=found.factors,
        levels=found.levels,
        cells=[_cell_out(cell, numbers[cell.row.id], about) for cell in found.cells],
        plan=found.plan,
        comparisons=len(found.comparisons),
        judges=list(dict.fromkeys(one.who for one in found.comparisons)),
        times=found.times,
        verdict=found.verdict,
        sentence=found.sentence,
        keepings=found.keepings,
    )


def _cell_out(cell: Cell, blind: int, about: store.around.Around) -> CellOut:
    seen = services.digests.shown(cell.row, about)
    inputs = services.digests.inputs_digest(cell.row, cell.row.part.digest, about)
    recipe = recipe_out(
        cell.row,
        None if isinstance(seen, str) else seen,
        problem=cell.problem or None,
        estimate=cell.estimate,
        inputs=inputs,
    )
    return CellOut(
        recipe=recipe,
        levels=cell.levels,
        words=cell.words,
        marks=cell.marks,
        risks=cell.risks,
        printed=cell.printed,
        faulted=cell.faulted,
        runs=[
            CellRunOut(id=run.id, state=run.state, real_s=run.real_s, faults=run.faults, looks=run.looks)
            for run in cell.runs
        ],
        measured=[measurement_out(one) for one in cell.measured],
        blind=blind,
    )


@blueprint.get("/experiments/<int:experiment_id>/pair")
@blueprint.input(PairAsk, location="query")
@blueprint.output(PairOut)
def next_pair(experiment_id: int, query_data: PairAsk) -> PairOut:
    """Which two pieces to compare next at a spot, by numbers that do not tell what they are."""
    with session() as db:
        row = store.rows.get(db, ExperimentRow, experiment_id)
        who = me().name[:60]
        cells = store.experiments.cells_of(db, row.id)
        numbers = services.experiments.blind_numbers(row.id, cells)
        done = sum(
            one.who == who and one.spot == query_data.spot
            for one in store.experiments.comparisons_of(db, experiment_id)
        )
        pair = services.experiments.pair_to_compare(db, row, query_data.spot, who)
        printed = {
            run.recipe_id
            for run in store.experiments.runs_of(db, [cell.id for cell in cells])
            if run.state in ("kept", "scrapped")
        }
        found = None if pair is None else (numbers[pair[0].id], numbers[pair[1].id])
        return PairOut(numbers=found, done=done, pieces=len(printed))


@blueprint.post("/experiments/<int:experiment_id>/comparisons")
@blueprint.input(ComparisonAdd)
@blueprint.output(ComparisonOut, status_code=201)
def add_comparison(experiment_id: int, json_data: ComparisonAdd) -> ComparisonOut:
    """Note which of two pieces is better. The same key again gives what is stored under it."""
    said = json_data
    with session() as db:
        store.rows.lock_key(db, said.key)
        known = store.experiments.find_comparison(db, said.key)
        if known is not None:
            return comparison_out(known)
        row = store.rows.get(db, ExperimentRow, experiment_id)
        cells = store.experiments.cells_of(db, experiment_id)
        by_number = {number: cell for cell, number in services.experiments.blind_numbers(row.id, cells).items()}
        one, other = (_numbered(by_number, number) for number in said.numbers)
        if one == other or said.better not in (None, *said.numbers):
            raise MeanBeadError("The better one has to be one of the two.", field="better")
        better = one if said.better in (None, said.numbers[0]) else other
        made = ComparisonRow(
            name=f"{said.numbers[0]} and {said.numbers[1]}",
            key=said.key,
            experiment_id=experiment_id,
            better_id=better,
            other_id=other if better == one else one,
            even=said.better is None,
            spot=said.spot,
            who=me().name[:60],
        )
        db.add(made)
        db.flush()
        return comparison_out(made)


def _numbered(by_number: dict[int, int], number: int) -> int:
    if number not in by_number:
        raise MeanBeadError(f"No piece bears the number {number}.", field="numbers")
    return by_number[number]


@blueprint.post("/comparisons/<int:comparison_id>/delete")
@blueprint.input(VersionOnly)
@blueprint.output(ComparisonOut)
def delete_comparison(comparison_id: int, json_data: VersionOnly) -> ComparisonOut:
    """Take a comparison back."""
    with session() as db:
        row = store.rows.get_for_edit(db, ComparisonRow, comparison_id, json_data.version)
        store.rows.delete(db, row)
        return comparison_out(row)


@blueprint.post("/experiments/<int:experiment_id>/measurements")
@blueprint.input(MeasurementAdd)
@blueprint.output(MeasurementOut, status_code=201)
def add_measurement(experiment_id: int, json_data: MeasurementAdd) -> MeasurementOut:
    """Note a piece's measurement. The same key again gives what is stored under it."""
    said = json_data
    with session() as db:
        store.rows.lock_key(db, said.key)
        known = store.experiments.find_measurement(db, said.key)
        if known is not None:
            return measurement_out(known)
        store.rows.get(db, ExperimentRow, experiment_id)
        cell = store.rows.get(db, RecipeRow, said.recipe_id)
        if cell.experiment_id != experiment_id:
            raise MeanBeadError("That column is no cell of this experiment.", field="recipe_id")
        made = MeasurementRow(
            name=cell.name,
            key=said.key,
            experiment_id=experiment_id,
            recipe_id=cell.id,
            measured=plain(said.measured),
            who=me().name[:60],
        )
        db.add(made)
        db.flush()
        return measurement_out(made)


@blueprint.post("/measurements/<int:measurement_id>/delete")
@blueprint.input(VersionOnly)
@blueprint.output(MeasurementOut)
def delete_measurement(measurement_id: int, json_data: VersionOnly) -> MeasurementOut:
    """Take a measurement out; it can be restored."""
    with session() as db:
        row = store.rows.get_for_edit(db, MeasurementRow, measurement_id, json_data.version)
        store.rows.delete(db, row)
        return measurement_out(row)


@blueprint.post("/measurements/<int:measurement_id>/restore")
@blueprint.output(MeasurementOut)
def restore_measurement(measurement_id: int) -> MeasurementOut:
    """Undo taking a measurement out."""
    with session() as db:
        row = store.rows.get(db, MeasurementRow, measurement_id, deleted=True)
        store.rows.restore(db, row)
        return measurement_out(row)


@blueprint.get("/experiments/<int:experiment_id>.csv")
@described_as("text/csv")
def experiment_csv(experiment_id: int) -> Response:
    """Every cell in a line: levels, computed and real minutes, grams, what was measured, strength of looks."""
    with session() as db:
        found = services.experiments.load(db, store.rows.get(db, ExperimentRow, experiment_id))
        ranking = None if found.verdict is None else found.verdict.ranking
        text = io.StringIO()
        table = csv.writer(text)
        head = ["expected_min", "real_min", "filament_g", "measured", "looks_strength", "faulted", "marks"]
        table.writerow([*(f"{one.label} ({one.key})" for one in found.factors), *head])
        for place, cell in enumerate(found.cells):
            estimate = cell.estimate
            expected = None if estimate is None else (estimate.interval.expected_s or estimate.print_time_s)
            strength = None if ranking is None else ranking.strengths[place]
            table.writerow(
                [
                    *(_plain_text(cell.levels[one.key]) for one in found.factors),
                    "" if expected is None else f"{expected / 60:.1f}",
                    " ".join(f"{seconds / 60:.1f}" for seconds in cell.real_s),
                    "" if estimate is None else f"{estimate.filament_g:.1f}",
                    " ".join(f"{measurement_out(one).result:g}" for one in cell.measured),
                    "" if strength is None or not strength.compared else f"{strength.value:.2f}",
                    "yes" if cell.faulted else "",
                    _plain_text(" ".join(cell.marks)),
                ]
            )
        return Response(
            text.getvalue(),
            mimetype="text/csv",
            headers={"Content-Disposition": f'attachment; filename="experiment-{experiment_id}.csv"'},
        )


def _plain_text(value: object) -> str:
    """A value that no table program takes for a formula."""
    told = f"{value:g}" if isinstance(value, float) else str(value)
    return f"'{told}" if told[:1] in "=+@" or (told[:1] == "-" and not isinstance(value, float)) else told
