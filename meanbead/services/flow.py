"""Flow tests between the store and the core: what a test holds, what it says, and what that changes."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

from sqlalchemy import select
from sqlalchemy.orm import Session, joinedload

from meanbead import store
from meanbead.core.errors import MeanBeadError
from meanbead.core.formulas.melt import MeltCeiling, melt_ceiling
from meanbead.core.learn.flow import fit_flow_test, measured_melt
from meanbead.core.learn.flow.wear import ask_again
from meanbead.core.model import Material, Nozzle, Printer
from meanbead.core.model.flow_test import FlowFit, FlowPoint, FlowTest
from meanbead.core.model.measured import MeasuredMelt
from meanbead.core.model.shop import Shop
from meanbead.core.recipe.resolve import resolve
from meanbead.store.tables import FlowPointRow, FlowTestRow, Part, RecipeRow, now

__all__ = ["ChangedCeiling", "changed_ceilings", "fit_of", "flow_test_of", "made_of", "measured_by", "worn"]


@lru_cache(maxsize=64)
def fit_of(test: FlowTest) -> FlowFit:
    """What a test says; the same strands are fitted once."""
    return fit_flow_test(test)


def flow_test_of(session: Session, row: FlowTestRow, points: Sequence[FlowPointRow] | None = None) -> FlowTest:
    """A row with its strands as the core knows it."""
    strands = store.flow_tests.points_of(session, row.id) if points is None else points
    material = Material.model_validate(row.material.material)
    printer = Printer.model_validate(row.machine.printer)
    return FlowTest(
        filament_diameter_mm=row.setup.get("filament_diameter_mm") or printer.filament_diameter_mm,
        density_g_cm3=row.setup.get("density_g_cm3") or material.density_g_cm3,
        scale_g=row.setup.get("scale_g", 0.01),
        margin=Shop.model_validate(store.house.house_of(session).shop).flow_margin,
        points=tuple(FlowPoint.model_validate(strand.point) for strand in strands),
    )


def made_of(test: FlowTest) -> str:
    """Identifies the strands of a test, whatever the house's margin."""
    return hashlib.sha256(test.model_dump_json(exclude={"margin"}).encode()).hexdigest()


def measured_by(session: Session, row: FlowTestRow) -> MeasuredMelt:
    """A test's outcome, as of the day of its last strand. Raises :class:`MeanBeadError` where it gives no limit yet."""
    strands = store.flow_tests.points_of(session, row.id)
    found = measured_melt(
        fit_of(flow_test_of(session, row, strands)),
        Printer.model_validate(row.machine.printer).hotend,
        Nozzle.model_validate(row.nozzle.nozzle),
        Material.model_validate(row.material.material),
        max((strand.created_at for strand in strands), default=now()).date(),
        row.id,
    )
    if found is None:
        raise MeanBeadError(
            "This test gives no limit yet.",
            field="points",
            remedy="Weigh at least three strands at different flows, or note how they look until one is not straight.",
        )
    return found


@dataclass(frozen=True)
class ChangedCeiling:
    """A column whose melt limit another measurement would change, mm3/s."""

    part_id: int
    part_name: str
    recipe_id: int
    recipe_name: str
    before: MeltCeiling
    after: MeltCeiling


def changed_ceilings(session: Session, row: FlowTestRow, melt: MeasuredMelt) -> list[ChangedCeiling]:
    """Columns on the test's machine whose melt limit a measurement changes, against estimates without this test."""
    columns = session.scalars(
        select(RecipeRow)
        .join(Part, Part.id == RecipeRow.part_id)
        .where(
            RecipeRow.machine_id == row.machine_id,
            RecipeRow.experiment_id.is_(None),
            RecipeRow.deleted_at.is_(None),
            Part.deleted_at.is_(None),
        )
        .order_by(RecipeRow.part_id, RecipeRow.position)
        .options(joinedload(RecipeRow.machine), joinedload(RecipeRow.nozzle), joinedload(RecipeRow.material))
    ).all()
    found = []
    for column in columns:
        recipe, printer, nozzle, material, standards = store.recipes.recipe_inputs(column)
        others = tuple(one for one in printer.measured_melts if one.test_id != row.id)
        without = printer.model_copy(update={"measured_melts": others})
        using = printer.model_copy(update={"measured_melts": (*others, melt)})
        try:
            temp = resolve(recipe, using, nozzle, material, standards).nozzle_temp_c
        except MeanBeadError:
            continue  # it contradicts itself, which its own column says
        before, after = (melt_ceiling(one, nozzle, material, temp) for one in (without, using))
        if abs(before.plan_mm3_s - after.plan_mm3_s) > 1e-6 or before.source != after.source:
            found.append(ChangedCeiling(column.part_id, column.part.name, column.id, column.name, before, after))
    return found


def worn(row: FlowTestRow) -> str:
    """Why a test that is in use should be made again; empty where it still stands."""
    if row.measured is None or row.retired_on is not None:
        return ""
    hours = row.machine.hours_run if row.machine.nozzle_id == row.nozzle_id else 0.0
    grams = float(row.nozzle.wear.get("abrasive_g", 0.0))
    return ask_again(
        Nozzle.model_validate(row.nozzle.nozzle),
        MeasuredMelt.model_validate(row.measured).on,
        hours - float(row.wear.get("hours", 0.0)),
        grams - float(row.wear.get("abrasive_g", 0.0)),
        row.machine.fitted_on if row.machine.nozzle_id == row.nozzle_id else None,
    )
