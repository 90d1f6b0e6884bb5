"""The shelf over HTTP: all that recipes choose from, and what can be done with each kind of row."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from typing import Any

from apiflask import APIBlueprint
from flask import Response
from pydantic import BaseModel, ValidationError
from sqlalchemy import select
from sqlalchemy.orm import Session

from meanbead import store
from meanbead.api.context import session
from meanbead.api.journal import note_shelf
from meanbead.api.kept import kept_while_unchanged
from meanbead.api.machines_schemas import MachineAdd, MachineEdit, MachineOut, machine_out
from meanbead.api.purposes_schemas import PurposeAdd, PurposeEdit, PurposeOut, purpose_out
from meanbead.api.schema import Schema
from meanbead.api.shelf_rows import ShelfNoun, register, used_by
from meanbead.api.shelf_schemas import (
    ImportedOut,
    LibraryOut,
    MaterialAdd,
    MaterialEdit,
    MaterialOut,
    NozzleAdd,
    NozzleEdit,
    NozzleOut,
    NozzleWear,
    RowFile,
    ShelfFile,
    ShelfRowOut,
    material_out,
    nozzle_out,
)
from meanbead.api.spools_schemas import SpoolAdd, SpoolEdit, SpoolOut, spool_out
from meanbead.core.errors import MeanBeadError
from meanbead.core.faults.knowledge import JOURNAL_KINDS, JournalKind
from meanbead.core.log.differences import flat
from meanbead.core.model import Limits, Material, Nozzle, Printer, Spool
from meanbead.core.shelf import typical_plastics, typical_printer
from meanbead.core.text.explain import explain
from meanbead.store.shelf import last_position
from meanbead.store.tables import Machine, MaterialRow, NozzleRow, Purpose, ShelfRow, SpoolRow, now, plain

blueprint = APIBlueprint("shelf", __name__, url_prefix="/api", tag="Shelf")


class ShelfOut(Schema):
    """All that recipes choose from, in the workshop's own order. Rows that are off the shelf and still used come last."""

    machines: list[MachineOut]
    nozzles: list[NozzleOut]
    materials: list[MaterialOut]
    purposes: list[PurposeOut]
    spools: list[SpoolOut]


def _machine_of(db: Session, said: MachineAdd) -> dict[str, Any]:
    if said.answers is None:
        return {}
    return {"printer": plain(typical_printer(said.answers))}


def _of_library(db: Session, said: MaterialAdd) -> dict[str, Any]:
    if said.like is None:
        return {}
    found = next((plastic for plastic in typical_plastics() if plastic.name == said.like), None)
    if found is None:
        names = ", ".join(plastic.name for plastic in typical_plastics())
        raise MeanBeadError(f"The library has no {said.like!r:.60}.", field="like", remedy=f"It has: {names}.")
    return {"name": found.name, "material": plain(found)}


_LIMITS = ("max_speed_mm_s", "max_acceleration_mm_s2", "acceleration_mm_s2", "corner")


def _machine_edit(db: Session, row: Machine, said: MachineEdit, changes: dict[str, Any]) -> None:
    """Limits and hot end say where they come from; another nozzle starts its count anew, from today where nobody says."""
    printer = changes.get("printer")
    if printer is not None:
        paths = store.shelf.changed_paths(row.printer, plain(printer))
        update: dict[str, Any] = {}
        if any(path.split(".")[0] in _LIMITS for path in paths):
            update["limits_source"] = said.provenance
        if any(path.startswith("hotend.") and path != "hotend.source" for path in paths):
            update["hotend"] = printer.hotend.model_copy(update={"source": said.provenance})
        changes["printer"] = printer.model_copy(update=update)
        _note_limits(db, row, plain(changes["printer"]))
    if "nozzle_id" in changes and changes["nozzle_id"] != row.nozzle_id:
        _note_held(db, row, "nozzle_swapped", "nozzle", NozzleRow, changes["nozzle_id"])
        changes.setdefault("fitted_on", None if changes["nozzle_id"] is None else now().date())
        changes.setdefault("hours_run", 0.0)
    if "spool_id" in changes and changes["spool_id"] != row.spool_id:
        _note_held(db, row, "spool_changed", "spool", SpoolRow, changes["spool_id"])
    if changes.get("spool_id") is not None:
        # A spool is held by one machine.
        others = select(Machine).where(Machine.spool_id == changes["spool_id"], Machine.id != row.id)
        for other in db.scalars(others):
            other.spool_id = None
    if changes.get("hours_run", 0.0) is None:
        del changes["hours_run"]


