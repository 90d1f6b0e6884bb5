"""Between the API and the store: what is neither, such as pictures, digests, and all that an estimate needs."""

from meanbead.services import (
    advice,
    digests,
    estimates,
    fitting,
    flow,
    house,
    intake,
    parts,
    photos,
    pictures,
    test_pieces,
)

__all__ = [
    "advice",
    "digests",
    "estimates",
    "fitting",
    "flow",
    "house",
    "intake",
    "parts",
    "photos",
    "pictures",
    "test_pieces",
]
