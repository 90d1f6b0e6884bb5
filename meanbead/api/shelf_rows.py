"""What can be done with every row of the shelf: add, edit, remove, undo that, put in order, give as a file."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

from apiflask import APIBlueprint
from flask import Response
from pydantic import BaseModel
from sqlalchemy.orm import Session

from meanbead import store
from meanbead.api.context import session
from meanbead.api.schema import VersionOnly
from meanbead.api.shelf_schemas import Kind, Move, RowFile, ShelfFile, ShelfRowAdd, ShelfRowEdit, ShelfRowOut
from meanbead.store.shelf import Used, changed_paths, last_position, marked, move_before
from meanbead.store.tables import ShelfRow, plain

__all__ = ["ShelfNoun", "as_file", "register", "used_by"]


@dataclass(frozen=True)
class ShelfNoun:
    """One kind of row. ``described`` are its columns that hold a core model, with what a new one holds; ``plain_fields``
    its other columns that people edit; ``refers`` which of those name rows of other tables, and ``companion``
    the kind that goes with it into a file, under the row's attribute of that name."""

    kind: Kind
    plural: str
    table: type[ShelfRow]
    add: type[ShelfRowAdd]
    edit: type[ShelfRowEdit]
    out: type[ShelfRowOut]
    give: Callable[[Any, Used | None], ShelfRowOut]
    described: Mapping[str, BaseModel] = field(default_factory=dict)
    plain_fields: tuple[str, ...] = ()
    refers: Mapping[str, type[ShelfRow]] = field(default_factory=dict)
    uses: Callable[[Session], dict[int, Used]] | None = None
    companion: ShelfNoun | None = None
    prepare_add: Callable[[Session, Any], dict[str, Any]] | None = None
    prepare_edit: Callable[[Session, Any, Any, dict[str, Any]], None] | None = None


def used_by(db: Session, noun: ShelfNoun) -> dict[int, Used]:
    """Which columns go by which rows."""
    return noun.uses(db) if noun.uses is not None else store.shelf.uses(db, noun.table)


def register(blueprint: APIBlueprint, noun: ShelfNoun) -> None:
    """Give a blueprint all that can be done with a noun's rows."""
    name, path = noun.kind, f"/{noun.plural}"

    @blueprint.post(path, endpoint=f"add_{name}")
    @blueprint.input(noun.add)
    @blueprint.output(noun.out, status_code=201)
    @blueprint.doc(summary=f"Add a {name}: as described, a copy of another one, or a typical one")
    def add(json_data: Any) -> ShelfRowOut:
        with session() as db:
            row = _added(db, noun, json_data)
            return noun.give(row, None)

    @blueprint.patch(f"{path}/<int:row_id>", endpoint=f"edit_{name}")
    @blueprint.input(noun.edit)
    @blueprint.output(noun.out)
    @blueprint.doc(
        summary=f"Change a {name}; every estimate that it decides is computed anew when it is next looked at"
    )
    def edit(row_id: int, json_data: Any) -> ShelfRowOut:
        with session() as db:
            row = store.rows.get_for_edit(db, noun.table, row_id, json_data.version)
            _edited(db, noun, row, json_data)
            return noun.give(row, used_by(db, noun).get(row.id))

    @blueprint.post(f"{path}/<int:row_id>/delete", endpoint=f"delete_{name}")
    @blueprint.input(VersionOnly)
    @blueprint.output(noun.out)
    @blueprint.doc(
        summary=f"Take a {name} off the shelf; it can be restored, and columns that go by it go on as before"
    )
    def remove(row_id: int, json_data: VersionOnly) -> ShelfRowOut:
        with session() as db:
            row = store.rows.get_for_edit(db, noun.table, row_id, json_data.version)
            store.rows.delete(db, row)
            return noun.give(row, used_by(db, noun).get(row.id))

    @blueprint.post(f"{path}/<int:row_id>/restore", endpoint=f"restore_{name}")
    @blueprint.output(noun.out)
    @blueprint.doc(summary=f"Undo taking a {name} off the shelf")
    def restore(row_id: int) -> ShelfRowOut:
        with session() as db:
            row = store.rows.get(db, noun.table, row_id, deleted=True)
            store.rows.restore(db, row)
            return noun.give(row, used_by(db, noun).get(row.id))

    @blueprint.post(f"{path}/<int:row_id>/move", endpoint=f"move_{name}")
    @blueprint.input(Move)
    @blueprint.output(noun.out)
    @blueprint.doc(summary=f"Put a {name} in front of another one, or at the end")
    def move(row_id: int, json_data: Move) -> ShelfRowOut:
        with session() as db:
            row = store.rows.get(db, noun.table, row_id)
            move_before(db, row, json_data.before_id)
            return noun.give(row, used_by(db, noun).get(row.id))

    @blueprint.get(f"{path}/<int:row_id>.json", endpoint=f"{name}_file")
    @blueprint.doc(summary=f"A {name} as a JSON file that can be imported again")
    def give_file(row_id: int) -> Response:
        with session() as db:
            row = store.rows.get(db, noun.table, row_id)
            body = as_file(noun, row).model_dump(mode="json", exclude_none=True)
        file_name = re.sub(r"[^A-Za-z0-9]+", "-", body["name"]).strip("-").lower() or name
        response = Response(json.dumps(body, indent=1, ensure_ascii=False), content_type="application/json")
        response.headers["Content-Disposition"] = f'attachment; filename="{name}-{file_name}.json"'
        return response