def _note_limits(db: Session, row: Machine, printer: dict[str, Any]) -> None:
    """Limits that were changed, old and new, go into the journal."""
    before, after = flat(row.printer), flat(printer)
    changed = {path for path in {*before, *after} if path.split(".")[0] in (*_LIMITS, "drive_steps_per_mm")}
    changed = {path for path in changed if before.get(path) != after.get(path)}
    if changed:
        old, new = ({path: values.get(path) for path in sorted(changed)} for values in (before, after))
        note_shelf(db, "limits_changed", f"Firmware settings changed: {row.name}", old, new, machine_id=row.id)


def _note_held(
    db: Session, row: Machine, kind: JournalKind, what: str, table: type[NozzleRow] | type[SpoolRow], new_id: int | None
) -> None:
    """What a machine holds now, and held before."""
    old_id = row.nozzle_id if what == "nozzle" else row.spool_id
    old, new = (
        "" if number is None else store.rows.get(db, table, number, deleted=True).name for number in (old_id, new_id)
    )
    name = f"{JOURNAL_KINDS[kind]}: {row.name}, {new or 'taken off'}"
    note_shelf(db, kind, name, {what: old}, {what: new}, machine_id=row.id, **{f"{what}_id": new_id})


def _note_state(db: Session, row: SpoolRow, changes: dict[str, Any]) -> None:
    """A spool that was opened or dried."""
    for kind, name in (("spool_opened", "opened_on"), ("spool_dried", "dried_on")):
        day = changes.get(name)
        if day is not None and day != getattr(row, name):
            told: JournalKind = kind  # type: ignore[assignment]
            before, after = {name: str(getattr(row, name) or "")}, {name: str(day)}
            note_shelf(db, told, f"{JOURNAL_KINDS[told]}: {row.name}", before, after, spool_id=row.id)


def _spool_edit(db: Session, row: SpoolRow, said: SpoolEdit, changes: dict[str, Any]) -> None:
    for name in ("material_id", "left_g", "kept"):
        if name in changes and changes[name] is None:
            del changes[name]
    _note_state(db, row, changes)
    if said.weighed_g is not None:
        empty = changes.get("empty_g", row.empty_g)
        if empty is None:
            raise MeanBeadError(
                "The empty spool's weight is not known, so what is on it cannot be told.",
                field="weighed_g",
                remedy="Give the empty spool's weight first: weigh an empty one of the same maker.",
            )
        if said.weighed_g < empty:
            raise MeanBeadError(
                f"{said.weighed_g:g} g is less than the empty spool weighs ({empty:g} g).", field="weighed_g"
            )
        changes["left_g"] = said.weighed_g - empty


