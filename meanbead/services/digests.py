"""What identifies an estimate: everything that it is computed from."""

from __future__ import annotations

import hashlib
import json

from meanbead.core.estimate.engine import ENGINE_VERSION
from meanbead.store.recipes import recipe_inputs
from meanbead.store.tables import (
    RecipeRow,
)


def inputs_digest(row: RecipeRow, part_digest: str) -> str:
    """Identifies an estimate by everything that it is computed from."""
    content = [
        ENGINE_VERSION,
        row.gcode.digest if row.gcode else part_digest,
        *(model.model_dump(mode="json") for model in recipe_inputs(row)),
    ]
    return hashlib.sha256(json.dumps(content, sort_keys=True).encode()).hexdigest()
