"""Recipes over HTTP: the columns of a part's sheet."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import PurePosixPath

from apiflask import APIBlueprint
from flask import Response, request
from sqlalchemy.orm import Session

from meanbead import services, store
from meanbead.api.access import me
from meanbead.api.context import context, session
from meanbead.api.jobs import FOLLOWS_COLUMN
from meanbead.api.kept import kept_while_unchanged
from meanbead.api.recipes_schemas import (
    RecipeAdd,
    RecipeEdit,
    RecipeOut,
    RecipesOut,
    VersionsOut,
    recipe_out,
    version_out,
)
from meanbead.api.schema import VersionOnly
from meanbead.core.advise.context import with_settings
from meanbead.core.errors import MeanBeadError
from meanbead.core.model import Estimate, Nozzle, Recipe
from meanbead.core.recipe.adapt import adapted, short_line
from meanbead.core.recipe.preview import preview
from meanbead.core.runtime import limits
from meanbead.store import jobs
from meanbead.store.tables import (
    HouseRecipe,
    Machine,
    MaterialRow,
    NozzleRow,
    Part,
    RecipeRow,
    SpoolRow,
)

blueprint = APIBlueprint("recipes", __name__, url_prefix="/api", tag="Recipes")


@blueprint.get("/parts/<int:part_id>/recipes")
@blueprint.output(RecipesOut)
def list_recipes(part_id: int) -> Response:
    """A part's columns, each with its stored estimate if there is one of just these inputs."""
    with session() as db:

        def made() -> tuple[RecipesOut, bool]:
            part = store.rows.get(db, Part, part_id)
            columns = _all_full(db, store.recipes.recipes_of(db, part_id), part)
            complete = all(column.estimate is not None or column.problem is not None for column in columns)
            return RecipesOut(recipes=columns), complete

        return kept_while_unchanged(db, ("columns", part_id), made, part_id=part_id)


@blueprint.post("/parts/<int:part_id>/recipes")
@blueprint.input(RecipeAdd)
@blueprint.output(RecipeOut, status_code=201)
def add_recipe(part_id: int, json_data: RecipeAdd) -> RecipeOut:
    """Add a column: a duplicate of another one, perhaps for another nozzle; a house recipe; a short line; or fresh."""
    with session() as db:
        part = store.rows.get(db, Part, part_id)
        if json_data.copy_of is not None:
            row = _copied(db, part, json_data)
        elif json_data.house_id is not None:
            house = store.rows.get(db, HouseRecipe, json_data.house_id)
            row = _made(db, part, json_data.name or house.name, house, Recipe.model_validate(house.choices))
            row.house_id, row.house_version = house.id, house.version
        else:
            row = _fresh(db, part, json_data)
        if row.gcode_id is None:
            preview(*store.recipes.recipe_inputs(store.recipes.get_recipe(db, row.id)))
        store.versions.record_version(db, row, me().name)
        return _full(db, store.recipes.get_recipe(db, row.id), part)


def _copied(db: Session, part: Part, asked: RecipeAdd) -> RecipeRow:
    original = store.recipes.get_recipe(db, asked.copy_of or 0)
    if original.part_id != part.id:
        raise MeanBeadError("That recipe belongs to another part.", field="copy_of")
    name = asked.name or f"{original.name[:110]} copy"
    if asked.settings:
        return _changed(db, part, original, asked, name)
    if asked.nozzle_id is None:
        return store.recipes.copy_recipe(db, original, part, name=name, beside=True)
    if original.gcode_id is not None:
        raise MeanBeadError("A replayed file does not tell its settings.", field="copy_of")
    nozzle = store.rows.get(db, NozzleRow, asked.nozzle_id)
    recipe, printer, old, material, standards = store.recipes.recipe_inputs(original)
    return store.recipes.add_recipe(
        db,
        part,
        name=asked.name or f"{original.name[:80]}, {nozzle.name}"[:120],
        machine_id=original.machine_id,
        nozzle_id=nozzle.id,
        material_id=original.material_id,
        choices=adapted(recipe, printer, old, Nozzle.model_validate(nozzle.nozzle), material, standards),
        after=original,
    )


def _changed(db: Session, part: Part, original: RecipeRow, asked: RecipeAdd, name: str) -> RecipeRow:
    """A duplicate with some settings changed, its nozzle among them."""
    if original.gcode_id is not None:
        raise MeanBeadError("A replayed file does not tell its settings.", field="copy_of")
    nozzles = {row.id: Nozzle.model_validate(row.nozzle) for row in store.rows.all_rows(db, NozzleRow)}
    job = with_settings(services.estimates.job_of(db, original), asked.settings, nozzles)
    requested = [setting.value for setting in asked.settings if setting.key == "nozzle"]
    return store.recipes.add_recipe(
        db,
        part,
        name=name,
        machine_id=original.machine_id,
        nozzle_id=int(requested[-1] or 0) if requested else original.nozzle_id,
        material_id=original.material_id,
        choices=job.recipe,
        after=original,
    )


