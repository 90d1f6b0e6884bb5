"""Background work over HTTP: look at it, stop it."""

from __future__ import annotations

from typing import Any

from apiflask import APIBlueprint

from meanbead.api.context import context, session
from meanbead.api.jobs_schemas import JobOut, JobSeen, job_out
from meanbead.store import jobs

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
@blueprint.input(JobSeen, location="query")
@blueprint.output(JobOut)
def get_job(job_id: int, query_data: JobSeen) -> JobOut:
    """How far a job is, and what it has found: hundreds of kilobytes, which who follows it needs only where they are new."""
    with session() as db:
        return job_out(jobs.get(db, job_id), query_data.seen)


@blueprint.post("/jobs/<int:job_id>/cancel")
@blueprint.output(JobOut)
def cancel_job(job_id: int) -> JobOut:
    """Ask a job to stop; what it has found is kept."""
    with session() as db:
        return job_out(jobs.ask_to_stop(db, job_id))
