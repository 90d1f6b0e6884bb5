"""What runs take off spools, and put on machines and nozzles: booked once, and booked back when an entry changes."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from meanbead.core.log import Used
from meanbead.store.tables import Machine, NozzleRow, RunRow, SpoolRow

__all__ = ["book"]

_LEAST = 1e-9


def book(session: Session, run: RunRow, used: Used | None, *, abrasive: bool) -> None:
    """Have the shelf show what a run used: what it had booked before is taken back first. None takes all back.

    A spool never holds less than nothing: only what was there is taken, and only that is given back. A machine counts its
    hours since the nozzle was fitted, so it gains only while it still holds the run's nozzle.
    """
    _take_back(session, run.booked)
    run.booked = {} if used is None else _booked(session, run, used, abrasive)
    session.flush()


def _booked(session: Session, run: RunRow, used: Used, abrasive: bool) -> dict[str, Any]:
    found: dict[str, Any] = {"by": used.by, "grams": used.grams, "hours": used.hours}
    spool = _locked(session, SpoolRow, run.spool_id)
    if spool is not None and used.grams > _LEAST:
        taken = min(spool.left_g, used.grams)
        spool.left_g -= taken
        found["spool"] = {"id": spool.id, "grams": taken}
    machine = _locked(session, Machine, run.machine_id)
    if machine is not None and used.hours > _LEAST and _still_fitted(machine, run):
        machine.hours_run += used.hours
        found["machine"] = {"id": machine.id, "hours": used.hours, "fitted_on": str(machine.fitted_on)}
    nozzle = _locked(session, NozzleRow, run.nozzle_id)
    if nozzle is not None and used.hours > _LEAST:
        added = {
            "hours": used.hours,
            "abrasive_h": used.hours if abrasive else 0.0,
            "abrasive_g": used.grams if abrasive else 0.0,
        }
        nozzle.wear = nozzle.wear | {name: nozzle.wear.get(name, 0.0) + value for name, value in added.items()}
        found["nozzle"] = {"id": nozzle.id, **added}
    return found


def _take_back(session: Session, booked: dict[str, Any]) -> None:
    if spool := booked.get("spool"):
        row = _locked(session, SpoolRow, spool["id"])
        if row is not None:
            row.left_g += spool["grams"]
    if machine := booked.get("machine"):
        held = _locked(session, Machine, machine["id"])
        # Another nozzle has started the count anew: there is nothing to take back.
        if held is not None and str(held.fitted_on) == machine["fitted_on"]:
            held.hours_run = max(0.0, held.hours_run - machine["hours"])
    if nozzle := booked.get("nozzle"):
        worn = _locked(session, NozzleRow, nozzle["id"])
        if worn is not None:
            names = ("hours", "abrasive_h", "abrasive_g")
            worn.wear = worn.wear | {name: max(0.0, worn.wear.get(name, 0.0) - nozzle[name]) for name in names}


def _still_fitted(machine: Machine, run: RunRow) -> bool:
    if machine.nozzle_id is None or machine.nozzle_id != run.nozzle_id:
        return False
    return machine.fitted_on is None or run.started_at.date() >= machine.fitted_on


def _locked(session: Session, table: type[Any], row_id: int | None) -> Any:
    """A row, locked, that it was taken off the shelf or not."""
    return None if row_id is None else session.get(table, row_id, with_for_update=True)