def _fresh(db: Session, part: Part, asked: RecipeAdd) -> RecipeRow:
    """A column of defaults, on the first column's machine and material; of a short line where one is given."""
    columns = store.recipes.recipes_of(db, part.id)
    machine, nozzle, material = store.shelf.first_of_each(db)
    if columns:
        machine, material = columns[0].machine, columns[0].material
    choices, name = Recipe(), asked.name or "New recipe"
    if asked.line is not None:
        said = short_line(asked.line)
        nozzle = _nozzle_of(db, said.bore_mm)
        choices = Recipe.model_validate(
            {"layer_height_mm": said.layer_height_mm, "line_width_mm": {"outer_wall": said.line_width_mm}}
        )
        numbers = (said.bore_mm, said.layer_height_mm, said.line_width_mm)
        name = asked.name or " / ".join(f"{number:g}" for number in numbers if number is not None)
    return store.recipes.add_recipe(
        db,
        part,
        name=name,
        machine_id=machine.id,
        nozzle_id=nozzle.id,
        material_id=material.id,
        choices=choices,
    )


def _nozzle_of(db: Session, bore_mm: float) -> NozzleRow:
    """The workshop's nozzle of a bore."""
    nozzles = store.rows.all_rows(db, NozzleRow)
    found = next((row for row in nozzles if abs(row.nozzle.get("bore_mm", 0.4) - bore_mm) < 0.005), None)
    if found is None:
        bores = ", ".join(f"{bore:g}" for bore in sorted({row.nozzle.get("bore_mm", 0.4) for row in nozzles}))
        raise MeanBeadError(
            f"There is no {bore_mm:g} mm nozzle on the shelf.", field="line", remedy=f"These are: {bores} mm."
        )
    return found


def _made(db: Session, part: Part, name: str, like: HouseRecipe, choices: Recipe) -> RecipeRow:
    return store.recipes.add_recipe(
        db,
        part,
        name=name,
        machine_id=like.machine_id,
        nozzle_id=like.nozzle_id,
        material_id=like.material_id,
        choices=choices,
    )


@blueprint.post("/parts/<int:part_id>/gcode")
@blueprint.output(RecipeOut, status_code=201)
@blueprint.doc(summary="Add a column that replays a G-code file sent as multipart form data, field file")
def add_gcode(part_id: int) -> RecipeOut:
    """Replay a file with the first column's machine, nozzle and material, and keep it as a read-only column."""
    request.max_content_length = limits.GCODE_FILE_BYTES + limits.FORM_BYTES
    upload = request.files.get("file")
    if upload is None:
        raise MeanBeadError("No file was sent.", field="file", remedy="Choose a G-code file.")
    file_name = PurePosixPath((upload.filename or "file.gcode").replace("\\", "/")).name
    with session() as db:
        part = store.rows.get(db, Part, part_id)
        columns = store.recipes.recipes_of(db, part_id)
        if columns:
            machine, nozzle, material = columns[0].machine, columns[0].nozzle, columns[0].material
        else:
            machine, nozzle, material = store.shelf.first_of_each(db)
        row = store.recipes.add_recipe(
            db,
            part,
            name=file_name.rsplit(".", 1)[0] or "G-code",
            machine_id=machine.id,
            nozzle_id=nozzle.id,
            material_id=material.id,
            choices=Recipe(),
            gcode_id=store.gcode_files.save_gcode(db, upload.stream, file_name).id,
        )
        row = store.recipes.get_recipe(db, row.id)
        services.comments.take_into(db, row, services.comments.rules_of(db))
        store.versions.record_version(db, row, me().name)
        # A file that cannot be replayed is refused here, and nothing of it is kept.
        result = services.estimates.computation(db, row, context().engine)()
        store.estimates.save_estimate(db, services.digests.inputs_digest(row, part.digest), row.id, result)
        return _full(db, row, part)


