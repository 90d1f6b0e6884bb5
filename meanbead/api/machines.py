"""Machines over HTTP."""

from __future__ import annotations

from apiflask import APIBlueprint

from meanbead import store
from meanbead.api.context import session
from meanbead.api.machines_schemas import ConsoleAsk, FirmwareReport, MachineAdd, MachineEdit, MachineOut, machine_out
from meanbead.core.gcode import printer_from_report
from meanbead.core.model import Printer
from meanbead.devices.console import fetch_report
from meanbead.store.tables import (
    Machine,
    plain,
)

blueprint = APIBlueprint("machines", __name__, url_prefix="/api", tag="Machines")


@blueprint.post("/machines")
@blueprint.input(MachineAdd)
@blueprint.output(MachineOut, status_code=201)
def add_machine(json_data: MachineAdd) -> MachineOut:
    """Add a machine: a copy of another one, or a typical one."""
    with session() as db:
        name, printer = "New machine", plain(Printer())
        if json_data.copy_of is not None:
            original = store.rows.get(db, Machine, json_data.copy_of)
            name, printer = f"{original.name[:110]} copy", original.printer
        row = Machine(name=json_data.name or name, printer=printer)
        db.add(row)
        db.flush()
        return machine_out(row)


@blueprint.patch("/machines/<int:machine_id>")
@blueprint.input(MachineEdit)
@blueprint.output(MachineOut)
def edit_machine(machine_id: int, json_data: MachineEdit) -> MachineOut:
    """Change a machine. Every estimate on it is computed anew when it is next looked at."""
    with session() as db:
        row = store.rows.get_for_edit(db, Machine, machine_id, json_data.version)
        if json_data.name is not None:
            row.name = json_data.name.strip()
        if json_data.printer is not None:
            row.printer = plain(json_data.printer)
        db.flush()
        return machine_out(row)


@blueprint.post("/machines/<int:machine_id>/firmware")
@blueprint.input(FirmwareReport)
@blueprint.output(MachineOut)
def read_firmware(machine_id: int, json_data: FirmwareReport) -> MachineOut:
    """Take a machine's limits from its firmware's own report; what the report does not say stays."""
    with session() as db:
        row = store.rows.get_for_edit(db, Machine, machine_id, json_data.version)
        row.printer = plain(printer_from_report(json_data.report, Printer.model_validate(row.printer)).printer)
        db.flush()
        return machine_out(row)


@blueprint.post("/machines/<int:machine_id>/console")
@blueprint.input(ConsoleAsk)
@blueprint.output(MachineOut)
def ask_console(machine_id: int, json_data: ConsoleAsk) -> MachineOut:
    """Ask the machine's own console for its settings, and take its limits from the answer."""
    report = fetch_report(json_data.address)
    with session() as db:
        row = store.rows.get_for_edit(db, Machine, machine_id, json_data.version)
        row.printer = plain(printer_from_report(report, Printer.model_validate(row.printer)).printer)
        db.flush()
        return machine_out(row)
