"""House recipes over HTTP: kept for a machine, nozzle and material, with where they are used and what they were."""

from __future__ import annotations

from apiflask import APIBlueprint
from sqlalchemy.orm import Session

from meanbead import store
from meanbead.api.access import me
from meanbead.api.context import session
from meanbead.api.house_recipes_schemas import HouseAdd, HouseEdit, HouseOut, HousesOut, HouseUse, house_out
from meanbead.api.recipes_schemas import VersionsOut, version_out
from meanbead.api.schema import VersionOnly
from meanbead.core.errors import MeanBeadError
from meanbead.store.tables import (
    HouseRecipe,
    RecipeRow,
)

blueprint = APIBlueprint("house_recipes", __name__, url_prefix="/api/house-recipes", tag="House recipes")


@blueprint.get("")
@blueprint.output(HousesOut)
def list_houses() -> HousesOut:
    """All recipes of the house, each with the columns that came from it."""
    with session() as db:
        return HousesOut(recipes=[_with_uses(db, row) for row in store.rows.all_rows(db, HouseRecipe)])


@blueprint.post("")
@blueprint.input(HouseAdd)
@blueprint.output(HouseOut, status_code=201)
def keep(json_data: HouseAdd) -> HouseOut:
    """Keep a column's recipe for the house. The column then counts as one that came from it."""
    with session() as db:
        column = _column(db, json_data.recipe_id)
        row = HouseRecipe(
            name=json_data.name or column.name,
            machine_id=column.machine_id,
            nozzle_id=column.nozzle_id,
            material_id=column.material_id,
            choices=column.choices,
        )
        db.add(row)
        store.versions.record_version(db, row, me().name)
        store.recipes.link_to_house(db, column, row)
        return _with_uses(db, row)


@blueprint.patch("/<int:house_id>")
@blueprint.input(HouseEdit)
@blueprint.output(HouseOut)
def edit_house(house_id: int, json_data: HouseEdit) -> HouseOut:
    """Rename a house recipe, or have it hold what a column holds now. Columns that came from it stay as they are."""
    with session() as db:
        row = store.rows.get_for_edit(db, HouseRecipe, house_id, json_data.version)
        store.versions.record_version(db, row)
        if json_data.name is not None:
            row.name = json_data.name.strip()
        if json_data.recipe_id is not None:
            column = _column(db, json_data.recipe_id)
            row.machine_id, row.nozzle_id = column.machine_id, column.nozzle_id
            row.material_id, row.choices = column.material_id, column.choices
            db.flush()
            store.recipes.link_to_house(db, column, row)
        if json_data.take_version is not None:
            store.versions.restore_version(db, row, json_data.take_version)
        store.versions.record_version(db, row, me().name)
        return _with_uses(db, row)


@blueprint.post("/<int:house_id>/delete")
@blueprint.input(VersionOnly)
@blueprint.output(HouseOut)
def delete_house(house_id: int, json_data: VersionOnly) -> HouseOut:
    """Delete a house recipe; it can be restored. Columns that came from it keep their choices."""
    with session() as db:
        row = store.rows.get_for_edit(db, HouseRecipe, house_id, json_data.version)
        store.rows.delete(db, row)
        return house_out(row)


@blueprint.post("/<int:house_id>/restore")
@blueprint.output(HouseOut)
def restore_house(house_id: int) -> HouseOut:
    """Undo a deletion."""
    with session() as db:
        row = store.rows.get(db, HouseRecipe, house_id, deleted=True)
        store.rows.restore(db, row)
        return _with_uses(db, row)


@blueprint.get("/<int:house_id>/versions")
@blueprint.output(VersionsOut)
def house_versions(house_id: int) -> VersionsOut:
    """What a house recipe has held, since when, and by whom."""
    with session() as db:
        store.rows.get(db, HouseRecipe, house_id)
        return VersionsOut(
            versions=[version_out(version) for version in store.versions.versions_of(db, HouseRecipe, house_id)]
        )


def _column(db: Session, recipe_id: int) -> RecipeRow:
    column = store.recipes.get_recipe(db, recipe_id)
    if column.gcode_id is not None:
        raise MeanBeadError("A replayed file does not tell its settings.", field="recipe_id")
    return column


def _with_uses(db: Session, row: HouseRecipe) -> HouseOut:
    uses = [
        HouseUse(
            part_id=column.part_id,
            part_name=column.part.name,
            recipe_id=column.id,
            recipe_name=column.name,
            changed=(column.machine_id, column.nozzle_id, column.material_id, column.choices)
            != (row.machine_id, row.nozzle_id, row.material_id, row.choices),
        )
        for column in store.recipes.columns_of_house(db, row.id)
    ]
    return house_out(row, uses)
