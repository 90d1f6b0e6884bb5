"""Between the API and the store: what is neither, such as pictures, digests, and all that an estimate needs."""

from meanbead.services import (
    advice,
    devices,
    digests,
    estimates,
    fitting,
    flow,
    house,
    intake,
    parts,
    passphrases,
    photos,
    pictures,
    test_pieces,
)

__all__ = [
    "advice",
    "devices",
    "digests",
    "estimates",
    "fitting",
    "flow",
    "house",
    "intake",
    "parts",
    "passphrases",
    "photos",
    "pictures",
    "test_pieces",
]
