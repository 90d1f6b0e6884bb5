"""Background work over HTTP: look at it, stop it."""

from __future__ import annotations

from typing import Any

from apiflask import APIBlueprint

from meanbead import services, store
from meanbead.api.context import context, session
from meanbead.api.shapes import JobOut, WaterfallAsk, job_out
from meanbead.store import jobs
from meanbead.store.tables import Part

FOLLOWS_COLUMN = ("estimate", "levers", "remedies")
"""Work that the page asks for anew when its column changes; what was begun for the old state is stopped."""

blueprint = APIBlueprint("jobs", __name__, url_prefix="/api", tag="Jobs")


def start(kind: str, inputs: Any, arguments: dict[str, Any], queue: str = "long", *, again: bool = False) -> JobOut:
    """Ask for work, or find what was asked for before with the same inputs. What a person waits for goes to the queue
    ``quick``, which neither advice nor long work holds up."""
    with session() as db:
        # An estimate is kept by itself, not in its job.
        again = again or kind == "estimate"
        row, new = jobs.find_or_add(db, kind, jobs.digest_of(kind, inputs), arguments, queue=queue, again=again)
        out = job_out(row)
    if new:
        context().queue.try_to_send(row.id, queue)
    return out


@blueprint.get("/jobs/<int:job_id>")
@blueprint.output(JobOut)
def get_job(job_id: int) -> JobOut:
    """How far a job is, and what it has found."""
    with session() as db:
        return job_out(jobs.get(db, job_id))


@blueprint.post("/jobs/<int:job_id>/cancel")
@blueprint.output(JobOut)
def cancel_job(job_id: int) -> JobOut:
    """Ask a job to stop; what it has found is kept."""
    with session() as db:
        return job_out(jobs.ask_to_stop(db, job_id))


@blueprint.post("/waterfalls")
@blueprint.input(WaterfallAsk)
@blueprint.output(JobOut, status_code=202)
def start_waterfall(json_data: WaterfallAsk) -> JobOut:
    """Share out the difference between two columns among their changed settings, in the background."""
    with session() as db:
        digests = []
        for recipe_id in (json_data.from_id, json_data.to_id):
            row = store.recipes.get_recipe(db, recipe_id)
            digests.append(services.digests.inputs_digest(row, store.rows.get(db, Part, row.part_id).digest))
    return start("waterfall", digests, {"from_id": json_data.from_id, "to_id": json_data.to_id})
