"""Recipes over HTTP: the columns of a part's sheet, and their estimates."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import PurePosixPath

from apiflask import APIBlueprint
from flask import request
from sqlalchemy.orm import Session

from meanbead.api.context import context, session
from meanbead.api.shapes import (
    PreviewAsk,
    RecipeAdd,
    RecipeEdit,
    RecipeOut,
    RecipesOut,
    VersionOnly,
    recipe_out,
)
from meanbead.core.errors import MeanBeadError
from meanbead.core.gcode.as_estimate import replayed_estimate
from meanbead.core.preview import Preview, preview
from meanbead.core.vocabulary import Estimate, LayerLedger, Material, Nozzle, Printer, Recipe
from meanbead.store import workshop
from meanbead.store.tables import Machine, MaterialRow, NozzleRow, Part, RecipeRow

MAX_GCODE_BYTES = 400 * 1024 * 1024

blueprint = APIBlueprint("recipes", __name__, url_prefix="/api", tag="Recipes")


@blueprint.get("/parts/<int:part_id>/recipes")
@blueprint.output(RecipesOut)
def list_recipes(part_id: int) -> RecipesOut:
    """A part's columns, each with its stored estimate if there is one of just these inputs."""
    with session() as db:
        part = workshop.get(db, Part, part_id)
        return RecipesOut(recipes=[_full(db, row, part) for row in workshop.recipes_of(db, part_id)])


@blueprint.post("/parts/<int:part_id>/recipes")
@blueprint.input(RecipeAdd)
@blueprint.output(RecipeOut, status_code=201)
def add_recipe(part_id: int, json_data: RecipeAdd) -> RecipeOut:
    """Add a column: a duplicate of another one, or a fresh one."""
    with session() as db:
        part = workshop.get(db, Part, part_id)
        if json_data.copy_of is not None:
            original = workshop.get_recipe(db, json_data.copy_of)
            if original.part_id != part_id:
                raise MeanBeadError("That recipe belongs to another part.", field="copy_of")
            row = workshop.add_recipe(
                db,
                part,
                name=json_data.name or f"{original.name[:110]} copy",
                machine_id=original.machine_id,
                nozzle_id=original.nozzle_id,
                material_id=original.material_id,
                choices=Recipe.model_validate(original.choices),
                gcode_id=original.gcode_id,
                after=original,
            )
        else:
            machine, nozzle, material = workshop.first_of_each(db)
            row = workshop.add_recipe(
                db,
                part,
                name=json_data.name or "New recipe",
                machine_id=machine.id,
                nozzle_id=nozzle.id,
                material_id=material.id,
                choices=Recipe(),
            )
        return _full(db, workshop.get_recipe(db, row.id), part)


@blueprint.post("/parts/<int:part_id>/gcode")
@blueprint.output(RecipeOut, status_code=201)
@blueprint.doc(summary="Add a column that replays a G-code file sent as multipart form data, field file")
def add_gcode(part_id: int) -> RecipeOut:
    """Replay a file with the first column's machine, nozzle and material, and keep it as a read-only column."""
    request.max_content_length = MAX_GCODE_BYTES
    upload = request.files.get("file")
    if upload is None:
        raise MeanBeadError("No file was sent.", field="file", remedy="Choose a G-code file.")
    file_name = PurePosixPath((upload.filename or "file.gcode").replace("\\", "/")).name
    with session() as db:
        part = workshop.get(db, Part, part_id)
        columns = workshop.recipes_of(db, part_id)
        if columns:
            machine, nozzle, material = columns[0].machine, columns[0].nozzle, columns[0].material
        else:
            machine, nozzle, material = workshop.first_of_each(db)
        row = workshop.add_recipe(
            db,
            part,
            name=file_name.rsplit(".", 1)[0] or "G-code",
            machine_id=machine.id,
            nozzle_id=nozzle.id,
            material_id=material.id,
            choices=Recipe(),
            gcode_id=workshop.keep_gcode(db, upload.stream, file_name).id,
        )
        row = workshop.get_recipe(db, row.id)
        # A file that cannot be replayed is refused here, and nothing of it is kept.
        result = _replaying(db, row)()
        workshop.keep_estimate(db, workshop.inputs_digest(row, part.digest), row.id, result)
        return _full(db, row, part)


def _planning(db: Session, row: RecipeRow) -> Callable[[], Estimate]:
    job, engine = workshop.job_of(db, row), context().engine
    return lambda: engine.estimate(job)


def _replaying(db: Session, row: RecipeRow) -> Callable[[], Estimate]:
    content = workshop.gcode_content(db, row.gcode_id or 0)
    _, printer, nozzle, material = workshop.recipe_inputs(row)
    return lambda: replayed_estimate(lambda: workshop.open_gcode(content), printer, nozzle, material)


