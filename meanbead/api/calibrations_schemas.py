"""What the API takes and gives: what the log teaches of machines."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated

from pydantic import Field, model_validator

from meanbead.api.schema import RowId, Schema, Version
from meanbead.core.learn.calibration import CalibrationReport, Ranged, TimeDifference
from meanbead.core.learn.calibration.calibration import LearntFactor
from meanbead.core.model import Causes


class RunPoint(Schema):
    """A run against what was computed for it, printing only, of one plate; ``expected_s`` to ``high_s`` is what all other runs
    say that it should take, with 90 %. ``odd`` does not fit them: a pause, or a wrong time."""

    run_id: int
    part_id: int | None
    part: str
    nozzle: str
    plastic: str
    started_at: datetime
    era: int
    predicted_s: float
    real_s: float
    expected_s: float
    low_s: float
    high_s: float
    odd: bool


class EraOut(Schema):
    """From when on a machine was as it was, by which entry of the journal (None: from the beginning), and how many runs
    are of that time."""

    number: int
    since: datetime | None
    entry_id: int | None
    entry_version: int | None
    name: str
    runs: int


class GramsOut(Schema):
    """What weighed prints of a plastic say on a machine: weighed over predicted, shared out to the drive and the plastic."""

    plastic: str
    weighed: int
    ratio: float
    flow: Ranged
    density: Ranged
    scatter: float


class TeachesOut(Schema):
    """What one more run of a part's column would teach: intervals of all parts would be narrower by this share."""

    part_id: int
    part: str
    recipe_id: int
    column: str
    print_time_s: float
    narrower: float


class CalibrationHead(Schema):
    """A machine and what its log has taught, in short: by which share its runs typically differ from what is computed, and
    from what is expected once the log is taken in (each from all others)."""

    machine_id: int
    machine_name: str
    runs: int
    before: int
    stale: int
    off_computed: float | None
    off_expected: float | None
    scatter: float


class CalibrationsOut(Schema):
    """All machines on the shelf."""

    machines: list[CalibrationHead]


class CalibrationOut(Schema):
    """All that a machine's log has taught."""

    head: CalibrationHead
    machine_version: int
    report: CalibrationReport
    factors: list[LearntFactor]
    points: list[RunPoint]
    eras: list[EraOut]
    grams: list[GramsOut]
    teaches: list[TeachesOut]


class ExpectedAsk(Schema):
    """Ledgers of prints that are thought of, and the one that they are held against. ``errors_s`` is how far each of them
    may be off through being known from a sample of layers only, s; left out, they are known in full."""

    prints: Annotated[list[Causes], Field(min_length=1, max_length=200)]
    errors_s: Annotated[list[Annotated[float, Field(ge=0, le=1e8)]], Field(max_length=200)] = Field(default=[])
    against: Causes | None = None


class ExpectedPrint(Schema):
    """What a print will really take, printing only, with 90 %; and what it takes longer than what it is held against."""

    expected_s: float
    low_s: float
    high_s: float
    difference: TimeDifference | None


class ExpectedOut(Schema):
    """In the order in which they were asked for, and what that rests on."""

    prints: list[ExpectedPrint]
    runs: int
    basis: str


class DifferencesAsk(Schema):
    """Columns that are held against another one."""

    from_id: RowId
    to_ids: Annotated[list[RowId], Field(max_length=60)]


class ColumnDifference(Schema):
    """A column against the other one; None where figures are still to come."""

    recipe_id: int
    difference: TimeDifference | None


class DifferencesOut(Schema):
    """In the order in which they were asked for."""

    columns: list[ColumnDifference]


class LimitsApply(Schema):
    """Limits to be corrected, by dotted keys of the machine; nothing of its firmware has changed."""

    version: Version
    change: Annotated[dict[Annotated[str, Field(max_length=60)], float | None], Field(min_length=1, max_length=20)]


class LimitsApplied(Schema):
    """The machine's new version, and what was there before, which undoes it."""

    version: int
    before: dict[str, float | None]


class TestPrintsAsk(Schema):
    """The column whose nozzle and plastic test prints take."""

    recipe_id: RowId


class TestPrintsAdd(Schema):
    """Which test prints to keep as parts, by name."""

    names: Annotated[list[Annotated[str, Field(max_length=40)]], Field(min_length=1, max_length=4)]


class AddedParts(Schema):
    """Parts that were added."""

    part_ids: list[int]


class MachineNamed(Schema):
    """A machine as it is described now, or as it was when a run began."""

    machine_id: RowId | None = None
    run_id: RowId | None = None

    @model_validator(mode="after")
    def _one(self) -> MachineNamed:
        if (self.machine_id is None) == (self.run_id is None):
            raise ValueError("name a machine, or a run")
        return self


class MachinesAsk(Schema):
    """A part's column, on two machines."""

    recipe_id: RowId
    here: MachineNamed
    there: MachineNamed
