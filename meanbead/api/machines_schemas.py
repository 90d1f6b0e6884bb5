"""What the API takes and gives: machines."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Literal

from pydantic import Field

from meanbead.api.schema import RowId, Schema, Version
from meanbead.api.shelf_schemas import ShelfRowAdd, ShelfRowEdit, ShelfRowOut, common
from meanbead.core.model import Printer
from meanbead.core.shelf import Answers
from meanbead.store.shelf import Used
from meanbead.store.tables import Machine

Command = Literal["M503", "M503 S0", "M503 S1", "M115", "$$"]
"""Only commands that ask: nothing that moves, heats or stores may be sent this way."""


class Console(Schema):
    """Where a machine's console listens (``host:port`` or a serial device), its speed, and the command that it answers
    with its settings."""

    address: Annotated[str, Field(max_length=200)] = ""
    baud: Annotated[int, Field(ge=1200, le=4_000_000)] = 115_200
    command: Command = "M503"


class MachineOut(ShelfRowOut):
    """A machine of the workshop, what it holds, and what its panel's time counts. ``start_time_s`` and ``end_time_s`` are what its own texts take, where it
    has any."""

    printer: Printer
    nozzle_id: int | None
    spool_id: int | None
    fitted_on: date | None
    hours_run: float
    console: Console
    panel: Literal["", "printing", "with_heating"]


class MachineAdd(ShelfRowAdd):
    """A new machine: as described, from a newcomer's answers, a copy of another one, or a typical one."""

    printer: Printer | None = None
    answers: Answers | None = None
    console: Console | None = None


class MachineEdit(ShelfRowEdit):
    """A change of a machine; what is left out stays. A nozzle or spool of null takes it off."""

    printer: Printer | None = None
    nozzle_id: RowId | None = None
    spool_id: RowId | None = None
    fitted_on: date | None = None
    hours_run: Annotated[float, Field(ge=0, le=1e6)] | None = None
    console: Console | None = None
    panel: Literal["", "printing", "with_heating"] = ""


class FirmwareReport(Schema):
    """The settings that a machine's firmware printed on its console."""

    version: Version
    report: Annotated[str, Field(max_length=200_000)]


class ConsoleAsk(Schema):
    """Where a machine's console listens; what is left out is as the machine's row has it."""

    version: Version
    address: Annotated[str, Field(max_length=200)] = ""


class RoutineAsk(Schema):
    """A start or end text to be tried out on a machine."""

    text: Annotated[str, Field(max_length=20_000)]


class RoutineOut(Schema):
    """What a text takes beside heating, and in which order it heats; ``heating`` is null where it heats nothing."""

    time_s: float
    heating: str | None
    filament_mm: float


def machine_out(row: Machine, used: Used | None = None) -> MachineOut:
    """A machine's row as it is given out."""
    return MachineOut(
        **common(row, used),
        printer=Printer.model_validate(row.printer),
        nozzle_id=row.nozzle_id,
        spool_id=row.spool_id,
        fitted_on=row.fitted_on,
        hours_run=row.hours_run,
        console=Console.model_validate(row.console),
        panel=row.panel,
    )
