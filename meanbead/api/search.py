"""The search for the frontier over HTTP."""

from __future__ import annotations

from apiflask import APIBlueprint

from meanbead.api.advice import asked_of
from meanbead.api.context import context
from meanbead.api.jobs import start
from meanbead.api.jobs_schemas import JobOut
from meanbead.api.search_schemas import SearchAsk, SearchStart
from meanbead.core.advise.limits import SearchLimits, allowed_ridge_mm
from meanbead.core.advise.space import Space, usual_vary

blueprint = APIBlueprint("search", __name__, url_prefix="/api", tag="Search")


@blueprint.get("/recipes/<int:recipe_id>/search")
@blueprint.output(SearchStart)
def search_start(recipe_id: int) -> SearchStart:
    """What a search around a column would usually vary, and the limits of the part's purpose."""
    _, surroundings = asked_of(recipe_id)
    job, engine = surroundings.job, context().engine
    advice = surroundings.context(engine)
    ridge_mm = allowed_ridge_mm(surroundings.limits, job.material.gloss)
    limits = SearchLimits.model_validate(surroundings.limits.model_dump() | {"ridge_mm": ridge_mm})
    return SearchStart(vary=usual_vary(job, advice), limits=limits)


@blueprint.post("/recipes/<int:recipe_id>/search")
@blueprint.input(SearchAsk)
@blueprint.output(JobOut, status_code=202)
def start_search(recipe_id: int, json_data: SearchAsk) -> JobOut:
    """Look for all that the limits allow around a column, in the background."""
    Space.of(json_data.vary)
    inputs, _ = asked_of(recipe_id)
    asked = json_data.model_dump(mode="json")
    return start("search", [*inputs, asked], {"recipe_id": recipe_id, **asked})
