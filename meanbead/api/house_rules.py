"""The house's rules over HTTP."""

from __future__ import annotations

from apiflask import APIBlueprint

from meanbead import store
from meanbead.api.context import session
from meanbead.api.house_rules_schemas import HouseRulesEdit, HouseRulesOut, house_rules_out
from meanbead.store.tables import (
    House,
    plain,
)

blueprint = APIBlueprint("house_rules", __name__, url_prefix="/api", tag="House rules")


@blueprint.get("/house-rules")
@blueprint.output(HouseRulesOut)
def house_rules() -> HouseRulesOut:
    """The workshop's schools, its attended hours and how often its prints fail."""
    with session() as db:
        return house_rules_out(store.house.house_of(db))


@blueprint.patch("/house-rules")
@blueprint.input(HouseRulesEdit)
@blueprint.output(HouseRulesOut)
def edit_house_rules(json_data: HouseRulesEdit) -> HouseRulesOut:
    """Choose another school, or change hours and rates. Findings and advice follow."""
    with session() as db:
        row = store.rows.get_for_edit(db, House, store.house.house_of(db).id, json_data.version)
        if json_data.rules is not None:
            row.rules = plain(json_data.rules)
        if json_data.shop is not None:
            own = json_data.shop.model_copy(update={"spool_left_g": None, "spool_dry": None, "now_h": None})
            row.shop = plain(own)
        db.flush()
        return house_rules_out(row)
