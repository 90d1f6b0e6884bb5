"""The sample workshop over HTTP: look at it beside one's own, and remove it whole."""

from __future__ import annotations

from apiflask import APIBlueprint
from sqlalchemy.orm import Session

from meanbead import services, store
from meanbead.api.context import session
from meanbead.api.jobs import start
from meanbead.api.jobs_schemas import JobOut
from meanbead.api.samples_schemas import SamplesOut
from meanbead.core.errors import MeanBeadError
from meanbead.demo.workshop import add_typical
from meanbead.store.tables import Machine

blueprint = APIBlueprint("samples", __name__, url_prefix="/api/samples", tag="Sample workshop")


@blueprint.get("")
@blueprint.output(SamplesOut)
def samples() -> SamplesOut:
    """Whether the sample workshop is here, and what is one's own beside it."""
    with session() as db:
        return _state(db)


@blueprint.post("")
@blueprint.output(JobOut, status_code=202)
def add_samples() -> JobOut:
    """Set the sample workshop up beside what is here, in the background; or bring it back where it was removed."""
    with session() as db:
        found = services.samples.samples_of(db)
        if found.present:
            raise MeanBeadError("The sample workshop is here already.", field="samples")
    return start("samples", ["samples"], {}, again=True)


@blueprint.post("/remove")
@blueprint.output(SamplesOut)
def remove_samples() -> SamplesOut:
    """Take the sample workshop away, whole; a typical machine, nozzles and a plastic stand in where none is left. It can be
    brought back."""
    with session() as db:
        services.samples.remove(db)
        if not store.rows.all_rows(db, Machine):
            add_typical(db)
            db.flush()
        return _state(db)


@blueprint.post("/restore")
@blueprint.output(SamplesOut)
def restore_samples() -> SamplesOut:
    """Bring back what was removed together."""
    with session() as db:
        services.samples.restore(db)
        return _state(db)


def _state(db: Session) -> SamplesOut:
    found = services.samples.samples_of(db)
    return SamplesOut(present=found.present, removed=found.removed, own_parts=found.own_parts)
