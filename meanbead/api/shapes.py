"""What the API takes and gives. The nested models are the core's own."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

from meanbead.core.preview import Preview
from meanbead.core.vocabulary import Estimate, Material, Nozzle, PartFacts, Printer, Recipe
from meanbead.store.tables import Kept, Machine, MaterialRow, NozzleRow, Part, RecipeRow

Name = Annotated[str, Field(min_length=1, max_length=120, pattern=r"\S")]


class Shape(BaseModel):
    """Refuses unknown keys."""

    model_config = ConfigDict(extra="forbid")


class MachineOut(Shape):
    """A machine of the workshop."""

    id: int
    name: str
    version: int
    printer: Printer


class MachineAdd(Shape):
    """A new machine: a copy of another one, or a typical one."""

    copy_of: int | None = None
    name: Name | None = None


class MachineEdit(Shape):
    """A change of a machine; what is left out stays."""

    version: int
    name: Name | None = None
    printer: Printer | None = None


class FirmwareReport(Shape):
    """The settings that a machine's firmware printed on its console."""

    version: int
    report: Annotated[str, Field(max_length=200_000)]


class ConsoleAsk(Shape):
    """Where a machine's console listens: ``host:port`` or a serial device."""

    version: int
    address: Annotated[str, Field(min_length=1, max_length=200)]


class NozzleOut(Shape):
    """A nozzle of the workshop."""

    id: int
    name: str
    version: int
    nozzle: Nozzle


class MaterialOut(Shape):
    """A material of the workshop."""

    id: int
    name: str
    version: int
    material: Material


class ShelfOut(Shape):
    """All that recipes choose from."""

    machines: list[MachineOut]
    nozzles: list[NozzleOut]
    materials: list[MaterialOut]


class Headline(Shape):
    """The first column's result, for the list of parts."""

    recipe_name: str
    print_time_s: float
    filament_g: float


class PartOut(Shape):
    """A part."""

    id: int
    name: str
    version: int
    file_name: str
    note: str
    facts: PartFacts
    picture: str
    headline: Headline | None = None


class PartsOut(Shape):
    """All parts."""

    parts: list[PartOut]


class PartEdit(Shape):
    """A change of a part."""

    version: int
    name: Name


class GcodeOut(Shape):
    """The file that a column replays."""

    file_name: str
    size_bytes: int


class RecipeOut(Shape):
    """A column: what was chosen, what follows from it, and the estimate if it is known already.

    With ``gcode`` it replays that file, and its choices do not count.
    """

    id: int
    part_id: int
    name: str
    version: int
    position: float
    machine_id: int
    nozzle_id: int
    material_id: int
    choices: Recipe
    gcode: GcodeOut | None = None
    preview: Preview | None = None
    problem: str | None = None
    estimate: Estimate | None = None


class RecipesOut(Shape):
    """A part's columns, left to right."""

    recipes: list[RecipeOut]


class RecipeAdd(Shape):
    """A new column; with ``copy_of`` a duplicate placed right of the original."""

    copy_of: int | None = None
    name: Name | None = None


class RecipeEdit(Shape):
    """A change of a column; what is left out stays."""

    version: int
    name: Name | None = None
    machine_id: int | None = None
    nozzle_id: int | None = None
    material_id: int | None = None
    choices: Recipe | None = None


class PreviewAsk(Shape):
    """A column as it is being typed."""

    machine_id: int
    nozzle_id: int
    material_id: int
    choices: Recipe


class VersionOnly(Shape):
    """Names the version that is to be deleted."""

    version: int


class HealthOut(Shape):
    """Sign of life."""

    status: str
    engine_version: str


def out_of(row: Kept) -> BaseModel:
    """The bare shape of any row."""
    if isinstance(row, Machine):
        return machine_out(row)
    if isinstance(row, NozzleRow):
        return NozzleOut(id=row.id, name=row.name, version=row.version, nozzle=Nozzle.model_validate(row.nozzle))
    if isinstance(row, MaterialRow):
        material = Material.model_validate(row.material)
        return MaterialOut(id=row.id, name=row.name, version=row.version, material=material)
    if isinstance(row, RecipeRow):
        return recipe_out(row)
    if isinstance(row, Part):
        return part_out(row)
    raise TypeError(f"no shape for {type(row).__name__}")


def machine_out(row: Machine) -> MachineOut:
    """A machine's row as it is given out."""
    return MachineOut(id=row.id, name=row.name, version=row.version, printer=Printer.model_validate(row.printer))


def part_out(row: Part, headline: Headline | None = None) -> PartOut:
    """A part's row as it is given out."""
    return PartOut(
        id=row.id,
        name=row.name,
        version=row.version,
        file_name=row.file_name,
        note=row.note,
        facts=PartFacts.model_validate(row.facts),
        picture=f"/api/parts/{row.id}/picture?{row.digest[:12]}",
        headline=headline,
    )


def recipe_out(
    row: RecipeRow, preview: Preview | None = None, problem: str | None = None, estimate: Estimate | None = None
) -> RecipeOut:
    """A recipe's row as it is given out."""
    return RecipeOut(
        id=row.id,
        part_id=row.part_id,
        name=row.name,
        version=row.version,
        position=row.position,
        machine_id=row.machine_id,
        nozzle_id=row.nozzle_id,
        material_id=row.material_id,
        choices=Recipe.model_validate(row.choices),
        gcode=GcodeOut(file_name=row.gcode.file_name, size_bytes=row.gcode.size_bytes) if row.gcode else None,
        preview=preview,
        problem=problem,
        estimate=estimate,
    )
