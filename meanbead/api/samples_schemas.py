"""What the API gives: the sample workshop."""

from __future__ import annotations

from meanbead.api.schema import Schema


class SamplesOut(Schema):
    """``present`` while the sample workshop is here, ``removed`` where it can be brought back; ``own_parts`` are the parts that are
    not its own."""

    present: bool
    removed: bool
    own_parts: int
