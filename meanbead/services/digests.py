"""What identifies an estimate: everything that it is computed from."""

from __future__ import annotations

import hashlib
import json

from meanbead.core.errors import RecipeError
from meanbead.core.estimate.engine import ENGINE_VERSION
from meanbead.core.recipe.resolve import resolve
from meanbead.store.recipes import recipe_inputs
from meanbead.store.tables import (
    RecipeRow,
)


def inputs_digest(row: RecipeRow, part_digest: str) -> str:
    """Identifies an estimate by everything that it is computed from: the plan, whatever decided it, and what runs it."""
    recipe, printer, nozzle, material, standards = recipe_inputs(row)
    try:
        made = resolve(recipe, printer, nozzle, material, standards).as_recipe()
    except RecipeError:
        made = recipe  # it cannot be estimated; what it holds tells it from others that cannot
    content = [
        ENGINE_VERSION,
        row.gcode.digest if row.gcode else part_digest,
        *(model.model_dump(mode="json") for model in (made, printer, nozzle, material)),
    ]
    return hashlib.sha256(json.dumps(content, sort_keys=True).encode()).hexdigest()
