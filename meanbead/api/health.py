"""A sign of life over HTTP."""

from __future__ import annotations

from apiflask import APIBlueprint
from sqlalchemy import text

from meanbead.api.context import session
from meanbead.api.schema import Schema
from meanbead.core.estimate import ENGINE_VERSION

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
        db.execute(text("select 1"))
    return HealthOut(status="ok", engine_version=ENGINE_VERSION)
