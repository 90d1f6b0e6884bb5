"""The tables. Nested descriptions are JSONB, checked by the core's models on the way in and out."""

from meanbead.store.tables.base import Base, ShelfRow, VersionedRow, now, plain
from meanbead.store.tables.day import DayPlanRow, HoursException, PlateRow, QueueItem
from meanbead.store.tables.measuring import (
    ComparisonRow,
    ExperimentRow,
    FlowPointRow,
    FlowTestRow,
    MeasurementRow,
    TestPieceRow,
)
from meanbead.store.tables.parts import ON_SHEETS, GcodeFile, HouseRecipe, Part, RecipeRow, RecipeVersion, Upload
from meanbead.store.tables.people import AuditRow, Invitation, Person, SessionRow, Tries
from meanbead.store.tables.runs import ImportColumns, JournalRow, RunPhoto, RunRow
from meanbead.store.tables.shelf import House, Machine, MaterialRow, NozzleRow, Purpose, SpoolRow
from meanbead.store.tables.work import JOB_UNDER_WAY, EstimateRow, Generation, JobRow

__all__ = [
    "JOB_UNDER_WAY",
    "ON_SHEETS",
    "AuditRow",
    "Base",
    "ComparisonRow",
    "DayPlanRow",
    "EstimateRow",
    "ExperimentRow",
    "FlowPointRow",
    "FlowTestRow",
    "GcodeFile",
    "Generation",
    "HoursException",
    "House",
    "HouseRecipe",
    "ImportColumns",
    "Invitation",
    "JobRow",
    "JournalRow",
    "Machine",
    "MaterialRow",
    "MeasurementRow",
    "NozzleRow",
    "Part",
    "Person",
    "PlateRow",
    "Purpose",
    "QueueItem",
    "RecipeRow",
    "RecipeVersion",
    "RunPhoto",
    "RunRow",
    "SessionRow",
    "ShelfRow",
    "SpoolRow",
    "TestPieceRow",
    "Tries",
    "Upload",
    "VersionedRow",
    "now",
    "plain",
]
