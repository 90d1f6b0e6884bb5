"""What the API takes and gives: the shelf."""

from __future__ import annotations

from meanbead.api.machines_schemas import MachineOut
from meanbead.api.purposes_schemas import PurposeOut
from meanbead.api.schema import Schema
from meanbead.api.spools_schemas import SpoolOut
from meanbead.core.model import Material, Nozzle
from meanbead.store.tables import (
    MaterialRow,
    NozzleRow,
)


class NozzleOut(Schema):
    """A nozzle of the workshop."""

    id: int
    name: str
    version: int
    nozzle: Nozzle


class MaterialOut(Schema):
    """A material of the workshop."""

    id: int
    name: str
    version: int
    material: Material


class ShelfOut(Schema):
    """All that recipes choose from."""

    machines: list[MachineOut]
    nozzles: list[NozzleOut]
    materials: list[MaterialOut]
    purposes: list[PurposeOut]
    spools: list[SpoolOut]


def nozzle_out(row: NozzleRow) -> NozzleOut:
    """A nozzle's row as it is given out."""
    return NozzleOut(id=row.id, name=row.name, version=row.version, nozzle=Nozzle.model_validate(row.nozzle))


def material_out(row: MaterialRow) -> MaterialOut:
    """A material's row as it is given out."""
    material = Material.model_validate(row.material)
    return MaterialOut(id=row.id, name=row.name, version=row.version, material=material)
