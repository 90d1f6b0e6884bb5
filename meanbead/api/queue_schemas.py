"""What the API takes and gives: the queue."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated

from pydantic import Field

from meanbead.api.schema import RowId, Schema, Version
from meanbead.services.queue import MOST_PLATES, Progress, plates_of
from meanbead.store.tables import QueueItem, RecipeRow

Key = Annotated[str, Field(min_length=8, max_length=40, pattern=r"^[A-Za-z0-9-]+$")]
Quantity = Annotated[int, Field(ge=1, le=MOST_PLATES * 100)]
PerPlate = Annotated[int, Field(ge=1, le=400)]
Priority = Annotated[int, Field(ge=-9, le=9)]
MachineIds = Annotated[list[RowId], Field(max_length=200)]


class QueueOut(Schema):
    """Something that is to be printed, and how it stands."""

    id: int
    version: int
    name: str
    part_id: int
    recipe_id: int
    recipe: str
    plate_id: int | None
    quantity: int
    per_plate: int
    plates: int
    due_at: datetime | None
    priority: int
    may_pick: bool
    machine_ids: list[int]
    material_id: int
    material: str
    pinned: list[int]
    again_of_id: int | None
    note: str
    done: int
    running: int
    scrapped: int
    open_plates: list[int]


class QueueHead(Schema):
    """An item of the queue beside a refused write."""

    id: int
    version: int
    name: str
    quantity: int


class QueueListOut(Schema):
    """The queue: the highest priority first, then what is due first."""

    items: list[QueueOut]


class QueueAdd(Schema):
    """Something more to print. Left out, the recipe is the part's chosen one, and a plate holds what the recipe says. ``key`` is
    made in the page: sent twice it is stored once."""

    key: Key
    part_id: RowId | None = None
    recipe_id: RowId | None = None
    plate_id: RowId | None = None
    quantity: Quantity = 1
    per_plate: PerPlate | None = None
    due_at: datetime | None = None
    priority: Priority = 0
    may_pick: bool = False
    machine_ids: MachineIds = Field(default=[])
    material_id: RowId | None = None
    note: Annotated[str, Field(max_length=1000)] = ""


class QueueEdit(Schema):
    """A change; what is left out stays."""

    version: Version
    recipe_id: RowId | None = None
    quantity: Quantity | None = None
    per_plate: PerPlate | None = None
    due_at: datetime | None = None
    priority: Priority | None = None
    may_pick: bool | None = None
    machine_ids: MachineIds | None = None
    material_id: RowId | None = None
    note: Annotated[str, Field(max_length=1000)] | None = None


class QueueAgain(Schema):
    """A run that is to be printed once more."""

    key: Key
    run_id: RowId


class QueueCsv(Schema):
    """A table of what to print: part, quantity, and where given per_plate, due, priority, recipe, machines, note."""

    text: Annotated[str, Field(min_length=1, max_length=500_000)]


class QueueCsvProblem(Schema):
    """A line that was not taken, and why."""

    line: int
    says: str


class QueueCsvOut(Schema):
    """What a table brought."""

    added: list[QueueOut]
    problems: list[QueueCsvProblem]


def queue_out(row: QueueItem, column: RecipeRow, material: str, progress: Progress) -> QueueOut:
    """An item of the queue as it is given out."""
    return QueueOut(
        id=row.id,
        version=row.version,
        name=row.name,
        part_id=column.part_id,
        recipe_id=row.recipe_id,
        recipe=column.name,
        plate_id=row.plate_id,
        quantity=row.quantity,
        per_plate=row.per_plate,
        plates=len(plates_of(row)),
        due_at=row.due_at,
        priority=row.priority,
        may_pick=row.may_pick,
        machine_ids=row.machine_ids,
        material_id=row.material_id or column.material_id,
        material=material,
        pinned=sorted(int(plate) for plate in row.pins),
        again_of_id=row.again_of_id,
        note=row.note,
        done=progress.done_pieces,
        running=progress.running_pieces,
        scrapped=progress.scrapped,
        open_plates=progress.open_plates,
    )


def queued_head(row: QueueItem) -> QueueHead:
    """An item of the queue beside a refused write."""
    return QueueHead(id=row.id, version=row.version, name=row.name, quantity=row.quantity)