@blueprint.patch("/recipes/<int:recipe_id>")
@blueprint.input(RecipeEdit)
@blueprint.output(RecipeOut)
def edit_recipe(recipe_id: int, json_data: RecipeEdit) -> RecipeOut:
    """Change a column. Choices that contradict each other are refused, and nothing is stored."""
    with session() as db:
        row = store.rows.get_for_edit(db, RecipeRow, recipe_id, json_data.version)
        part = store.rows.get(db, Part, row.part_id)
        about = store.around.around(db)  # read once: it is asked for at every step, and no edit of a column changes it
        before = services.digests.inputs_digest(row, part.digest, about)
        store.versions.record_version(db, row)
        if json_data.name is not None:
            row.name = json_data.name.strip()
        if json_data.machine_id is not None:
            row.machine = store.rows.get(db, Machine, json_data.machine_id)
        if json_data.nozzle_id is not None:
            row.nozzle = store.rows.get(db, NozzleRow, json_data.nozzle_id)
        if json_data.material_id is not None:
            row.material = store.rows.get(db, MaterialRow, json_data.material_id)
        if "spool_id" in json_data.model_fields_set:
            _take_spool(db, row, json_data.spool_id)
        if json_data.choices is not None:
            row.choices = store.recipes.stored_choices(json_data.choices)
        if json_data.take_version is not None:
            store.versions.restore_version(db, row, json_data.take_version)
        if row.gcode_id is None:
            preview(*store.recipes.recipe_inputs(row, about))
        store.versions.record_version(db, row, me().name)
        if services.digests.inputs_digest(row, part.digest, about) != before:
            jobs.stop_outdated(db, [recipe_id], FOLLOWS_COLUMN)
        return _all_full(db, [store.recipes.get_recipe(db, recipe_id)], part, about)[0]


def _take_spool(db: Session, row: RecipeRow, spool_id: int | None) -> None:
    """Name the spool that a column is printed from; it brings its material."""
    row.spool = None if spool_id is None else store.rows.get(db, SpoolRow, spool_id)
    if row.spool is not None:
        row.material = row.spool.material


@blueprint.post("/recipes/<int:recipe_id>/delete")
@blueprint.input(VersionOnly)
@blueprint.output(RecipeOut)
def delete_recipe(recipe_id: int, json_data: VersionOnly) -> RecipeOut:
    """Remove a column; it can be restored."""
    with session() as db:
        row = store.rows.get_for_edit(db, RecipeRow, recipe_id, json_data.version)
        store.rows.delete(db, row)
        jobs.stop_outdated(db, [recipe_id], FOLLOWS_COLUMN)
        return recipe_out(row)


@blueprint.post("/recipes/<int:recipe_id>/restore")
@blueprint.output(RecipeOut)
def restore_recipe(recipe_id: int) -> RecipeOut:
    """Undo the removal of a column."""
    with session() as db:
        row = store.rows.get(db, RecipeRow, recipe_id, deleted=True)
        store.rows.restore(db, row)
        return _full(db, row, store.rows.get(db, Part, row.part_id))


@blueprint.get("/recipes/<int:recipe_id>/versions")
@blueprint.output(VersionsOut)
def recipe_versions(recipe_id: int) -> VersionsOut:
    """What a column has held, since when, and by whom."""
    with session() as db:
        store.recipes.get_recipe(db, recipe_id)
        return VersionsOut(
            versions=[version_out(version) for version in store.versions.versions_of(db, RecipeRow, recipe_id)]
        )


def _full(db: Session, row: RecipeRow, part: Part) -> RecipeOut:
    return _all_full(db, [row], part)[0]


def _all_full(
    db: Session, rows: Sequence[RecipeRow], part: Part, about: store.around.Around | None = None
) -> list[RecipeOut]:
    """Columns with all that is known of them, in a number of queries that does not grow with theirs."""
    about = about or store.around.around(db)
    inputs = [services.digests.inputs_digest(row, part.digest, about) for row in rows]
    found = store.estimates.find_estimates(db, inputs)
    with_figures = [(row, digest) for row, digest in zip(rows, inputs, strict=True) if digest in found]
    known = services.calibrations.with_intervals(db, [(row, found[digest]) for row, digest in with_figures])
    estimates = {digest: estimate for (_, digest), estimate in zip(with_figures, known, strict=True)}
    return [_shown(row, digest, estimates.get(digest), about) for row, digest in zip(rows, inputs, strict=True)]


def _shown(row: RecipeRow, inputs: str, estimate: Estimate | None, about: store.around.Around) -> RecipeOut:
    if row.gcode_id is not None:
        return recipe_out(row, estimate=estimate, inputs=inputs)
    seen = services.digests.shown(row, about)
    if isinstance(seen, str):
        # A machine or nozzle edited elsewhere can make a stored recipe contradict itself: show it, with the reason.
        return recipe_out(row, problem=seen, inputs=inputs)
    return recipe_out(row, seen, estimate=estimate, inputs=inputs)