MACHINES = ShelfNoun(
    kind="machine",
    plural="machines",
    table=Machine,
    add=MachineAdd,
    edit=MachineEdit,
    out=MachineOut,
    give=machine_out,
    described={"printer": Printer()},
    plain_fields=("nozzle_id", "spool_id", "fitted_on", "hours_run", "console", "panel"),
    refers={"nozzle_id": NozzleRow, "spool_id": SpoolRow},
    prepare_add=_machine_of,
    prepare_edit=_machine_edit,
)
NOZZLES = ShelfNoun(
    kind="nozzle",
    plural="nozzles",
    table=NozzleRow,
    add=NozzleAdd,
    edit=NozzleEdit,
    out=NozzleOut,
    give=nozzle_out,
    described={"nozzle": Nozzle(), "wear": NozzleWear()},
)
MATERIALS = ShelfNoun(
    kind="material",
    plural="materials",
    table=MaterialRow,
    add=MaterialAdd,
    edit=MaterialEdit,
    out=MaterialOut,
    give=material_out,
    described={"material": Material()},
    prepare_add=_of_library,
)
SPOOLS = ShelfNoun(
    kind="spool",
    plural="spools",
    table=SpoolRow,
    add=SpoolAdd,
    edit=SpoolEdit,
    out=SpoolOut,
    give=spool_out,
    plain_fields=("material_id", *Spool.model_fields),
    refers={"material_id": MaterialRow},
    companion=MATERIALS,
    prepare_edit=_spool_edit,
)
PURPOSES = ShelfNoun(
    kind="purpose",
    plural="purposes",
    table=Purpose,
    add=PurposeAdd,
    edit=PurposeEdit,
    out=PurposeOut,
    give=purpose_out,
    described={"limits": Limits()},
    uses=store.shelf.purpose_uses,
)
NOUNS = (MACHINES, NOZZLES, MATERIALS, SPOOLS, PURPOSES)

for _noun in NOUNS:
    register(blueprint, _noun)


@blueprint.get("/shelf")
@blueprint.output(ShelfOut)
def shelf() -> Response:
    """All that recipes choose from."""
    with session() as db:
        # How dry a spool is changes with the days.
        return kept_while_unchanged(
            db,
            ("shelf", date.today()),
            lambda: (ShelfOut.model_validate({noun.plural: _rows(db, noun) for noun in NOUNS}), True),
        )


def _rows(db: Session, noun: ShelfNoun) -> list[ShelfRowOut]:
    used = used_by(db, noun)
    rows: list[ShelfRow] = [*store.rows.all_rows(db, noun.table), *store.shelf.removed_in_use(db, noun.table, used)]
    return [noun.give(row, used.get(row.id)) for row in rows]


@blueprint.get("/library/materials")
@blueprint.output(LibraryOut)
def library() -> LibraryOut:
    """Typical plastics to start from. A maker's own sheet goes before any of their figures."""
    return LibraryOut(materials=list(typical_plastics()))


@blueprint.post("/shelf/import")
@blueprint.input(ShelfFile)
@blueprint.output(ImportedOut, status_code=201)
def import_row(json_data: ShelfFile) -> ImportedOut:
    """Put a row that was given as a file onto the shelf. A spool brings its material, unless one just like it is there."""
    with session() as db:
        row = _imported(db, json_data)
        return ImportedOut(kind=json_data.kind, id=row.id, name=row.name)


def _imported(db: Session, given: RowFile) -> ShelfRow:
    noun = next(noun for noun in NOUNS if noun.kind == given.kind)
    if noun.described:
        column, usual = next(iter(noun.described.items()))
        values: dict[str, Any] = {column: plain(_checked(type(usual), given))}
        values |= {other: plain(model) for other, model in noun.described.items() if other != column}
    else:
        its = given.with_material if isinstance(given, ShelfFile) else None
        if its is None or its.kind != "material":
            raise MeanBeadError("A spool's file names its material.", field="with_material")
        material = _same_material(db, its) or _imported(db, its)
        values = _checked(Spool, given).model_dump() | {"material_id": material.id}
    make: Callable[..., ShelfRow] = noun.table
    row = make(name=given.name, position=last_position(db, noun.table), sources=given.sources, **values)
    db.add(row)
    db.flush()
    return row


def _same_material(db: Session, given: RowFile) -> MaterialRow | None:
    content = plain(_checked(Material, given))
    return next((row for row in store.rows.all_rows(db, MaterialRow) if row.material == content), None)


def _checked(model: type[BaseModel], given: RowFile) -> BaseModel:
    try:
        return model.model_validate(given.content)
    except ValidationError as problem:
        first = explain(problem, model)[0]
        raise MeanBeadError(
            f"This is no {given.kind}: {first.field}: {first.message}", field=f"content.{first.field}"
        ) from None
