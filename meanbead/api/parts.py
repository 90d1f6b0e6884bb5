"""Parts over HTTP."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import PurePosixPath

from apiflask import APIBlueprint
from flask import Response, request
from sqlalchemy.orm import Session

from meanbead import services, store
from meanbead.api.context import session
from meanbead.api.jobs import FOLLOWS_COLUMN, start
from meanbead.api.jobs_schemas import JobOut
from meanbead.api.kept import kept_while_unchanged
from meanbead.api.parts_schemas import (
    Headline,
    OrientationsAsk,
    PartEdit,
    PartName,
    PartNames,
    PartOut,
    PartsAsk,
    PartsOut,
    PrintedOut,
    part_out,
)
from meanbead.api.problems import OpenUpload
from meanbead.api.schema import VersionOnly
from meanbead.core.errors import OpenSurface, PartError
from meanbead.core.part.bodies import split_bodies
from meanbead.core.part.read import read_mesh
from meanbead.core.part.solid import make_solid
from meanbead.core.runtime import limits
from meanbead.store import jobs
from meanbead.store.tables import (
    Part,
    Purpose,
)

blueprint = APIBlueprint("parts", __name__, url_prefix="/api/parts", tag="Parts")


@blueprint.get("")
@blueprint.input(PartsAsk, location="query")
@blueprint.output(PartsOut)
def list_parts(query_data: PartsAsk) -> Response:
    """Parts, the newest first, each with its chosen column's result: so many, before a part, or those of a name."""
    with session() as db:

        def made() -> tuple[PartsOut, bool]:
            found = store.parts.list_parts(
                db, limit=query_data.limit + 1, before=query_data.before, search=query_data.search
            )
            parts, more = found[: query_data.limit], len(found) > query_data.limit
            headlines = services.parts.headlines(db, parts)
            printed = services.runs.of_parts(db, [part.id for part in parts])
            shown = [
                part_out(part, _headline_out(headlines.get(part.id)), _printed_out(printed.get(part.id)))
                for part in parts
            ]
            total = store.parts.count_parts(db, search=query_data.search)
            complete = all(part.headline is not None and not part.headline.outdated for part in shown)
            return PartsOut(parts=shown, more=more, total=total), complete

        return kept_while_unchanged(db, ("parts", *query_data.model_dump().values()), made)


@blueprint.get("/names")
@blueprint.output(PartNames)
def list_names() -> PartNames:
    """The names of all parts, the newest first."""
    with session() as db:
        return PartNames(parts=[PartName(id=row_id, name=name) for row_id, name in store.parts.names(db)])


def _headline(db: Session, part: Part) -> Headline | None:
    return _headline_out(services.parts.headlines(db, [part]).get(part.id))


def _printed_out(found: services.runs.PartRuns | None) -> PrintedOut | None:
    if found is None:
        return None
    return PrintedOut(
        runs=found.runs,
        real_s=found.real_s,
        predicted_s=found.predicted_s,
        saved_h=found.saved.hours,
        saved_g=found.saved.grams,
        pieces=found.saved.pieces,
    )


def _headline_out(found: services.parts.Headline | None) -> Headline | None:
    return None if found is None else Headline(**asdict(found))


@blueprint.post("")
@blueprint.output(PartOut, status_code=201)
@blueprint.doc(summary="Add a part from a file sent as multipart form data, fields file and unit")
def add_part() -> PartOut:
    """Read a file, check it, and keep it as a part with two columns to start from."""
    upload = request.files.get("file")
    if upload is None:
        raise PartError(
            "No file was sent.", field="file", remedy="Choose an STL, OBJ, 3MF, PLY or STEP file, or a zip of these."
        )
    file_name = PurePosixPath((upload.filename or "part").replace("\\", "/")).name
    unit, member = request.form.get("unit", "auto"), request.form.get("member", "")
    data = upload.read()
    try:
        solid = make_solid(read_mesh(data, file_name, member), unit)
    except OpenSurface as problem:
        with session() as db:
            picture = services.pictures.open_surface_png(problem)
            kept = store.uploads.add_upload(db, file_name, unit, member, data, picture).id
        raise OpenUpload(problem, kept) from None
    with session() as db:
        part = services.intake.add_read_part(db, solid, file_name=file_name, member=member, source=data)
        return part_out(part)


@blueprint.get("/<int:part_id>")
@blueprint.output(PartOut)
def get_part(part_id: int) -> PartOut:
    """One part."""
    with session() as db:
        return part_out(
            store.rows.get(db, Part, part_id), None, _printed_out(services.runs.of_parts(db, [part_id]).get(part_id))
        )


