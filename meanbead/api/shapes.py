"""What the API takes and gives. The nested models are the core's own."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field

from meanbead.api.advice_shapes import SpoolOut, house_rules_out, spool_out
from meanbead.api.shape import Name, RowId, Shape, Version
from meanbead.core.advise.confirm import Remedies
from meanbead.core.advise.levers import Advice
from meanbead.core.advise.search import SearchResult
from meanbead.core.compare.sensitivity import Sensitivity
from meanbead.core.compare.waterfall import Waterfall
from meanbead.core.model import Estimate, Limits, Material, Nozzle, PartFacts, Pose, Printer, Recipe
from meanbead.core.model.finding import SetTo
from meanbead.core.model.part import Guesses
from meanbead.core.part.orientations import OrientationEstimates
from meanbead.core.recipe.preview import Preview
from meanbead.core.recipe.settings_sheet import Setting
from meanbead.store.tables import (
    House,
    HouseRecipe,
    JobRow,
    Machine,
    MaterialRow,
    NozzleRow,
    Part,
    Purpose,
    RecipeRow,
    RecipeVersion,
    Spool,
    VersionedRow,
)


class MachineOut(Shape):
    """A machine of the workshop."""

    id: int
    name: str
    version: int
    printer: Printer


class MachineAdd(Shape):
    """A new machine: a copy of another one, or a typical one."""

    copy_of: RowId | None = None
    name: Name | None = None


class MachineEdit(Shape):
    """A change of a machine; what is left out stays."""

    version: Version
    name: Name | None = None
    printer: Printer | None = None


class FirmwareReport(Shape):
    """The settings that a machine's firmware printed on its console."""

    version: Version
    report: Annotated[str, Field(max_length=200_000)]


class ConsoleAsk(Shape):
    """Where a machine's console listens: ``host:port`` or a serial device."""

    version: Version
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
    purposes: list[PurposeOut]
    spools: list[SpoolOut]


class PurposeOut(Shape):
    """What parts are for, with its limits."""

    id: int
    name: str
    version: int
    limits: Limits


class PurposeEdit(Shape):
    """A change of a purpose; what is left out stays."""

    version: Version
    name: Name | None = None
    limits: Limits | None = None


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
    pose: Pose
    purpose_id: int | None
    quantity: int
    due_on: date | None
    guessed: Guesses | None
    headline: Headline | None = None


class PartsOut(Shape):
    """All parts."""

    parts: list[PartOut]


class PartEdit(Shape):
    """A change of a part; what is left out stays. A ``due_on`` of null takes the date away, likewise a purpose."""

    version: Version
    name: Name | None = None
    note: Annotated[str, Field(max_length=400)] | None = None
    pose: Pose | None = None
    purpose_id: RowId | None = None
    quantity: Annotated[int, Field(ge=1, le=100_000)] | None = None
    due_on: date | None = None


class GcodeOut(Shape):
    """The file that a column replays."""

    file_name: str
    size_bytes: int


class HouseOrigin(Shape):
    """The house recipe that a column was filled from, at its version then; ``newest`` is the version that stands now."""

    id: int
    name: str
    version: int
    newest: int


class RecipeOut(Shape):
    """A column: what was chosen, what follows from it, and the estimate if it is known already, of the part as it stands
    at ``part_digest``.

    With ``gcode`` it replays that file, and its choices do not count.
    """

    id: int
    part_id: int
    part_digest: str
    name: str
    version: int
    position: float
    machine_id: int
    nozzle_id: int
    material_id: int
    choices: Recipe
    gcode: GcodeOut | None = None
    house: HouseOrigin | None = None
    preview: Preview | None = None
    problem: str | None = None
    estimate: Estimate | None = None


class RecipesOut(Shape):
    """A part's columns, left to right."""

    recipes: list[RecipeOut]


class RecipeAdd(Shape):
    """A new column: a duplicate right of the original (``copy_of``), carried over to another nozzle if ``nozzle_id``
    names one, or with ``settings`` changed; a house recipe (``house_id``); a bead in a short line such as ``0.6 / 0.4 / 0.75`` (``line``); or fresh.
    """

    copy_of: RowId | None = None
    nozzle_id: RowId | None = None
    settings: Annotated[list[SetTo], Field(max_length=200)] = Field(default=[])
    house_id: RowId | None = None
    line: Annotated[str, Field(max_length=200)] | None = None
    name: Name | None = None


class RecipeEdit(Shape):
    """A change of a column; what is left out stays. With ``take_version`` it holds again what it held then."""

    version: Version
    name: Name | None = None
    machine_id: RowId | None = None
    nozzle_id: RowId | None = None
    material_id: RowId | None = None
    choices: Recipe | None = None
    take_version: Version | None = None


class HouseOut(Shape):
    """A recipe of the house, with the columns that were filled from it."""

    id: int
    name: str
    version: int
    machine_id: int
    nozzle_id: int
    material_id: int
    choices: Recipe
    updated_at: datetime
    used_in: list[HouseUse]


class HouseUse(Shape):
    """A column that came from a house recipe; ``changed`` when it differs from what the house recipe holds now."""

    part_id: int
    part_name: str
    recipe_id: int
    recipe_name: str
    changed: bool


class HousesOut(Shape):
    """All recipes of the house."""

    recipes: list[HouseOut]


class HouseAdd(Shape):
    """Keep a column's recipe for the house."""

    recipe_id: RowId
    name: Name | None = None


class HouseEdit(Shape):
    """A change of a house recipe; with ``recipe_id`` it takes over that column's choices, with ``take_version`` what it
    held at that version."""

    version: Version
    name: Name | None = None
    recipe_id: RowId | None = None
    take_version: Version | None = None


