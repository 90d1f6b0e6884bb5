"""What the API takes and gives: parts."""

from __future__ import annotations

from datetime import date
from typing import Annotated

from pydantic import Field

from meanbead.api.schema import Name, RowId, Schema, Version
from meanbead.core.model import PartFacts, Pose
from meanbead.core.model.part import Guesses
from meanbead.core.part.pose import Axis, Side
from meanbead.store.tables import (
    Part,
)


class Headline(Schema):
    """The chosen column's result, for the list of parts; ``outdated`` where what it rests on has changed since. What it will
    really take, with 90 %, rests on so many ``runs`` of its machine."""

    recipe_name: str
    print_time_s: float
    filament_g: float
    outdated: bool = False
    expected_s: float
    low_s: float
    high_s: float
    runs: int


class PrintedOut(Schema):
    """What a part's kept runs come to: the last real time with what was predicted then, and hours and grams saved since the
    first recipe, over so many pieces."""

    runs: int
    real_s: float | None
    predicted_s: float | None
    saved_h: float
    saved_g: float
    pieces: int


class PartOut(Schema):
    """A part."""

    id: int
    name: str
    version: int
    file_name: str
    note: str
    facts: PartFacts
    picture: str
    pose: Pose
    purpose_id: int | None
    chosen_id: int | None
    quantity: int
    due_on: date | None
    guessed: Guesses | None
    headline: Headline | None = None
    printed: PrintedOut | None = None


class PartsAsk(Schema):
    """How many parts, those before which one, and what their names hold."""

    limit: Annotated[int, Field(ge=1, le=500)] = 60
    before: RowId | None = None
    search: Annotated[str, Field(max_length=120)] = ""


class PartsOut(Schema):
    """Parts, the newest first; whether there are ``more``, and how many in all."""

    parts: list[PartOut]
    more: bool = False
    total: int = 0


class PartName(Schema):
    """A part's name."""

    id: int
    name: str


class PartNames(Schema):
    """Names of parts."""

    parts: list[PartName]


class CutAsk(Schema):
    """Where a part is cut as it stands, mm along an axis (z from the bed), and which side is kept."""

    axis: Axis = "z"
    at_mm: Annotated[float, Field(ge=-2000, le=2000)]
    keep: Side = "above"


class PartEdit(Schema):
    """A change of a part; what is left out stays. A ``due_on`` of null takes the date away, likewise a
    purpose, and the choice of *the* column."""

    version: Version
    name: Name | None = None
    note: Annotated[str, Field(max_length=400)] | None = None
    pose: Pose | None = None
    cut: CutAsk | None = None
    purpose_id: RowId | None = None
    chosen_id: RowId | None = None
    quantity: Annotated[int, Field(ge=1, le=100_000)] | None = None
    due_on: date | None = None


class OrientationsAsk(Schema):
    """The column with whose recipe ways to stand are estimated."""

    recipe_id: RowId


def part_out(row: Part, headline: Headline | None = None, printed: PrintedOut | None = None) -> PartOut:
    """A part's row as it is given out."""
    return PartOut(
        id=row.id,
        name=row.name,
        version=row.version,
        file_name=row.file_name,
        note=row.note,
        facts=PartFacts.model_validate(row.facts),
        picture=f"/api/parts/{row.id}/picture?{row.digest[:12]}",
        pose=Pose.model_validate(row.pose),
        purpose_id=row.purpose_id,
        chosen_id=row.chosen_id,
        quantity=row.quantity,
        due_on=row.due_on,
        guessed=None if row.guessed is None else Guesses.model_validate(row.guessed),
        headline=headline,
        printed=printed,
    )
