"""What the API takes and gives: what all that lies on the shelf shares, nozzles, materials, and rows as files."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Any, Literal

from pydantic import Field

from meanbead.api.schema import Name, RowId, Schema, Version
from meanbead.core.model import Material, Nozzle
from meanbead.core.model.base import Provenance
from meanbead.core.shelf import StepHeight
from meanbead.store.shelf import Used
from meanbead.store.tables import MaterialRow, NozzleRow, ShelfRow

Sources = Annotated[dict[str, Provenance], Field(max_length=300)]
Kind = Literal["machine", "nozzle", "material", "spool", "purpose"]


class UsedIn(Schema):
    """How many columns, on how many parts, go by a row."""

    columns: int = 0
    parts: int = 0


class ShelfRowOut(Schema):
    """What every row of the shelf has. ``sources`` tells which figures, by dotted name, were measured or set; the others are
    typical. A ``removed`` row is off the shelf, and columns still go by it."""

    id: int
    name: str
    version: int
    position: float
    sources: Sources
    removed: bool
    used_in: UsedIn


class ShelfRowAdd(Schema):
    """What every new row may say: a copy of another one, or named."""

    name: Name | None = None
    copy_of: RowId | None = None


class ShelfRowEdit(Schema):
    """A change; what is left out stays. Figures that it changes are marked with ``provenance``, and ``sources`` marks
    figures as they are."""

    version: Version
    name: Name | None = None
    provenance: Provenance = "set"
    sources: Sources | None = None


class Move(Schema):
    """In front of which row it goes; null puts it at the end."""

    before_id: RowId | None


class NozzleWear(Schema):
    """What a nozzle has been through, and by when it is thought to be worn."""

    hours: Annotated[float, Field(ge=0, le=1e6)] = 0
    abrasive_h: Annotated[float, Field(ge=0, le=1e6)] = 0
    abrasive_g: Annotated[float, Field(ge=0, le=1e9)] = 0
    worn_by: date | None = None


class NozzleOut(ShelfRowOut):
    """A nozzle of the workshop."""

    nozzle: Nozzle
    wear: NozzleWear


class NozzleAdd(ShelfRowAdd):
    """A new nozzle."""

    nozzle: Nozzle | None = None


class NozzleEdit(ShelfRowEdit):
    """A change of a nozzle."""

    nozzle: Nozzle | None = None
    wear: NozzleWear | None = None


class MaterialOut(ShelfRowOut):
    """A material of the workshop."""

    material: Material


class MaterialAdd(ShelfRowAdd):
    """A new material: ``like`` one of the library, or as given."""

    like: Annotated[str, Field(max_length=80)] | None = None
    material: Material | None = None


class MaterialEdit(ShelfRowEdit):
    """A change of a material."""

    material: Material | None = None


class LibraryOut(Schema):
    """Typical plastics to start from."""

    materials: list[Material]


class StepTable(Schema):
    """Full-step heights of a nozzle on a machine, up to the house's ceiling."""

    nozzle_id: int
    nozzle_name: str
    bore_mm: float
    heights: list[StepHeight]


class StepTables(Schema):
    """Full-step heights of every nozzle on a machine; ``step_mm`` is null where its step is not known."""

    step_mm: float | None
    nozzles: list[StepTable]


class RowFile(Schema):
    """A row of the shelf as a file; ``content`` is the row's own description."""

    kind: Kind
    format: Literal[1] = 1
    name: Name
    content: dict[str, Any]
    sources: Sources = Field(default={})


class ShelfFile(RowFile):
    """A row of the shelf as a file, a spool with its material."""

    with_material: RowFile | None = None


class ImportedOut(Schema):
    """What an import has made."""

    kind: Kind
    id: int
    name: str


def common(row: ShelfRow, used: Used | None) -> dict[str, Any]:
    """What every row gives."""
    return {
        "id": row.id,
        "name": row.name,
        "version": row.version,
        "position": row.position,
        "sources": row.sources,
        "removed": row.deleted_at is not None,
        "used_in": UsedIn() if used is None else UsedIn(columns=used.columns, parts=used.parts),
    }


def nozzle_out(row: NozzleRow, used: Used | None = None) -> NozzleOut:
    """A nozzle's row as it is given out."""
    wear = NozzleWear.model_validate(row.wear)
    return NozzleOut(**common(row, used), nozzle=Nozzle.model_validate(row.nozzle), wear=wear)


def material_out(row: MaterialRow, used: Used | None = None) -> MaterialOut:
    """A material's row as it is given out."""
    return MaterialOut(**common(row, used), material=Material.model_validate(row.material))
