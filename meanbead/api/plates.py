"""Plates over HTTP: several parts on one bed."""

from __future__ import annotations

from collections import Counter

from apiflask import APIBlueprint
from sqlalchemy import select
from sqlalchemy.orm import Session

from meanbead import services, store
from meanbead.api.context import session
from meanbead.api.jobs import start
from meanbead.api.jobs_schemas import JobOut
from meanbead.api.plates_schemas import (
    PlateAdd,
    PlateArrange,
    PlateArranged,
    PlateCheck,
    PlateChecked,
    PlateEdit,
    PlateHead,
    PlateKind,
    PlateOut,
    PlatesOut,
    PlateTrouble,
    plate_head,
)
from meanbead.api.schema import VersionOnly
from meanbead.core.errors import MeanBeadError
from meanbead.core.model.plate import PlateItem
from meanbead.core.model.printer import HeadBox
from meanbead.services.plates import MOST_ITEMS, LoadedPlate, load_plate, rings_of
from meanbead.store.tables import Machine, Part, PlateRow, RecipeRow, plain

blueprint = APIBlueprint("plates", __name__, url_prefix="/api", tag="Plates")


@blueprint.get("/plates")
@blueprint.output(PlatesOut)
def list_plates() -> PlatesOut:
    """All plates, the newest first."""
    with session() as db:
        rows = db.scalars(select(PlateRow).where(PlateRow.deleted_at.is_(None)).order_by(PlateRow.id.desc())).all()
        return PlatesOut(plates=[_head(db, row) for row in rows])


def _head(db: Session, row: PlateRow) -> PlateHead:
    column, machine = db.get(RecipeRow, row.recipe_id), db.get(Machine, row.machine_id)
    names = {"recipe": "" if column is None else column.name, "machine": "" if machine is None else machine.name}
    return plate_head(row).model_copy(update=names)


def _checked(loaded: LoadedPlate) -> PlateChecked:
    wrong = loaded.troubles
    return PlateChecked(
        troubles=[PlateTrouble(kind=one.kind, items=list(one.items), says=one.says) for one in wrong],
        order=[] if wrong else loaded.order,
    )


def _full(db: Session, row: PlateRow) -> PlateOut:
    loaded = load_plate(db, row)
    counts = Counter(item.part_id for item in loaded.items)
    bed = loaded.job.printer.bed_mm
    return PlateOut(
        **_head(db, row).model_dump(),
        recipe_id=row.recipe_id,
        machine_id=row.machine_id,
        order="one_by_one" if row.order == "one_by_one" else "by_layer",
        gap_mm=loaded.gap_mm,
        own_gap=row.gap_mm is not None,
        bed_mm=(bed.x, bed.y, bed.z),
        head=HeadBox.model_validate(loaded.machine.head),
        placed=loaded.items,
        kinds=[
            PlateKind(
                part_id=part_id,
                name=db.get_one(Part, part_id).name,
                rings=rings_of(kind),
                height_mm=kind.height_mm,
                count=counts[part_id],
            )
            for part_id, kind in zip(loaded.part_ids, loaded.kinds, strict=True)
        ],
        checked=_checked(loaded),
        digest=services.plates.plate_digest(db, loaded),
        note=row.note,
    )


def _laid(db: Session, row: PlateRow, counts: dict[str, int], *, may_turn: bool) -> int:
    """Lay so many of each part; gives how many found no room."""
    wanted: dict[int, int] = {}
    for part, count in counts.items():
        if not part.isdigit():
            raise MeanBeadError(f"{part!r:.20} is no part's number.", field="counts")
        store.rows.get(db, Part, int(part))
        if count:
            wanted[int(part)] = count
    if sum(wanted.values()) > MOST_ITEMS:
        raise MeanBeadError(f"Up to {MOST_ITEMS} parts fit into a plate's list.", field="counts")
    loaded = load_plate(db, row, [PlateItem(part_id=part_id) for part_id in wanted])
    laid = services.plates.arranged(loaded, wanted, may_turn=may_turn)
    row.items = [plain(item) for item in laid]
    return sum(wanted.values()) - len(laid)


@blueprint.post("/plates")
@blueprint.input(PlateAdd)
@blueprint.output(PlateArranged, status_code=201)
def add_plate(json_data: PlateAdd) -> PlateArranged:
    """A new plate, laid as its parts fit."""
    with session() as db:
        column = store.recipes.get_recipe(db, json_data.recipe_id)
        row = PlateRow(
            name=json_data.name.strip(),
            recipe_id=column.id,
            machine_id=column.machine_id,
            order=json_data.order,
            items=[],
        )
        db.add(row)
        db.flush()
        left_out = _laid(db, row, json_data.counts or {str(column.part_id): 1}, may_turn=True)
        db.flush()
        return PlateArranged(**_full(db, row).model_dump(), left_out=left_out)


