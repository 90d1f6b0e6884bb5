"""What the pages share with the engine, as JSON: ``python -m meanbead.api.shared choices|names``, for their build."""

from __future__ import annotations

import json
import sys

from meanbead.core.estimate.ledger import CAUSES
from meanbead.core.estimate.sample import SAMPLE_LAYERS
from meanbead.core.recipe.choices import choices
from meanbead.core.strokes.features import FEATURES


def shared(what: str) -> object:
    """``choices``: the sheet's catalogue. ``names``: features and causes in the order of their numbers, and the size of a
    first answer's sample."""
    if what == "choices":
        return [choice.model_dump() for choice in choices()]
    return {"features": list(FEATURES), "causes": list(CAUSES), "sample_layers": SAMPLE_LAYERS}


if __name__ == "__main__":
    print(json.dumps(shared(sys.argv[1]), ensure_ascii=False, indent=1))
