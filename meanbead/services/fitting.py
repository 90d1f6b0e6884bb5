"""What the question what to fit needs of the workshop."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy.orm import Session

from meanbead import store
from meanbead.core.errors import MeanBeadError
from meanbead.core.learn.flow.asked_back import WantedPart
from meanbead.core.model import Material, Nozzle, Printer
from meanbead.core.model.shop import Shop
from meanbead.services.estimates import job_of
from meanbead.store.tables import Machine, NozzleRow, Part

__all__ = ["FittingInputs", "fitting_inputs"]


@dataclass(frozen=True)
class FittingInputs:
    """Parts whose chosen column is on the machine, and the nozzles and other hot ends of the workshop by name."""

    parts: list[WantedPart]
    nozzles: dict[str, Nozzle]
    hotends: dict[str, Printer]


def fitting_inputs(session: Session, machine_id: int) -> FittingInputs:
    """Raises :class:`MeanBeadError` where no part's chosen column is on the machine."""
    machine = store.rows.get(session, Machine, machine_id)
    parts, plastics = [], []
    for part in store.rows.all_rows(session, Part):
        chosen = store.recipes.chosen_column(part, store.recipes.recipes_of(session, part.id))
        if chosen is None or chosen.machine_id != machine.id or chosen.gcode_id is not None:
            continue
        parts.append(WantedPart(part.name, job_of(session, chosen), part.quantity))
        plastics.append(Material.model_validate(chosen.material.material))
    if not parts:
        raise MeanBeadError(
            f"No part's chosen column is on {machine.name}.",
            field="machine_id",
            remedy="Choose a column on it in at least one part.",
        )
    shop = Shop.model_validate(store.house.house_of(session).shop)
    # A plastic whose filling would block or eat a nozzle rules that nozzle out for all.
    narrowest = max(plastic.min_bore_mm for plastic in plastics)
    abrasive = any(plastic.abrasive for plastic in plastics)
    nozzles = {
        row.name: nozzle
        for row in store.rows.all_rows(session, NozzleRow)
        if (nozzle := Nozzle.model_validate(row.nozzle)).bore_mm >= narrowest and (nozzle.hard or not abrasive)
    }
    hotends = {
        f"the hot end of {row.name}": _with_all_tests(session, row, shop, plastics)
        for row in store.rows.all_rows(session, Machine)
        if row.id != machine.id and row.printer.get("hotend") != machine.printer.get("hotend")
    }
    return FittingInputs(parts, nozzles, hotends)


def _with_all_tests(session: Session, machine: Machine, shop: Shop, plastics: list[Material]) -> Printer:
    """A machine with what flow tests have shown of it with any of these plastics."""
    by_name = {plastic.name: plastic for plastic in plastics}
    each = [store.recipes.printer_of(session, machine, shop, plastic) for plastic in by_name.values()]
    melts = dict.fromkeys(melt for printer in each for melt in printer.measured_melts)
    return each[0].model_copy(update={"measured_melts": tuple(melts)})
