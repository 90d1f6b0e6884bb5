"""The house's rules over HTTP."""

from __future__ import annotations

from dataclasses import asdict
from datetime import datetime

from apiflask import APIBlueprint

from meanbead import services, store
from meanbead.api.context import session
from meanbead.api.house_rules_schemas import (
    ColumnChange,
    EndingAsk,
    EndingOut,
    HousePreview,
    HousePreviewAsk,
    HouseRulesEdit,
    HouseRulesOut,
    house_rules_out,
)
from meanbead.core.model.shop import Shop
from meanbead.core.schedule.attendance import ending
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
            own = json_data.shop.model_copy(
                update={
                    "spool_left_g": None,
                    "spool_name": "",
                    "spool_dry": None,
                    "spool_says": "",
                    "now_h": None,
                    "fault_rate_says": "",
                }
            )
            row.shop = plain(own)
        if json_data.scale_address is not None:
            row.scale_address = json_data.scale_address.strip()
        db.flush()
        return house_rules_out(row)


@blueprint.post("/house-rules/preview")
@blueprint.input(HousePreviewAsk)
@blueprint.output(HousePreview)
def preview_house_rules(json_data: HousePreviewAsk) -> HousePreview:
    """Which columns would print otherwise under other rules, and what would change of each. Nothing is stored."""
    with session() as db:
        return HousePreview(
            columns=[ColumnChange(**asdict(one)) for one in services.house.changed_columns(db, json_data.rules)]
        )


@blueprint.get("/endings")
@blueprint.input(EndingAsk, location="query")
@blueprint.output(EndingOut)
def list_endings(query_data: EndingAsk) -> EndingOut:
    """When a print of such a length ends, if it is started now or as soon as someone is there, and nobody will be there."""
    with session() as db:
        shop = Shop.model_validate(store.house.house_of(db).shop)
    moment = datetime.now()
    now_h = moment.weekday() * 24 + moment.hour + moment.minute / 60
    return EndingOut(sentence=ending(query_data.whole_time_s, shop.attended, now_h))
