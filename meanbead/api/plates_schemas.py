"""What the API takes and gives: plates."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from meanbead.api.schema import Name, RowId, Schema, Version
from meanbead.core.model.plate import PlateItem
from meanbead.core.model.printer import HeadBox
from meanbead.services.plates import MOST_ITEMS
from meanbead.store.tables import PlateRow

Order = Literal["by_layer", "one_by_one"]
Items = Annotated[list[PlateItem], Field(max_length=MOST_ITEMS)]


class PlateHead(Schema):
    """A plate in a list."""

    id: int
    version: int
    name: str
    machine: str
    recipe: str
    items: int
    part_id: int | None


class PlatesOut(Schema):
    """All plates, the newest first."""

    plates: list[PlateHead]


class PlateKind(Schema):
    """A kind of part on a plate: its outline from above with brim, around its own middle (rings of points, mm), and its height."""

    part_id: int
    name: str
    rings: list[list[tuple[float, float]]]
    height_mm: float
    count: int


class PlateTrouble(Schema):
    """Something that is wrong; ``items`` are the places of the parts that it is about."""

    kind: str
    items: list[int]
    says: str


class PlateChecked(Schema):
    """What is wrong with a plate, and in which order it is printed one after the other (empty layer by layer, or where there is
    none)."""

    troubles: list[PlateTrouble]
    order: list[int]


class PlateOut(PlateHead):
    """A plate with all that stands on it."""

    recipe_id: int
    machine_id: int
    order: Order
    gap_mm: float
    own_gap: bool
    bed_mm: tuple[float, float, float]
    head: HeadBox
    placed: list[PlateItem]
    kinds: list[PlateKind]
    checked: PlateChecked
    digest: str
    note: str


class PlateAdd(Schema):
    """A new plate: so many of each part, laid as they fit, by a column's recipe and machine."""

    name: Name
    recipe_id: RowId
    counts: Annotated[dict[str, Annotated[int, Field(ge=0, le=MOST_ITEMS)]], Field(max_length=50)] = Field(default={})
    order: Order = "by_layer"


class PlateEdit(Schema):
    """A change; what is left out stays. ``gap_mm`` null is the recipe's; ``head`` is the machine's."""

    version: Version
    name: Name | None = None
    recipe_id: RowId | None = None
    order: Order | None = None
    gap_mm: Annotated[float, Field(ge=0, le=200)] | None = None
    items: Items | None = None
    head: HeadBox | None = None
    note: Annotated[str, Field(max_length=1000)] | None = None


class PlateArrange(Schema):
    """So many of each part, laid anew."""

    version: Version
    counts: Annotated[dict[str, Annotated[int, Field(ge=0, le=MOST_ITEMS)]], Field(max_length=50)]
    may_turn: bool = True


class PlateArranged(PlateOut):
    """The plate laid anew; ``left_out`` are parts that found no room."""

    left_out: int


class PlateCheck(Schema):
    """Where parts are thought of."""

    items: Items


def plate_head(row: PlateRow) -> PlateHead:
    """A plate's row as it is given out."""
    return PlateHead(
        id=row.id,
        version=row.version,
        name=row.name,
        machine="",
        recipe="",
        items=len(row.items),
        part_id=row.part_id,
    )
