"""Machines, nozzles and materials over HTTP."""

from __future__ import annotations

from apiflask import APIBlueprint

from meanbead.api.context import session
from meanbead.api.shapes import HealthOut, MachineOut, MaterialOut, NozzleOut, ShelfOut
from meanbead.core.estimate import ENGINE_VERSION
from meanbead.core.vocabulary import Material, Nozzle, Printer
from meanbead.store import workshop
from meanbead.store.tables import Machine, MaterialRow, NozzleRow

blueprint = APIBlueprint("shelf", __name__, url_prefix="/api", tag="Shelf")


@blueprint.get("/shelf")
@blueprint.output(ShelfOut)
def shelf() -> ShelfOut:
    """All that recipes choose from."""
    with session() as db:
        return ShelfOut(
            machines=[
                MachineOut(id=row.id, name=row.name, version=row.version, printer=Printer.model_validate(row.printer))
                for row in workshop.all_rows(db, Machine)
            ],
            nozzles=[
                NozzleOut(id=row.id, name=row.name, version=row.version, nozzle=Nozzle.model_validate(row.nozzle))
                for row in workshop.all_rows(db, NozzleRow)
            ],
            materials=[
                MaterialOut(
                    id=row.id, name=row.name, version=row.version, material=Material.model_validate(row.material)
                )
                for row in workshop.all_rows(db, MaterialRow)
            ],
        )


@blueprint.get("/health")
@blueprint.output(HealthOut)
def health() -> HealthOut:
    """Sign of life; asks the database too."""
    with session() as db:
        workshop.all_rows(db, Machine)
    return HealthOut(status="ok", engine_version=ENGINE_VERSION)
