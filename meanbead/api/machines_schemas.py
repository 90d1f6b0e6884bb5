"""What the API takes and gives: machines."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from meanbead.api.schema import Name, RowId, Schema, Version
from meanbead.core.model import Printer
from meanbead.store.tables import (
    Machine,
)


class MachineOut(Schema):
    """A machine of the workshop."""

    id: int
    name: str
    version: int
    printer: Printer


class MachineAdd(Schema):
    """A new machine: a copy of another one, or a typical one."""

    copy_of: RowId | None = None
    name: Name | None = None


class MachineEdit(Schema):
    """A change of a machine; what is left out stays."""

    version: Version
    name: Name | None = None
    printer: Printer | None = None


class FirmwareReport(Schema):
    """The settings that a machine's firmware printed on its console."""

    version: Version
    report: Annotated[str, Field(max_length=200_000)]


class ConsoleAsk(Schema):
    """Where a machine's console listens: ``host:port`` or a serial device."""

    version: Version
    address: Annotated[str, Field(min_length=1, max_length=200)]


def machine_out(row: Machine) -> MachineOut:
    """A machine's row as it is given out."""
    return MachineOut(id=row.id, name=row.name, version=row.version, printer=Printer.model_validate(row.printer))
