"""What a change of the house's rules would do to the columns that are there."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session, joinedload

from meanbead import store
from meanbead.core.errors import MeanBeadError
from meanbead.core.model import Standards
from meanbead.core.model.house import HouseRules
from meanbead.core.recipe.settings_sheet import settings_sheet
from meanbead.store.tables import Part, RecipeRow

__all__ = ["ChangedColumn", "ChangedSetting", "changed_columns"]


@dataclass(frozen=True)
class ChangedSetting:
    """A setting that would be another, as people read it; empty where it plays no part."""

    key: str
    label: str
    unit: str
    before: str
    after: str


@dataclass(frozen=True)
class ChangedColumn:
    """A column that would print otherwise."""

    part_id: int
    part_name: str
    recipe_id: int
    recipe_name: str
    changes: list[ChangedSetting]


def changed_columns(session: Session, rules: HouseRules) -> list[ChangedColumn]:
    """Columns whose left-open settings would be others under these rules, with what would change."""
    rows = session.scalars(
        select(RecipeRow)
        .join(Part, Part.id == RecipeRow.part_id)
        .where(
            RecipeRow.deleted_at.is_(None),
            RecipeRow.experiment_id.is_(None),
            RecipeRow.gcode_id.is_(None),
            Part.deleted_at.is_(None),
        )
        .order_by(RecipeRow.part_id, RecipeRow.position)
        .options(joinedload(RecipeRow.machine), joinedload(RecipeRow.nozzle), joinedload(RecipeRow.material))
    ).all()
    found = []
    for row in rows:
        changes = _changes(row, rules)
        if changes:
            found.append(ChangedColumn(row.part_id, row.part.name, row.id, row.name, changes))
    return found


def _changes(row: RecipeRow, rules: HouseRules) -> list[ChangedSetting]:
    recipe, printer, nozzle, material, standards = store.recipes.recipe_inputs(row)
    try:
        sheets = [
            settings_sheet(recipe, printer, nozzle, material, around)
            for around in (standards, Standards(house=rules, limits=standards.limits))
        ]
    except MeanBeadError:
        return []  # it contradicts itself, which its own column says
    before, after = ({line.key: line for line in sheet} for sheet in sheets)
    found = []
    for key in dict.fromkeys((*before, *after)):
        old, new = before.get(key), after.get(key)
        said = "" if old is None else old.shown, "" if new is None else new.shown
        line = new or old
        if said[0] != said[1] and line is not None:
            found.append(ChangedSetting(key, line.label, line.unit, *said))
    return found