@blueprint.patch("/<int:part_id>")
@blueprint.input(PartEdit)
@blueprint.output(PartOut)
def edit_part(part_id: int, json_data: PartEdit) -> PartOut:
    """Rename a part, stand or cut it otherwise, or say what it is for, how many are wanted, and by when."""
    said = json_data.model_fields_set
    with session() as db:
        part = store.rows.get_for_edit(db, Part, part_id, json_data.version)
        if json_data.name is not None:
            part.name = json_data.name.strip()
        if json_data.note is not None:
            part.note = json_data.note
        if json_data.quantity is not None:
            part.quantity = json_data.quantity
        if "due_on" in said:
            part.due_on = json_data.due_on
        if "purpose_id" in said:
            part.purpose_id = (
                None if json_data.purpose_id is None else store.rows.get(db, Purpose, json_data.purpose_id).id
            )
        if "chosen_id" in said:
            _choose(db, part, json_data.chosen_id)
        if json_data.pose is not None:
            services.parts.set_pose(db, part, json_data.pose)
        if json_data.cut is not None:
            services.parts.cut_part(db, part, json_data.cut.axis, json_data.cut.at_mm, json_data.cut.keep)
        if json_data.pose is not None or json_data.cut is not None:
            _stop_work_on(db, part_id)
        db.flush()
        return part_out(part, _headline(db, part))


def _choose(db: Session, part: Part, recipe_id: int | None) -> None:
    if recipe_id is not None and store.recipes.get_recipe(db, recipe_id).part_id != part.id:
        raise PartError("That recipe belongs to another part.", field="chosen_id")
    part.chosen_id = recipe_id


@blueprint.post("/<int:part_id>/split")
@blueprint.input(VersionOnly)
@blueprint.output(PartsOut)
def split_part(part_id: int, json_data: VersionOnly) -> PartsOut:
    """Make a part of each body, the largest first. The part itself is deleted; it can be restored."""
    with session() as db:
        part = store.rows.get_for_edit(db, Part, part_id, json_data.version)
        bodies = split_bodies(store.parts.load_solid(db, part_id))
        if len(bodies) < 2:
            raise PartError("This part is one body: there is nothing to split.", field="bodies")
        if len(bodies) > limits.BODIES_SPLIT:
            raise PartError(
                f"It would fall into {len(bodies):,} bodies.",
                field="bodies",
                remedy="Split it in the program that it was drawn in.",
                code="over_limit",
            )
        columns = store.recipes.recipes_of(db, part_id)
        made = []
        for number, body in enumerate(bodies, start=1):
            name = f"{part.name[:110]}, {number}"
            # The body's own mesh stands for the file, which holds them all.
            row = services.parts.add_part(db, body, name=name, file_name=part.file_name, source=b"")
            row.purpose_id, row.quantity, row.due_on = part.purpose_id, part.quantity, part.due_on
            # Which triangles of it were guessed is not known any more; that some were, is.
            row.guessed = part.guessed
            for column in columns:
                if column.gcode_id is None:
                    store.recipes.copy_recipe(db, column, row)
            made.append(part_out(row))
        store.rows.delete(db, part)
        return PartsOut(parts=made)


@blueprint.post("/<int:part_id>/stances")
@blueprint.input(OrientationsAsk)
@blueprint.output(JobOut, status_code=202)
def estimate_orientations(part_id: int, json_data: OrientationsAsk) -> JobOut:
    """Have ways to stand the part estimated in the background, with a column's recipe."""
    with session() as db:
        row = store.recipes.get_recipe(db, json_data.recipe_id)
        if row.part_id != part_id:
            raise PartError("That recipe belongs to another part.", field="recipe_id")
        if row.gcode_id is not None:
            raise PartError(
                "A replayed file cannot be stood otherwise.", field="recipe_id", remedy="Choose another column."
            )
        part = store.rows.get(db, Part, part_id)
        inputs = services.digests.inputs_digest(row, part.digest)
    return start("stances", inputs, {"recipe_id": json_data.recipe_id})


@blueprint.post("/<int:part_id>/delete")
@blueprint.input(VersionOnly)
@blueprint.output(PartOut)
def delete_part(part_id: int, json_data: VersionOnly) -> PartOut:
    """Delete a part; it can be restored."""
    with session() as db:
        part = store.rows.get_for_edit(db, Part, part_id, json_data.version)
        store.rows.delete(db, part)
        _stop_work_on(db, part_id)
        return part_out(part)


def _stop_work_on(db: Session, part_id: int) -> None:
    jobs.stop_outdated(db, [row.id for row in store.recipes.recipes_of(db, part_id)], FOLLOWS_COLUMN)


@blueprint.post("/<int:part_id>/restore")
@blueprint.output(PartOut)
def restore_part(part_id: int) -> PartOut:
    """Undo a deletion."""
    with session() as db:
        part = store.rows.get(db, Part, part_id, deleted=True)
        store.rows.restore(db, part)
        return part_out(part)