@blueprint.get("/plates/<int:plate_id>")
@blueprint.output(PlateOut)
def get_plate(plate_id: int) -> PlateOut:
    """All that stands on a plate, and what is wrong with that."""
    with session() as db:
        return _full(db, store.rows.get(db, PlateRow, plate_id))


@blueprint.patch("/plates/<int:plate_id>")
@blueprint.input(PlateEdit)
@blueprint.output(PlateOut)
def edit_plate(plate_id: int, json_data: PlateEdit) -> PlateOut:
    """Move parts, print them in another order, by another recipe."""
    said = json_data
    with session() as db:
        row = store.rows.get_for_edit(db, PlateRow, plate_id, said.version)
        if said.name is not None:
            row.name = said.name.strip()
        if said.recipe_id is not None:
            column = store.recipes.get_recipe(db, said.recipe_id)
            row.recipe_id, row.machine_id = column.id, column.machine_id
        if said.order is not None:
            row.order = said.order
        if "gap_mm" in said.model_fields_set:
            row.gap_mm = said.gap_mm
        if said.items is not None:
            for part_id in {item.part_id for item in said.items}:
                store.rows.get(db, Part, part_id, deleted=True)
            row.items = [plain(item) for item in said.items]
        if said.head is not None:
            store.rows.get(db, Machine, row.machine_id, deleted=True).head = plain(said.head)
        if said.note is not None:
            row.note = said.note.strip()
        db.flush()
        return _full(db, row)


@blueprint.post("/plates/<int:plate_id>/arrange")
@blueprint.input(PlateArrange)
@blueprint.output(PlateArranged)
def arrange_plate(plate_id: int, json_data: PlateArrange) -> PlateArranged:
    """Lay so many of each part anew, as many as there is room for."""
    with session() as db:
        row = store.rows.get_for_edit(db, PlateRow, plate_id, json_data.version)
        left_out = _laid(db, row, json_data.counts, may_turn=json_data.may_turn)
        db.flush()
        return PlateArranged(**_full(db, row).model_dump(), left_out=left_out)


@blueprint.post("/plates/<int:plate_id>/check")
@blueprint.input(PlateCheck)
@blueprint.output(PlateChecked)
def check_plate(plate_id: int, json_data: PlateCheck) -> PlateChecked:
    """What would be wrong if parts stood elsewhere. Nothing is stored."""
    with session() as db:
        return _checked(load_plate(db, store.rows.get(db, PlateRow, plate_id), json_data.items))


@blueprint.post("/plates/<int:plate_id>/estimate")
@blueprint.output(JobOut, status_code=202)
def start_plate(plate_id: int) -> JobOut:
    """Estimate a plate in the background: the whole, and each part's share."""
    with session() as db:
        loaded = load_plate(db, store.rows.get(db, PlateRow, plate_id))
        wrong = loaded.troubles
        if wrong:
            items = ", ".join(str(item + 1) for item in wrong[0].items)
            raise MeanBeadError(f"Part {items} of the plate {wrong[0].says}.", field="items", remedy="Move it first.")
        digest = services.plates.plate_digest(db, loaded)
        inputs = [digest, store.timed_runs.log_state(db)]
    return start("plate", inputs, {"plate_id": plate_id, "digest": digest}, queue="quick")


@blueprint.post("/plates/<int:plate_id>/delete")
@blueprint.input(VersionOnly)
@blueprint.output(PlateHead)
def delete_plate(plate_id: int, json_data: VersionOnly) -> PlateHead:
    """Remove a plate; it can be restored."""
    with session() as db:
        row = store.rows.get_for_edit(db, PlateRow, plate_id, json_data.version)
        store.rows.delete(db, row)
        return _head(db, row)


@blueprint.post("/plates/<int:plate_id>/restore")
@blueprint.output(PlateHead)
def restore_plate(plate_id: int) -> PlateHead:
    """Undo the removal of a plate."""
    with session() as db:
        row = store.rows.get(db, PlateRow, plate_id, deleted=True)
        store.rows.restore(db, row)
        return _head(db, row)


@blueprint.post("/recipes/<int:recipe_id>/fill")
@blueprint.output(JobOut, status_code=202)
def start_fill(recipe_id: int) -> JobOut:
    """How many of a column's part fit on its machine, and what each count comes to, in the background."""
    with session() as db:
        column = store.recipes.get_recipe(db, recipe_id)
        if column.gcode_id is not None:
            raise MeanBeadError("A replayed file is printed as it is.", field="recipe_id")
        part = store.rows.get(db, Part, column.part_id)
        house = store.house.house_of(db)
        inputs = [services.digests.inputs_digest(column, part.digest), house.version]
    return start("fill", inputs, {"recipe_id": recipe_id}, queue="quick")
