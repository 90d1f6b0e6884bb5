"""What stands in the store now, as it is given out beside a refused write."""

from __future__ import annotations

from functools import singledispatch

from pydantic import BaseModel

from meanbead.api.day_schemas import hours_out
from meanbead.api.experiments_schemas import comparison_out, head_out, measurement_out
from meanbead.api.flow_schemas import flow_test_head, point_out
from meanbead.api.house_recipes_schemas import house_out
from meanbead.api.house_rules_schemas import house_rules_out
from meanbead.api.journal_schemas import entry_out
from meanbead.api.machines_schemas import machine_out
from meanbead.api.parts_schemas import part_out
from meanbead.api.plates_schemas import plate_head
from meanbead.api.purposes_schemas import purpose_out
from meanbead.api.queue_schemas import queued_head
from meanbead.api.recipes_schemas import recipe_out
from meanbead.api.runs_schemas import photo_out, run_head
from meanbead.api.shelf_schemas import material_out, nozzle_out
from meanbead.api.spools_schemas import spool_out
from meanbead.api.test_pieces_schemas import test_piece_out
from meanbead.store.tables import (
    ComparisonRow,
    ExperimentRow,
    FlowPointRow,
    FlowTestRow,
    HoursException,
    House,
    HouseRecipe,
    JournalRow,
    Machine,
    MaterialRow,
    MeasurementRow,
    NozzleRow,
    Part,
    PlateRow,
    Purpose,
    QueueItem,
    RecipeRow,
    RunPhoto,
    RunRow,
    SpoolRow,
    TestPieceRow,
    VersionedRow,
)


@singledispatch
def stored_out(row: VersionedRow) -> BaseModel:
    """Any row that people edit, as it is given out."""
    raise TypeError(f"{type(row).__name__} is not given out")


stored_out.register(Machine, machine_out)
stored_out.register(NozzleRow, nozzle_out)
stored_out.register(MaterialRow, material_out)
stored_out.register(RecipeRow, recipe_out)
stored_out.register(Part, part_out)
stored_out.register(HouseRecipe, house_out)
stored_out.register(Purpose, purpose_out)
stored_out.register(House, house_rules_out)
stored_out.register(SpoolRow, spool_out)
stored_out.register(FlowTestRow, flow_test_head)
stored_out.register(FlowPointRow, point_out)
stored_out.register(TestPieceRow, test_piece_out)
stored_out.register(RunRow, run_head)
stored_out.register(RunPhoto, photo_out)
stored_out.register(JournalRow, entry_out)
stored_out.register(ExperimentRow, head_out)
stored_out.register(ComparisonRow, comparison_out)
stored_out.register(MeasurementRow, measurement_out)
stored_out.register(HoursException, hours_out)
stored_out.register(PlateRow, plate_head)
stored_out.register(QueueItem, queued_head)
