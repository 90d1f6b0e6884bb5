"""What the API takes and gives: house rules."""

from __future__ import annotations

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


class HouseRulesEdit(Schema):
    """A change of the house's rules; what is left out stays."""

    version: Version
    rules: HouseRules | None = None
    shop: Shop | None = None


def house_rules_out(row: House) -> HouseRulesOut:
    """The house's row as it is given out."""
    return HouseRulesOut(
        version=row.version,
        matters=list(topics()),
        rules=HouseRules.model_validate(row.rules),
        shop=Shop.model_validate(row.shop),
    )
