"""The queue over HTTP: what is to be printed."""

from __future__ import annotations

import csv
import io
import uuid
from collections.abc import Sequence
from datetime import datetime, time

from apiflask import APIBlueprint
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from meanbead import services, store
from meanbead.api.context import session
from meanbead.api.queue_schemas import (
    QueueAdd,
    QueueAgain,
    QueueCsv,
    QueueCsvOut,
    QueueCsvProblem,
    QueueEdit,
    QueueListOut,
    QueueOut,
    queue_out,
)
from meanbead.api.schema import VersionOnly
from meanbead.core.errors import MeanBeadError
from meanbead.core.model import Recipe
from meanbead.services.queue import MOST_PLATES, plates_of, progress_of
from meanbead.store.tables import Machine, MaterialRow, Part, PlateRow, QueueItem, RecipeRow, RunRow

blueprint = APIBlueprint("queue", __name__, url_prefix="/api", tag="Queue")

_MOST_LINES = 500


@blueprint.get("/queue")
@blueprint.output(QueueListOut)
def list_queue() -> QueueListOut:
    """What is to be printed, the highest priority first, then what is due first; with what is done of it."""
    with session() as db:
        return QueueListOut(items=_all(db, store.day.queue(db)))


def _all(db: Session, rows: Sequence[QueueItem]) -> list[QueueOut]:
    done = store.day.done_of(db, [row.id for row in rows])
    # Held on to, so that each is read once.
    columns = db.scalars(select(RecipeRow).where(RecipeRow.id.in_({row.recipe_id for row in rows}))).all()
    materials = store.rows.all_rows(db, MaterialRow)
    found = [_out(db, row, done) for row in rows]
    del columns, materials
    return found


def _out(db: Session, row: QueueItem, done: list[store.day.Done] | None = None) -> QueueOut:
    column = db.get_one(RecipeRow, row.recipe_id)
    runs = store.day.done_of(db, [row.id]) if done is None else done
    material = db.get_one(MaterialRow, row.material_id or column.material_id)
    return queue_out(row, column, material.name, progress_of(row, runs))


@blueprint.post("/queue")
@blueprint.input(QueueAdd)
@blueprint.output(QueueOut, status_code=201)
def add_to_queue(json_data: QueueAdd) -> QueueOut:
    """Have something printed. The same key again gives what is stored under it."""
    with session() as db:
        store.rows.lock_key(db, json_data.key)
        known = store.day.find_queued(db, json_data.key)
        return _out(db, known if known is not None else _add(db, json_data))


def _add(db: Session, said: QueueAdd) -> QueueItem:
    per_plate = said.per_plate
    if said.plate_id is not None:
        plate = store.rows.get(db, PlateRow, said.plate_id)
        _, column = services.plates.put_together(db, services.plates.load_plate(db, plate))
        name, per_plate = plate.name, 1
    else:
        column = _column(db, said.part_id, said.recipe_id)
        name = column.part.name
        if per_plate is None:
            per_plate = Recipe.model_validate(column.choices).copies.count or 1
    item = QueueItem(
        key=said.key,
        name=name[:120],
        recipe_id=column.id,
        plate_id=said.plate_id,
        quantity=said.quantity,
        per_plate=per_plate,
        due_at=said.due_at,
        priority=said.priority,
        may_pick=said.may_pick,
        machine_ids=_machines(db, said.machine_ids),
        material_id=None if said.material_id is None else store.rows.get(db, MaterialRow, said.material_id).id,
        note=said.note.strip(),
    )
    _check(item)
    db.add(item)
    db.flush()
    return item


def _column(db: Session, part_id: int | None, recipe_id: int | None) -> RecipeRow:
    if recipe_id is not None:
        return store.recipes.get_recipe(db, recipe_id)
    if part_id is None:
        raise MeanBeadError(
            "Nothing is named that could be printed.", field="part_id", remedy="Name a part or a recipe."
        )
    part = store.rows.get(db, Part, part_id)
    column = store.recipes.chosen_column(part, store.recipes.recipes_of(db, part.id))
    if column is None:
        raise MeanBeadError(f"{part.name} has no recipe yet.", field="part_id", remedy="Add a column on its bench.")
    return column


def _machines(db: Session, ids: list[int]) -> list[int]:
    for machine_id in ids:
        store.rows.get(db, Machine, machine_id)
    return sorted(set(ids))


def _check(item: QueueItem) -> None:
    if len(plates_of(item)) > MOST_PLATES:
        raise MeanBeadError(
            f"That takes {len(plates_of(item))} plates; an entry holds up to {MOST_PLATES}.",
            field="quantity",
            remedy="Put more on a plate, or queue it in parts.",
        )


@blueprint.patch("/queue/<int:queue_id>")
@blueprint.input(QueueEdit)
@blueprint.output(QueueOut)
def edit_queued(queue_id: int, json_data: QueueEdit) -> QueueOut:
    """Change how much of it, by when, in which way."""
    said = json_data
    with session() as db:
        row = store.rows.get_for_edit(db, QueueItem, queue_id, said.version)
        if said.recipe_id is not None and said.recipe_id != row.recipe_id:
            column = store.recipes.get_recipe(db, said.recipe_id)
            if column.part_id != db.get_one(RecipeRow, row.recipe_id).part_id:
                raise MeanBeadError("That is a recipe of another part.", field="recipe_id")
            row.recipe_id = column.id
        if row.plate_id is not None and said.per_plate not in (None, 1):
            raise MeanBeadError("A plate is printed as it is.", field="per_plate", remedy="Change the plate.")
        for name in ("quantity", "per_plate", "priority", "may_pick"):
            value = getattr(said, name)
            if value is not None:
                setattr(row, name, value)
        for name in ("due_at", "material_id"):
            if name in said.model_fields_set:
                setattr(row, name, getattr(said, name))
        if said.machine_ids is not None:
            row.machine_ids = _machines(db, said.machine_ids)
        if said.note is not None:
            row.note = said.note.strip()
        _check(row)
        db.flush()
        return _out(db, row)


