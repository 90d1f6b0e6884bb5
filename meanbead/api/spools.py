"""Spools over HTTP."""

from __future__ import annotations

from apiflask import APIBlueprint

from meanbead import store
from meanbead.api.context import session
from meanbead.api.schema import VersionOnly
from meanbead.api.spools_schemas import SpoolAdd, SpoolEdit, SpoolOut, spool_out
from meanbead.store.tables import (
    MaterialRow,
    Spool,
)

blueprint = APIBlueprint("spools", __name__, url_prefix="/api", tag="Spools")


@blueprint.post("/spools")
@blueprint.input(SpoolAdd)
@blueprint.output(SpoolOut, status_code=201)
def add_spool(json_data: SpoolAdd) -> SpoolOut:
    """Put a spool on the shelf."""
    with session() as db:
        store.rows.get(db, MaterialRow, json_data.material_id)
        row = Spool(**json_data.model_dump())
        db.add(row)
        db.flush()
        return spool_out(row)


@blueprint.patch("/spools/<int:spool_id>")
@blueprint.input(SpoolEdit)
@blueprint.output(SpoolOut)
def edit_spool(spool_id: int, json_data: SpoolEdit) -> SpoolOut:
    """Weigh a spool anew, rename it, or say when it was dried."""
    said = json_data.model_dump(exclude_unset=True, exclude={"version"})
    with session() as db:
        row = store.rows.get_for_edit(db, Spool, spool_id, json_data.version)
        for name, value in said.items():
            if value is not None or name == "dried_on":
                setattr(row, name, value)
        db.flush()
        return spool_out(row)


@blueprint.post("/spools/<int:spool_id>/delete")
@blueprint.input(VersionOnly)
@blueprint.output(SpoolOut)
def delete_spool(spool_id: int, json_data: VersionOnly) -> SpoolOut:
    """Take a spool off the shelf; it can be restored."""
    with session() as db:
        row = store.rows.get_for_edit(db, Spool, spool_id, json_data.version)
        store.rows.delete(db, row)
        return spool_out(row)


@blueprint.post("/spools/<int:spool_id>/restore")
@blueprint.output(SpoolOut)
def restore_spool(spool_id: int) -> SpoolOut:
    """Undo taking a spool off the shelf."""
    with session() as db:
        row = store.rows.get(db, Spool, spool_id, deleted=True)
        store.rows.restore(db, row)
        return spool_out(row)
