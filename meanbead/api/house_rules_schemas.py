"""What the API takes and gives: house rules."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from meanbead.api.schema import Schema, Version
from meanbead.core.model.house import HouseRules
from meanbead.core.model.shop import Shop
from meanbead.core.rules.conventions import Topic, topics
from meanbead.store.tables import (
    House,
)


class HouseRulesOut(Schema):
    """The workshop's own rules, with all matters and their schools."""

    version: int
    matters: list[Topic]
    rules: HouseRules
    shop: Shop
    scale_address: str


class HouseRulesEdit(Schema):
    """A change of the house's rules; what is left out stays."""

    version: Version
    rules: HouseRules | None = None
    shop: Shop | None = None
    scale_address: Annotated[str, Field(max_length=200)] | None = None


class EndingAsk(Schema):
    """How long a print runs, heat-up and start included."""

    whole_time_s: Annotated[float, Field(ge=0, le=1e8)]


class EndingOut(Schema):
    """When it ends with nobody there; empty where someone is."""

    sentence: str


class HousePreviewAsk(Schema):
    """Rules to be tried."""

    rules: HouseRules


class SettingChange(Schema):
    """A setting that would be another, as people read it; empty where it plays no part."""

    key: str
    label: str
    unit: str
    before: str
    after: str


class ColumnChange(Schema):
    """A column that would print otherwise."""

    part_id: int
    part_name: str
    recipe_id: int
    recipe_name: str
    changes: list[SettingChange]


class HousePreview(Schema):
    """All columns that would print otherwise."""

    columns: list[ColumnChange]


def house_rules_out(row: House) -> HouseRulesOut:
    """The house's row as it is given out."""
    return HouseRulesOut(
        version=row.version,
        matters=list(topics()),
        rules=HouseRules.model_validate(row.rules),
        shop=Shop.model_validate(row.shop),
        scale_address=row.scale_address,
    )
