"""Names that the pages share with the engine, as JSON: ``python -m meanbead.api.names``, what the pages are built with."""

from __future__ import annotations

import json

from meanbead.core.estimate.ledger import CAUSES
from meanbead.core.estimate.sample import SAMPLE_LAYERS
from meanbead.core.strokes.features import FEATURES


def names() -> dict[str, object]:
    """Features and causes in the order of their numbers, and the size of a first answer's sample."""
    return {"features": list(FEATURES), "causes": list(CAUSES), "sample_layers": SAMPLE_LAYERS}


if __name__ == "__main__":
    print(json.dumps(names(), indent=1))
