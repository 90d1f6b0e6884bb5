"""What the pages share with the server, for their build: ``python -m meanbead.api.shared choices.json|names.json|told.d.ts``."""

from __future__ import annotations

import json
import sys

from meanbead.core.estimate.ledger import CAUSES
from meanbead.core.estimate.sample import SAMPLE_LAYERS
from meanbead.core.recipe.choices import choices
from meanbead.core.strokes.features import FEATURES
from meanbead.store.notices import told_tables


def shared(what: str) -> object:
    """``choices``: the sheet's catalogue. ``names``: features and causes in the order of their numbers, and the size of a
    first answer's sample."""
    if what == "choices":
        return [choice.model_dump() for choice in choices()]
    return {"features": list(FEATURES), "causes": list(CAUSES), "sample_layers": SAMPLE_LAYERS}


def told() -> str:
    """The tables whose changes the pages hear of, as a type: a page that does not know one of them is not built."""
    names = " | ".join(f'"{name}"' for name in told_tables())
    return f"/** Tables whose changes are told; made by meanbead/api/shared.py. */\nexport type ToldTable = {names};"


if __name__ == "__main__":
    made, _, kind = sys.argv[1].partition(".")
    print(json.dumps(shared(made), ensure_ascii=False, indent=1) if kind == "json" else told())
