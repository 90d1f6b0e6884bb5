"""What the API takes and gives: files for machines, ways to them, prints under way."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from pydantic import Field

from meanbead.api.runs_schemas import Key
from meanbead.api.schema import RowId, Schema, Version
from meanbead.core.gcode.inspect import FileCheck, Inspection
from meanbead.core.log.follow import Followed, PrintState
from meanbead.core.log.live import Behind, Progress
from meanbead.core.model.machine_file import FileOptions
from meanbead.devices.ways import WayDescription, WayKind
from meanbead.services.prints import Live
from meanbead.store.print_tables import PrintFile, PrintRow
from meanbead.store.tables import Machine

__all__ = [
    "ColumnFile",
    "FileOut",
    "PlaceholderOut",
    "PlaceholdersOut",
    "PrintAsk",
    "PrintOut",
    "PrintsOut",
    "SendingEdit",
    "SendingOut",
    "StartAsk",
    "WayTested",
    "file_out",
    "print_out",
]


class SendingOut(Schema):
    """How files are written for a machine and get there. Of its token only that there is one is ever told. ``first_file_read``
    says whether somebody has read what the first file of a machine asks of whoever starts it."""

    machine_id: int
    version: int
    name: str
    way: WayDescription
    options: FileOptions
    has_token: bool
    token_set_at: datetime | None
    first_file_read: bool
    has_texts: bool


class SendingEdit(Schema):
    """A change of these; what is left out stays. An empty token takes it away."""

    version: Version
    way: WayDescription | None = None
    options: FileOptions | None = None
    token: Annotated[str, Field(max_length=2000)] | None = None


class WayTested(Schema):
    """What a test of a way said."""

    says: str


class PlaceholderOut(Schema):
    """A word that may stand in braces in start and end text."""

    word: str
    says: str
    unit: str
    example: str


class PlaceholdersOut(Schema):
    """All such words, and texts to begin with."""

    words: list[PlaceholderOut]
    simple_start: str
    simple_end: str


class FileOut(Schema):
    """A file for a machine: what it does, and what was found in it. One that was ``refused`` is not kept."""

    id: int
    recipe_id: int
    machine_id: int
    name: str
    ours: bool
    state: Literal["ready", "refused", "writing"]
    size_bytes: int
    made_at: datetime
    checks: list[FileCheck]
    notes: list[str]
    print_time_s: float
    filament_g: float
    layers: int
    height_mm: float
    start_s: float


class ColumnFile(Schema):
    """The file of a column as it stands now; null where none was made of it."""

    file: FileOut | None


class PrintAsk(Schema):
    """A file that is to be sent to its machine. ``key`` is made where it is asked for: sent twice it is sent once. Of the queue it
    may be a plate."""

    key: Key
    file_id: RowId
    queue_id: RowId | None = None
    plate: Annotated[int, Field(ge=1, le=10_000)] | None = None


class StartAsk(Schema):
    """Somebody who stands at the machine says that the right nozzle and spool are on it, and that the plate is clear."""

    nozzle: bool
    spool: bool
    plate: bool


class LiveLook(Schema):
    """One look at a print: seconds printed, and those that were planned until there."""

    printing_s: float
    planned_s: float


class PrintOut(Schema):
    """A file on its way to a machine, on it, or printed by it. ``low_end`` to ``high_end`` hold its end with 90 %; ``looks`` are what
    was seen of it, real against planned."""

    id: int
    version: int
    name: str
    machine_id: int
    machine: str
    recipe_id: int
    part_id: int | None
    file_id: int
    file_name: str
    way: WayKind
    state: PrintState
    who: str
    run_id: int | None
    queue_id: int | None
    sent_bytes: int
    size_bytes: int
    problem: str
    lost_at: datetime | None
    seen_at: datetime | None
    made_at: datetime
    nozzle_c: float | None
    nozzle_target_c: float | None
    bed_c: float | None
    bed_target_c: float | None
    heating: bool
    progress: Progress | None
    behind: Behind | None
    looks: list[LiveLook]
    ends_at: datetime | None
    low_end: datetime | None
    high_end: datetime | None
    real_s: float | None


class PrintsOut(Schema):
    """What machines are at, and what they were at last."""

    prints: list[PrintOut]


def file_out(row: PrintFile) -> FileOut:
    """A file as it is given out."""
    seen = Inspection.model_validate(row.inspection)
    return FileOut(
        id=row.id,
        recipe_id=row.recipe_id,
        machine_id=row.machine_id,
        name=row.name,
        ours=row.ours,
        state=row.state,
        size_bytes=row.size_bytes,
        made_at=row.made_at,
        checks=seen.checks,
        notes=row.notes,
        print_time_s=seen.print_time_s,
        filament_g=seen.filament_g,
        layers=seen.layers,
        height_mm=seen.height_mm,
        start_s=seen.start_s,
    )


def print_out(row: PrintRow, machine: Machine | None, part_id: int | None, live: Live) -> PrintOut:
    """A print as it is given out."""
    followed = Followed.model_validate(row.followed)
    low, end, high = live.ends or (None, None, None)
    return PrintOut(
        id=row.id,
        version=row.version,
        name=row.name,
        machine_id=row.machine_id,
        machine="" if machine is None else machine.name,
        recipe_id=row.recipe_id,
        part_id=part_id,
        file_id=row.file_id,
        file_name=row.file_name,
        way=row.way,
        state=row.state,
        who=row.who,
        run_id=row.run_id,
        queue_id=row.queue_id,
        sent_bytes=row.sent_bytes,
        size_bytes=row.size_bytes,
        problem=row.problem,
        lost_at=row.lost_at,
        seen_at=row.seen_at,
        made_at=row.created_at,
        nozzle_c=followed.nozzle_c,
        nozzle_target_c=followed.nozzle_target_c,
        bed_c=followed.bed_c,
        bed_target_c=followed.bed_target_c,
        heating=row.state in ("starting", "printing") and live.progress is None,
        progress=live.progress,
        behind=live.behind,
        looks=[LiveLook(printing_s=look.printing_s, planned_s=look.planned_s) for look in live.looks],
        ends_at=end,
        low_end=low,
        high_end=high,
        real_s=followed.real_s,
    )