def _added(db: Session, noun: ShelfNoun, said: ShelfRowAdd) -> ShelfRow:
    values: dict[str, Any] = {column: plain(model) for column, model in noun.described.items()}
    name, sources = f"New {noun.kind}", {}
    if said.copy_of is not None:
        original = store.rows.get(db, noun.table, said.copy_of)
        name, sources = f"{original.name[:110]} copy", dict(original.sources)
        values = {column: getattr(original, column) for column in (*noun.described, *noun.plain_fields)}
    if noun.prepare_add is not None:
        made = noun.prepare_add(db, said)
        name = made.pop("name", name)
        values |= made
    for column in noun.described:
        given = getattr(said, column, None)
        if given is not None:
            sources = marked(sources, changed_paths(plain(noun.described[column]), plain(given)), "set")
            values[column] = plain(given)
    for column in noun.plain_fields:
        if column in said.model_fields_set or (column not in values and hasattr(said, column)):
            value = getattr(said, column)
            values[column] = plain(value) if isinstance(value, BaseModel) else value
    _check_references(db, noun, values)
    if noun.kind == "machine":
        # A nozzle and a spool are on one machine.
        values |= {"nozzle_id": None, "spool_id": None, "fitted_on": None, "hours_run": 0.0}
        values["console"] = values.get("console") or {}
        values["panel"] = values.get("panel") or ""
    make: Callable[..., ShelfRow] = noun.table
    row = make(name=(said.name or name).strip(), position=last_position(db, noun.table), sources=sources, **values)
    db.add(row)
    db.flush()
    return row


def _edited(db: Session, noun: ShelfNoun, row: ShelfRow, said: ShelfRowEdit) -> None:
    changes = {
        column: getattr(said, column)
        for column in (*noun.described, *noun.plain_fields)
        if column in said.model_fields_set and hasattr(said, column)
    }
    if noun.prepare_edit is not None:
        noun.prepare_edit(db, row, said, changes)
    _check_references(db, noun, changes)
    sources = dict(row.sources)
    if said.name is not None:
        row.name = said.name.strip()
    for column, value in changes.items():
        if isinstance(value, BaseModel):
            held = plain(value)
            paths = changed_paths(getattr(row, column), held)
            sources = marked(sources, {path for path in paths if not path.endswith("source")}, said.provenance)
            setattr(row, column, held)
        elif column not in noun.described:
            if getattr(row, column) != value:
                sources = marked(sources, {column}, said.provenance)
            setattr(row, column, value)
    for path, source in (said.sources or {}).items():
        sources = marked(sources, {path}, source)
    row.sources = sources
    db.flush()
    db.refresh(row)


def _check_references(db: Session, noun: ShelfNoun, values: Mapping[str, Any]) -> None:
    for column, table in noun.refers.items():
        if values.get(column) is not None:
            store.rows.get(db, table, values[column])


def as_file(noun: ShelfNoun, row: ShelfRow) -> ShelfFile:
    """A row as a file: what describes it, or its plain columns; numbers of other rows are left out."""
    if noun.described:
        content = dict(getattr(row, next(iter(noun.described))))
    else:
        shown = noun.give(row, None).model_dump(mode="json", exclude_none=True)
        content = {name: shown[name] for name in noun.plain_fields if name in shown and name not in noun.refers}
    other = noun.companion
    with_other = None
    if other is not None:
        with_other = RowFile(**as_file(other, getattr(row, other.kind)).model_dump(exclude={"with_material"}))
    return ShelfFile(kind=noun.kind, name=row.name, content=content, sources=row.sources, with_material=with_other)
