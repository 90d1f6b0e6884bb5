"""Purposes over HTTP: what parts are for, with its limits."""

from __future__ import annotations

from apiflask import APIBlueprint

from meanbead import store
from meanbead.api.context import session
from meanbead.api.purposes_schemas import PurposeEdit, PurposeOut, purpose_out
from meanbead.store.tables import (
    Purpose,
    plain,
)

blueprint = APIBlueprint("purposes", __name__, url_prefix="/api", tag="Purposes")


@blueprint.patch("/purposes/<int:purpose_id>")
@blueprint.input(PurposeEdit)
@blueprint.output(PurposeOut)
def edit_purpose(purpose_id: int, json_data: PurposeEdit) -> PurposeOut:
    """Change what a purpose asks for, for every part that has it."""
    with session() as db:
        row = store.rows.get_for_edit(db, Purpose, purpose_id, json_data.version)
        if json_data.name is not None:
            row.name = json_data.name.strip()
        if json_data.limits is not None:
            row.limits = plain(json_data.limits)
        db.flush()
        return purpose_out(row)
