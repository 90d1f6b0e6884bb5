"""The settings sheet of a column over HTTP."""

from __future__ import annotations

import re

from apiflask import APIBlueprint
from flask import Response

from meanbead import store
from meanbead.api.context import session
from meanbead.api.settings_schemas import SettingsOut
from meanbead.core.errors import MeanBeadError
from meanbead.core.recipe.machine_sheet import machine_sheet
from meanbead.core.recipe.resolve import resolve
from meanbead.core.recipe.settings_sheet import as_csv, settings_sheet
from meanbead.store.tables import (
    RecipeRow,
)

blueprint = APIBlueprint("settings", __name__, url_prefix="/api", tag="Settings")


@blueprint.get("/recipes/<int:recipe_id>/settings")
@blueprint.output(SettingsOut)
def settings(recipe_id: int) -> SettingsOut:
    """Everything that a column's recipe comes to, with neutral names and units."""
    with session() as db:
        return _settings(store.recipes.get_recipe(db, recipe_id))


@blueprint.get("/recipes/<int:recipe_id>/settings.<any(csv, json):kind>")
@blueprint.doc(summary="The settings sheet as a file, CSV or JSON")
def settings_file(recipe_id: int, kind: str) -> Response:
    """The settings sheet as a file. The JSON is a recipe that can be given to the command line."""
    with session() as db:
        row = store.recipes.get_recipe(db, recipe_id)
        sheet = _settings(row)
        effective = resolve(*store.recipes.recipe_inputs(row)).as_recipe()
    body = as_csv(sheet.settings) if kind == "csv" else effective.model_dump_json(exclude_none=True, indent=1)
    name = re.sub(r"[^A-Za-z0-9]+", "-", sheet.name).strip("-").lower() or "recipe"
    response = Response(body, content_type="text/csv; charset=utf-8" if kind == "csv" else "application/json")
    response.headers["Content-Disposition"] = f'attachment; filename="{name}.{kind}"'
    return response


def _settings(row: RecipeRow) -> SettingsOut:
    if row.gcode_id is not None:
        raise MeanBeadError("A replayed file does not tell its settings.", field="gcode")
    inputs = store.recipes.recipe_inputs(row)
    return SettingsOut(
        name=row.name,
        machine=row.machine.name,
        nozzle=row.nozzle.name,
        material=row.material.name,
        settings=settings_sheet(*inputs) + machine_sheet(*inputs),
    )
