"""What the API takes and gives: flow tests, their strands, and questions asked backwards."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Any, Literal

from pydantic import Field

from meanbead import services
from meanbead.api.schema import Name, RowId, Schema, Version
from meanbead.core.learn.flow.compare import KneeDifference
from meanbead.core.model.flow_test import FlowFit, FlowPoint, FlowTestPlan
from meanbead.core.model.measured import MeasuredMelt
from meanbead.store.tables import FlowPointRow, FlowTestRow

Address = Annotated[str, Field(max_length=200)]
TempC = Annotated[float, Field(ge=100, le=500)]


class FlowSetup(Schema):
    """What is to be tested, with which scale. ``flows_mm3_s`` left empty are proposed. Filament and density are the machine's
    and the plastic's where they are not given."""

    temps_c: Annotated[list[TempC], Field(min_length=1, max_length=10)]
    fan: Annotated[float, Field(ge=0, le=1)] = 0.0
    scale_g: Annotated[float, Field(gt=0, le=10)] = 0.01
    flows_mm3_s: Annotated[list[Annotated[float, Field(gt=0, le=500)]], Field(max_length=60)] = Field(default=[])
    filament_diameter_mm: Annotated[float, Field(gt=1, le=4)] | None = None
    density_g_cm3: Annotated[float, Field(gt=0.5, le=5)] | None = None
    console_address: Address = ""
    scale_address: Address = ""
    note: Annotated[str, Field(max_length=1000)] = ""


class FlowWith(Schema):
    """Of which hot end, nozzle and plastic."""

    machine_id: RowId
    nozzle_id: RowId
    material_id: RowId
    spool_id: RowId | None = None


class FlowPlanAsk(FlowWith):
    """A test that is being thought about."""

    setup: FlowSetup


class FlowPlanOut(Schema):
    """What would be run, and whether a spool holds it."""

    plan: FlowTestPlan
    spool_left_g: float | None
    spool_says: str


class FlowTestAdd(FlowWith):
    """A new test."""

    name: Name | None = None
    setup: FlowSetup


class FlowTestEdit(Schema):
    """A change of a test; what is left out stays."""

    version: Version
    name: Name | None = None
    setup: FlowSetup | None = None
    spool_id: RowId | None = None


class PointOut(Schema):
    """One strand as it is stored."""

    id: int
    key: str
    version: int
    point: FlowPoint
    has_photo: bool


class PointAdd(Schema):
    """A strand that came out. ``key`` is made where it is typed: sent twice it is stored once."""

    key: Annotated[str, Field(min_length=8, max_length=40, pattern=r"^[A-Za-z0-9-]+$")]
    point: FlowPoint


class PointEdit(Schema):
    """A strand, corrected."""

    version: Version
    point: FlowPoint


class DriveOut(Schema):
    """What the drive's steps per mm should be, from the test: None where the present ones are not known."""

    now: float | None
    new: float | None


class FlowTestHead(Schema):
    """A test in the list."""

    id: int
    name: str
    version: int
    machine_id: int
    nozzle_id: int
    material_id: int
    machine_name: str
    nozzle_name: str
    material_name: str
    made_on: date
    strands: int
    state: Literal["planned", "running", "used", "retired"]
    measured: MeasuredMelt | None
    retired_on: date | None
    retired_because: str
    ask_again: str


class FlowTestsOut(Schema):
    """All tests, the newest first."""

    tests: list[FlowTestHead]


class FlowTestOut(FlowTestHead):
    """A test with all that is known of it. ``plan_problem`` says why it could not be planned as it stands now;
    ``changed_since_use`` that strands came in after it was used."""

    setup: FlowSetup
    spool_id: int | None
    plan: FlowTestPlan | None
    plan_problem: str
    points: list[PointOut]
    expected_g: list[float | None]
    fit: FlowFit | None
    drive: DriveOut
    margin: float
    changed_since_use: bool


class PauseAsk(Schema):
    """How the machine waits for the person: until a button is pressed, or for a while."""

    pause: Literal["button", "dwell"] = "button"


class WeightOut(Schema):
    """What lies on the scale."""

    grams: float
    step_g: float


class ConsoleDo(Schema):
    """What the machine is to do over its console. ``present`` confirms that somebody stands beside it."""

    do: Literal["heat", "look", "step", "stop"]
    temp_c: TempC | None = None
    flow_mm3_s: Annotated[float, Field(gt=0, le=500)] | None = None
    present: bool = False


class ConsoleSaid(Schema):
    """What the machine said: its temperature now, and how the strand looked where it has an eye for that."""

    temp_c: float | None
    strand: str | None


class Retire(Schema):
    """Why a measurement is used no more."""

    version: Version
    because: Annotated[str, Field(min_length=1, max_length=400, pattern=r"\S")]


class CeilingChange(Schema):
    """A column whose melt limit changes, mm3/s, and what it rests on then."""

    part_id: int
    part_name: str
    recipe_id: int
    recipe_name: str
    before_mm3_s: float
    after_mm3_s: float
    before_source: str
    after_source: str
    basis: str


class EffectOut(Schema):
    """What using a test changes. Columns whose limit stays are not among them."""

    columns: list[CeilingChange]


class CompareAsk(Schema):
    """Which two tests."""

    first: RowId
    second: RowId


class CompareOut(Schema):
    """Two tests side by side."""

    first: FlowTestOut
    second: FlowTestOut
    differences: list[KneeDifference]


class HeatAsked(Schema):
    """What temperature a recipe needs, and what ten degrees more would buy on its part.

    ``needed_c`` is the lowest at which all of its speeds melt, None where none allowed does; ``hotter_c`` what ten degrees more
    come to within the plastic's and the hot end's limits, and ``saved_s`` and ``cost_g`` what that changes, as a sample of layers says.
    """

    now_c: float
    asked_mm3_s: float
    plan_mm3_s: float
    source: str
    basis: str
    needed_c: float | None
    highest_c: float
    hotter_c: float | None
    hotter_plan_mm3_s: float | None
    saved_s: float | None
    print_time_s: float


class FittingAsk(Schema):
    """On which machine, and how often a week all wanted parts are printed."""

    machine_id: RowId
    rounds_a_week: Annotated[float, Field(gt=0, le=1000)] = 1.0


def point_out(row: FlowPointRow) -> PointOut:
    """A strand's row as it is given out."""
    return PointOut(
        id=row.id,
        key=row.key,
        version=row.version,
        point=FlowPoint.model_validate(row.point),
        has_photo=row.has_photo,
    )


def head_values(row: FlowTestRow, strands: int) -> dict[str, Any]:
    """What a test has in the list, from its row and how many strands it has."""
    state = "planned" if strands == 0 else "running"
    if row.measured is not None:
        state = "used"
    if row.retired_on is not None:
        state = "retired"
    return {
        "id": row.id,
        "name": row.name,
        "version": row.version,
        "machine_id": row.machine_id,
        "nozzle_id": row.nozzle_id,
        "material_id": row.material_id,
        "machine_name": row.machine.name,
        "nozzle_name": row.nozzle.name,
        "material_name": row.material.name,
        "made_on": row.created_at.date(),
        "strands": strands,
        "state": state,
        "measured": None if row.measured is None else MeasuredMelt.model_validate(row.measured),
        "retired_on": row.retired_on,
        "retired_because": row.retired_because,
        "ask_again": services.flow.worn(row),
    }


def flow_test_head(row: FlowTestRow, strands: int = 0) -> FlowTestHead:
    """A test's row as the list shows it."""
    return FlowTestHead(**head_values(row, strands))
