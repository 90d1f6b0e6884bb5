"""What advice needs of the workshop: purpose, house rules, shop, spools and nozzles around a column."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from meanbead import services, store
from meanbead.core.advise.context import AdviceContext
from meanbead.core.estimate.engine import Engine
from meanbead.core.estimate.job import PrintJob
from meanbead.core.formulas.strength import shell_mm
from meanbead.core.log import FaultRate, fault_rate
from meanbead.core.model import Limits, Material, Nozzle
from meanbead.core.model.house import HouseRules
from meanbead.core.model.shop import Shop
from meanbead.core.part.facts import part_facts
from meanbead.core.recipe.resolve import resolve
from meanbead.core.shelf import dryness
from meanbead.store.tables import House, NozzleRow, Part, RecipeRow, SpoolRow

WORTH_TURNING_MM2 = 15.0


@dataclass(frozen=True)
class AdviceInputs:
    """A column's job and all that stands around it in the store, before the part itself is looked at."""

    job: PrintJob
    limits: Limits
    house: HouseRules
    shop: Shop
    nozzles: dict[int, Nozzle]
    shell_before_mm: float | None

    def inputs(self) -> list[object]:
        """What advice depends on beside the job, as plain values: the hour is left out, for advice would never keep."""
        models = (self.limits, self.house, self.shop.model_copy(update={"now_h": None}))
        nozzles = {str(number): nozzle.model_dump(mode="json") for number, nozzle in self.nozzles.items()}
        return [*(model.model_dump(mode="json") for model in models), nozzles, self.shell_before_mm]

    def context(self, engine: Engine) -> AdviceContext:
        """With the part's own facts; the first time they take up to a second."""
        solid = self.job.solid
        insight = engine.insight(solid).facts
        turns = insight.overhang_mm2 > WORTH_TURNING_MM2
        return AdviceContext(
            part_facts(solid),
            insight,
            self.limits,
            self.house,
            self.shop,
            self.nozzles,
            self.shell_before_mm,
            engine.lying_overhang_mm2(solid) if turns else None,
        )


def load_advice(session: Session, row: RecipeRow, moment: datetime | None = None) -> AdviceInputs:
    """What stands around a column; with a moment, advice also speaks of the hours that a print would run."""
    part = store.rows.get(session, Part, row.part_id)
    purpose = store.shelf.purpose_of(session, part)
    limits = Limits() if purpose is None else Limits.model_validate(purpose.limits)
    house = store.house.house_of(session)
    nozzles = {entry.id: Nozzle.model_validate(entry.nozzle) for entry in store.rows.all_rows(session, NozzleRow)}
    return AdviceInputs(
        job=services.estimates.job_of(session, row),
        limits=limits,
        house=HouseRules.model_validate(house.rules),
        shop=_shop(session, house, row, moment),
        nozzles=nozzles,
        shell_before_mm=_shell_before(session, row),
    )


def _shop(session: Session, house: House, row: RecipeRow, moment: datetime | None) -> Shop:
    """The shop, with the spool that a column is printed from, and how often prints fail on its machine."""
    spool = spool_for(session, row)
    rate = fault_rate_of(session, Shop.model_validate(house.shop), row.machine_id, row.machine.name)
    known: dict[str, object] = {"fault_rate_per_h": rate.per_hour, "fault_rate_says": rate.says}
    if rate.runs == 0:
        known = {}
    if spool is not None:
        today = date.today() if moment is None else moment.date()
        material = Material.model_validate(spool.material.material)
        told = dryness(material, store.shelf.spool_of(spool), today)
        dry = {"dry": True, "hardly_matters": True, "damp": False, "doubtful": False}.get(told.state)
        said = f"{spool.name}: {told.sentence[0].lower()}{told.sentence[1:]}"
        known |= {"spool_left_g": spool.left_g, "spool_name": spool.name, "spool_dry": dry, "spool_says": said}
    if moment is not None:
        known["now_h"] = moment.weekday() * 24 + moment.hour + moment.minute / 60
    return Shop.model_validate(house.shop | known)


def fault_rate_of(session: Session, shop: Shop, machine_id: int, machine_name: str) -> FaultRate:
    """How often prints fail on a machine: the house's figure, and what its own log says."""
    counted = store.runs.failures(session, machine_id).get(machine_id)
    seen = (0, 0, 0.0) if counted is None else (counted.failed, counted.runs, counted.hours)
    return fault_rate(shop.fault_rate_per_h, *seen, machine_name)


def spool_for(session: Session, row: RecipeRow) -> SpoolRow | None:
    """The spool that a column is printed from: the one that it names, else what its machine holds of that material, else
    the fullest of it."""
    spools = session.scalars(
        select(SpoolRow)
        .where(SpoolRow.material_id == row.material_id, SpoolRow.deleted_at.is_(None))
        .order_by(SpoolRow.left_g.desc())
    ).all()
    wanted = (row.spool_id, row.machine.spool_id)
    return next((spool for number in wanted for spool in spools if spool.id == number), spools[0] if spools else None)


def _shell_before(session: Session, row: RecipeRow) -> float | None:
    """The first column's shell where that column has another nozzle, mm."""
    first = next(
        iter(store.recipes.recipes_of(session, row.part_id)), row
    )  # the columns may have been removed meanwhile
    if first.id == row.id or first.nozzle_id == row.nozzle_id or first.gcode_id is not None:
        return None
    return shell_mm(resolve(*store.recipes.recipe_inputs(first)))
