"""Machines over HTTP, beyond what all rows of the shelf share: firmware, console, their own texts, full steps."""

from __future__ import annotations

from apiflask import APIBlueprint
from sqlalchemy.orm import Session

from meanbead import store
from meanbead.api import access
from meanbead.api.context import session
from meanbead.api.machines_schemas import (
    Console,
    ConsoleAsk,
    FirmwareReport,
    MachineOut,
    RoutineAsk,
    RoutineOut,
    machine_out,
)
from meanbead.api.shelf_schemas import StepTable, StepTables
from meanbead.core.errors import MeanBeadError
from meanbead.core.gcode import printer_from_report
from meanbead.core.gcode.routine import read_routine
from meanbead.core.model import Material, Nozzle, Printer
from meanbead.core.model.house import HouseRules
from meanbead.core.shelf import full_step_heights
from meanbead.devices.console import fetch_report
from meanbead.devices.reachable import within_reach
from meanbead.store.shelf import changed_paths, marked
from meanbead.store.tables import (
    Machine,
    NozzleRow,
    plain,
)

blueprint = APIBlueprint("machines", __name__, url_prefix="/api", tag="Machines")


@blueprint.post("/machines/<int:machine_id>/firmware")
@blueprint.input(FirmwareReport)
@blueprint.output(MachineOut)
def read_firmware(machine_id: int, json_data: FirmwareReport) -> MachineOut:
    """Take a machine's limits from its firmware's own report; what the report does not say stays."""
    with session() as db:
        row = store.rows.get_for_edit(db, Machine, machine_id, json_data.version)
        return _told(db, row, json_data.report)


@blueprint.post("/machines/<int:machine_id>/console")
@blueprint.input(ConsoleAsk)
@blueprint.output(MachineOut)
def ask_console(machine_id: int, json_data: ConsoleAsk) -> MachineOut:
    """Ask the machine's own console for its settings, and take its limits from the answer."""
    with session() as db:
        row = store.rows.get(db, Machine, machine_id)
        console, allowed = Console.model_validate(row.console), bool(row.way.get("allowed"))
    address = json_data.address or console.address
    if not address:
        raise MeanBeadError(
            "Where the console listens is not known.",
            field="address",
            remedy="Give host:port, or a serial device such as /dev/ttyUSB0.",
        )
    reached = within_reach(address, allowed=allowed or access.me().token is None)
    report = fetch_report(reached, command=console.command, baud=console.baud)
    with session() as db:
        row = store.rows.get_for_edit(db, Machine, machine_id, json_data.version)
        row.console = Console(address=address, baud=console.baud, command=console.command).model_dump()
        return _told(db, row, report)


def _told(db: Session, row: Machine, report: str) -> MachineOut:
    """What the machine itself says of its limits counts as measured: nobody typed it."""
    printer = plain(printer_from_report(report, Printer.model_validate(row.printer)).printer)
    row.sources = marked(row.sources, changed_paths(row.printer, printer) - {"limits_source"}, "measured")
    row.printer = printer
    db.flush()
    return machine_out(row, store.shelf.uses(db, Machine).get(row.id))


@blueprint.post("/machines/<int:machine_id>/routine")
@blueprint.input(RoutineAsk)
@blueprint.output(RoutineOut)
def try_routine(machine_id: int, json_data: RoutineAsk) -> RoutineOut:
    """What a start or end text takes on a machine, and in which order it heats. Nothing is stored, and nothing moves."""
    with session() as db:
        printer = Printer.model_validate(store.rows.get(db, Machine, machine_id).printer)
    told = read_routine(json_data.text, printer, Nozzle(), Material())
    return RoutineOut(time_s=told.time_s, heating=told.heating, filament_mm=told.filament_mm)


@blueprint.get("/machines/<int:machine_id>/full-steps")
@blueprint.output(StepTables)
def full_steps(machine_id: int) -> StepTables:
    """Layer heights that land on whole motor steps, for every nozzle on the shelf, up to the house's ceiling."""
    with session() as db:
        printer = Printer.model_validate(store.rows.get(db, Machine, machine_id).printer)
        house = HouseRules.model_validate(store.house.house_of(db).rules)
        tables = []
        for row in store.rows.all_rows(db, NozzleRow):
            nozzle = Nozzle.model_validate(row.nozzle)
            heights = full_step_heights(printer, nozzle, house)
            tables.append(StepTable(nozzle_id=row.id, nozzle_name=row.name, bore_mm=nozzle.bore_mm, heights=heights))
        return StepTables(step_mm=printer.z_step_mm, nozzles=tables)
