"""All that recipes choose from, over HTTP."""

from __future__ import annotations

from apiflask import APIBlueprint

from meanbead import store
from meanbead.api.context import session
from meanbead.api.machines_schemas import machine_out
from meanbead.api.purposes_schemas import purpose_out
from meanbead.api.shelf_schemas import ShelfOut, material_out, nozzle_out
from meanbead.api.spools_schemas import spool_out
from meanbead.store.tables import (
    Machine,
    MaterialRow,
    NozzleRow,
    Purpose,
    Spool,
)

blueprint = APIBlueprint("shelf", __name__, url_prefix="/api", tag="Shelf")


@blueprint.get("/shelf")
@blueprint.output(ShelfOut)
def shelf() -> ShelfOut:
    """All that recipes choose from."""
    with session() as db:
        return ShelfOut(
            machines=[machine_out(row) for row in store.rows.all_rows(db, Machine)],
            nozzles=[nozzle_out(row) for row in store.rows.all_rows(db, NozzleRow)],
            materials=[material_out(row) for row in store.rows.all_rows(db, MaterialRow)],
            purposes=[purpose_out(row) for row in store.rows.all_rows(db, Purpose)],
            spools=[spool_out(row) for row in store.rows.all_rows(db, Spool)],
        )
