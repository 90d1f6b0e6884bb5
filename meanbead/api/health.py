"""A sign of life over HTTP."""

from __future__ import annotations

from apiflask import APIBlueprint

from meanbead import store
from meanbead.api.context import session
from meanbead.api.schema import Schema
from meanbead.core.estimate import ENGINE_VERSION
from meanbead.store.tables import (
    Machine,
)

blueprint = APIBlueprint("health", __name__, url_prefix="/api", tag="Health")


class HealthOut(Schema):
    """Sign of life."""

    status: str
    engine_version: str


@blueprint.get("/health")
@blueprint.output(HealthOut)
def health() -> HealthOut:
    """Sign of life; asks the database too."""
    with session() as db:
        store.rows.all_rows(db, Machine)
    return HealthOut(status="ok", engine_version=ENGINE_VERSION)