class VersionOut(Shape):
    """What a recipe held at a version."""

    version: int
    at: datetime
    who: str
    name: str
    machine: str
    nozzle: str
    material: str
    machine_id: int
    nozzle_id: int
    material_id: int
    choices: Recipe


class VersionsOut(Shape):
    """A recipe's versions, the newest first."""

    versions: list[VersionOut]


class ClosedUpload(Shape):
    """The part that a file with an open surface has become."""

    part_id: int


class JobOut(Shape):
    """A piece of background work; what it finds stands under its kind's name, and grows while it runs."""

    id: int
    kind: str
    state: Literal["waiting", "running", "done", "failed", "cancelled"]
    share: float
    doing: str
    problem: str
    stances: OrientationEstimates | None = None
    waterfall: Waterfall | None = None
    levers: Advice | None = None
    search: SearchResult | None = None
    remedies: Remedies | None = None
    close: ClosedUpload | None = None


class Figures(Shape):
    """A full estimate, or the job that computes it."""

    estimate: Estimate | None = None
    job: JobOut | None = None


class CloseAsk(Shape):
    """Consent to guess where a surface is open; sheets without thickness are given ``sheet_mm``, or left out."""

    sheet_mm: Annotated[float, Field(ge=0.1, le=50)] | None = None


class OrientationsAsk(Shape):
    """The column with whose recipe ways to stand are estimated."""

    recipe_id: RowId


class WaterfallAsk(Shape):
    """From one column to another."""

    from_id: RowId
    to_id: RowId


class SensitivityAsk(Shape):
    """A setting by its key."""

    key: Annotated[str, Field(max_length=60)]


class SampleAsk(Shape):
    """About how many layers to plan; left out, all."""

    layers: Annotated[int, Field(ge=4, le=2000)] | None = None


class SettingsOut(Shape):
    """A recipe's settings sheet."""

    name: str
    machine: str
    nozzle: str
    material: str
    settings: list[Setting]


class SensitivitiesOut(Shape):
    """Neighbouring values of a setting with their differences."""

    nudges: list[Sensitivity]


class PreviewAsk(Shape):
    """A column as it is being typed."""

    machine_id: RowId
    nozzle_id: RowId
    material_id: RowId
    choices: Recipe


class VersionOnly(Shape):
    """Names the version that is to be deleted."""

    version: Version


class HealthOut(Shape):
    """Sign of life."""

    status: str
    engine_version: str


def out_of(row: VersionedRow) -> BaseModel:
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
    if isinstance(row, HouseRecipe):
        return house_out(row)
    if isinstance(row, Purpose):
        return purpose_out(row)
    if isinstance(row, House):
        return house_rules_out(row)
    if isinstance(row, Spool):
        return spool_out(row)
    raise TypeError(f"no shape for {type(row).__name__}")


def purpose_out(row: Purpose) -> PurposeOut:
    """A purpose's row as it is given out."""
    return PurposeOut(id=row.id, name=row.name, version=row.version, limits=Limits.model_validate(row.limits))


def house_out(row: HouseRecipe, used_in: list[HouseUse] | None = None) -> HouseOut:
    """A house recipe's row as it is given out."""
    return HouseOut(
        id=row.id,
        name=row.name,
        version=row.version,
        machine_id=row.machine_id,
        nozzle_id=row.nozzle_id,
        material_id=row.material_id,
        choices=Recipe.model_validate(row.choices),
        updated_at=row.updated_at,
        used_in=used_in or [],
    )


def job_out(row: JobRow) -> JobOut:
    """A job's row as it is given out."""
    return JobOut(
        id=row.id,
        kind=row.kind,
        state=row.state,
        share=row.share,
        doing=row.doing,
        problem=row.problem,
        **_result(row),
    )


_RESULTS: dict[str, type[BaseModel]] = {
    "stances": OrientationEstimates,
    "waterfall": Waterfall,
    "levers": Advice,
    "search": SearchResult,
    "remedies": Remedies,
    "close": ClosedUpload,
}


def _result(row: JobRow) -> dict[str, Any]:
    """What a job has found, under its kind's name."""
    model = _RESULTS.get(row.kind)
    return {} if model is None or not row.result else {row.kind: model.model_validate(row.result)}


def version_out(row: RecipeVersion) -> VersionOut:
    """A stored version as it is given out."""
    return VersionOut(version=row.version, at=row.at, who=row.who, **row.content)


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
        pose=Pose.model_validate(row.pose),
        purpose_id=row.purpose_id,
        quantity=row.quantity,
        due_on=row.due_on,
        guessed=None if row.guessed is None else Guesses.model_validate(row.guessed),
        headline=headline,
    )


def recipe_out(
    row: RecipeRow, preview: Preview | None = None, problem: str | None = None, estimate: Estimate | None = None
) -> RecipeOut:
    """A recipe's row as it is given out."""
    return RecipeOut(
        id=row.id,
        part_id=row.part_id,
        part_digest=row.part.digest,
        name=row.name,
        version=row.version,
        position=row.position,
        machine_id=row.machine_id,
        nozzle_id=row.nozzle_id,
        material_id=row.material_id,
        choices=Recipe.model_validate(row.choices),
        gcode=GcodeOut(file_name=row.gcode.file_name, size_bytes=row.gcode.size_bytes) if row.gcode else None,
        house=_origin(row),
        preview=preview,
        problem=problem,
        estimate=estimate,
    )


def _origin(row: RecipeRow) -> HouseOrigin | None:
    if row.house is None or row.house.deleted_at is not None:
        return None
    return HouseOrigin(id=row.house.id, name=row.house.name, version=row.house_version or 1, newest=row.house.version)