@blueprint.patch("/recipes/<int:recipe_id>")
@blueprint.input(RecipeEdit)
@blueprint.output(RecipeOut)
def edit_recipe(recipe_id: int, json_data: RecipeEdit) -> RecipeOut:
    """Change a column. Choices that contradict each other are refused, and nothing is stored."""
    with session() as db:
        row = workshop.get_for_edit(db, RecipeRow, recipe_id, json_data.version)
        if json_data.name is not None:
            row.name = json_data.name.strip()
        if json_data.machine_id is not None:
            row.machine = workshop.get(db, Machine, json_data.machine_id)
        if json_data.nozzle_id is not None:
            row.nozzle = workshop.get(db, NozzleRow, json_data.nozzle_id)
        if json_data.material_id is not None:
            row.material = workshop.get(db, MaterialRow, json_data.material_id)
        if json_data.choices is not None:
            row.choices = workshop.stored_choices(json_data.choices)
        if row.gcode_id is None:
            preview(*workshop.recipe_inputs(row))
        db.flush()
        return _full(db, workshop.get_recipe(db, recipe_id), workshop.get(db, Part, row.part_id))


@blueprint.post("/recipes/<int:recipe_id>/delete")
@blueprint.input(VersionOnly)
@blueprint.output(RecipeOut)
def delete_recipe(recipe_id: int, json_data: VersionOnly) -> RecipeOut:
    """Remove a column; it can be restored."""
    with session() as db:
        row = workshop.get_for_edit(db, RecipeRow, recipe_id, json_data.version)
        workshop.delete(db, row)
        return recipe_out(row)


@blueprint.post("/recipes/<int:recipe_id>/restore")
@blueprint.output(RecipeOut)
def restore_recipe(recipe_id: int) -> RecipeOut:
    """Undo the removal of a column."""
    with session() as db:
        row = workshop.get(db, RecipeRow, recipe_id, deleted=True)
        workshop.restore(db, row)
        return _full(db, row, workshop.get(db, Part, row.part_id))


@blueprint.post("/recipes/<int:recipe_id>/estimate")
@blueprint.output(Estimate)
def estimate(recipe_id: int) -> Estimate:
    """The estimate of a column: the stored one when its inputs are the same, else computed now and stored."""
    with session() as db:
        row = workshop.get_recipe(db, recipe_id)
        part = workshop.get(db, Part, row.part_id)
        inputs = workshop.inputs_digest(row, part.digest)
        found = workshop.find_estimate(db, inputs)
        if found is not None:
            return found
        compute = _replaying(db, row) if row.gcode_id is not None else _planning(db, row)
    # Computed outside the transaction: it may take seconds, and rows must not stay locked meanwhile.
    result = compute()
    with session() as db:
        workshop.keep_estimate(db, inputs, recipe_id, result)
    return result


@blueprint.get("/recipes/<int:recipe_id>/layers")
@blueprint.output(LayerLedger)
def layers(recipe_id: int) -> LayerLedger:
    """Where the seconds and the plastic of a column go, layer by layer."""
    with session() as db:
        row = workshop.get_recipe(db, recipe_id)
        if row.gcode_id is not None:
            raise MeanBeadError("A replayed file has no layers of its own to plan.", field="gcode")
        job = workshop.job_of(db, row)
    return context().engine.by_layer(job)


@blueprint.post("/preview")
@blueprint.input(PreviewAsk)
@blueprint.output(Preview)
def preview_recipe(json_data: PreviewAsk) -> Preview:
    """Bead, flow and ceiling of choices that are not stored."""
    with session() as db:
        printer = Printer.model_validate(workshop.get(db, Machine, json_data.machine_id).printer)
        nozzle = Nozzle.model_validate(workshop.get(db, NozzleRow, json_data.nozzle_id).nozzle)
        material = Material.model_validate(workshop.get(db, MaterialRow, json_data.material_id).material)
    return preview(json_data.choices, printer, nozzle, material)


def _full(db: Session, row: RecipeRow, part: Part) -> RecipeOut:
    if row.gcode_id is not None:
        return recipe_out(row, estimate=workshop.find_estimate(db, workshop.inputs_digest(row, part.digest)))
    try:
        shown = preview(*workshop.recipe_inputs(row))
    except MeanBeadError as problem:
        # A machine or nozzle edited elsewhere can make a stored recipe contradict itself: show it, with the reason.
        return recipe_out(row, problem=str(problem))
    return recipe_out(row, shown, estimate=workshop.find_estimate(db, workshop.inputs_digest(row, part.digest)))