@blueprint.post("/queue/<int:queue_id>/delete")
@blueprint.input(VersionOnly)
@blueprint.output(QueueOut)
def delete_queued(queue_id: int, json_data: VersionOnly) -> QueueOut:
    """Take it out of the queue; it can be put back. Its runs stay in the log."""
    with session() as db:
        row = store.rows.get_for_edit(db, QueueItem, queue_id, json_data.version)
        store.rows.delete(db, row)
        return _out(db, row)


@blueprint.post("/queue/<int:queue_id>/restore")
@blueprint.output(QueueOut)
def restore_queued(queue_id: int) -> QueueOut:
    """Put it back into the queue."""
    with session() as db:
        row = store.rows.get(db, QueueItem, queue_id, deleted=True)
        store.rows.restore(db, row)
        return _out(db, row)


@blueprint.post("/queue/again")
@blueprint.input(QueueAgain)
@blueprint.output(QueueOut, status_code=201)
def queue_again(json_data: QueueAgain) -> QueueOut:
    """Have a run printed once more, as it was: one that failed, mostly."""
    with session() as db:
        store.rows.lock_key(db, json_data.key)
        return _out(db, services.queue.add_again(db, store.rows.get(db, RunRow, json_data.run_id), json_data.key))


@blueprint.post("/queue/csv")
@blueprint.input(QueueCsv)
@blueprint.output(QueueCsvOut)
def queue_from_csv(json_data: QueueCsv) -> QueueCsvOut:
    """Queue what a table lists. Lines that cannot be taken are told, the others are."""
    lines = list(csv.reader(io.StringIO(json_data.text), delimiter=_delimiter(json_data.text)))
    headings = [heading.strip().lower().replace(" ", "_") for heading in (lines[0] if lines else [])]
    if "part" not in headings:
        raise MeanBeadError(
            "The table needs a column named part.",
            field="text",
            remedy="Its first line names the columns: part, quantity, per_plate, due, priority, recipe, machines, note.",
        )
    if len(lines) - 1 > _MOST_LINES:
        raise MeanBeadError(f"Up to {_MOST_LINES} lines at once.", field="text", remedy="Bring it in parts.")
    added, problems = [], []
    with session() as db:
        for number, cells in enumerate(lines[1:], start=2):
            line = {name: cell.strip() for name, cell in zip(headings, cells, strict=False) if cell.strip()}
            if not line:
                continue
            try:
                added.append(_out(db, _add(db, _of_line(db, line))))
            except (MeanBeadError, ValueError, store.rows.NotFound) as problem:
                problems.append(QueueCsvProblem(line=number, says=str(problem)))
    return QueueCsvOut(added=added, problems=problems)


def _delimiter(text: str) -> str:
    first = text.splitlines()[0] if text.strip() else ""
    return max(",;\t", key=first.count)


def _of_line(db: Session, line: dict[str, str]) -> QueueAdd:
    name = line.get("part", "")
    part = db.scalars(
        select(Part)
        .where(func.lower(Part.name) == name.lower(), Part.deleted_at.is_(None))
        .order_by(Part.id.desc())
        .limit(1)
    ).one_or_none()
    if part is None:
        raise MeanBeadError(f"There is no part named {name!r:.60}.")
    recipe_id = None
    if "recipe" in line:
        columns = store.recipes.recipes_of(db, part.id)
        column = next((row for row in columns if row.name.lower() == line["recipe"].lower()), None)
        if column is None:
            raise MeanBeadError(f"{part.name} has no recipe named {line['recipe']!r:.60}.")
        recipe_id = column.id
    machines = []
    for wanted in filter(None, (one.strip() for one in line.get("machines", "").split("|"))):
        machine = next((row for row in store.rows.all_rows(db, Machine) if row.name.lower() == wanted.lower()), None)
        if machine is None:
            raise MeanBeadError(f"There is no machine named {wanted!r:.60}.")
        machines.append(machine.id)
    return QueueAdd(
        key=f"csv-{uuid.uuid4()}"[:40],
        part_id=part.id,
        recipe_id=recipe_id,
        quantity=_number(line, "quantity", 1),
        per_plate=_number(line, "per_plate", 0) or None,
        due_at=_due(line.get("due", "")),
        priority=_number(line, "priority", 0),
        machine_ids=machines,
        note=line.get("note", "")[:1000],
    )


def _number(line: dict[str, str], name: str, usual: int) -> int:
    try:
        return int(line.get(name, usual))
    except ValueError:
        raise MeanBeadError(f"{name} {line[name]!r:.30} is not a whole number.") from None


def _due(given: str) -> datetime | None:
    if not given:
        return None
    try:
        found = datetime.fromisoformat(given)
    except ValueError:
        raise MeanBeadError(
            f"due {given!r:.30} is no date.", remedy="Write it as 2026-12-24 or 2026-12-24 17:00."
        ) from None
    if "T" not in given and " " not in given:
        found = datetime.combine(found.date(), time(23, 59))
    return found.astimezone() if found.tzinfo is None else found
