"""Files whose surface is open, over HTTP: where it is open, and closing it by guessing."""

from __future__ import annotations

from apiflask import APIBlueprint
from flask import Response
from sqlalchemy import select
from sqlalchemy.orm import undefer

from meanbead import store
from meanbead.api.binary import PNG
from meanbead.api.context import session
from meanbead.api.jobs import start
from meanbead.api.jobs_schemas import JobOut
from meanbead.api.uploads_schemas import CloseAsk
from meanbead.store.tables import (
    Upload,
)

blueprint = APIBlueprint("uploads", __name__, url_prefix="/api/parts/uploads", tag="Uploads")


@blueprint.get("/<int:upload_id>/picture")
@PNG
def upload_picture(upload_id: int) -> Response:
    """Where the surface of a file that waits for an answer is open, PNG."""
    with session() as db:
        store.uploads.get_upload(db, upload_id)
        row = db.scalar(select(Upload).where(Upload.id == upload_id).options(undefer(Upload.picture)))
        return Response(b"" if row is None else row.picture or b"", content_type="image/png")


@blueprint.post("/<int:upload_id>/close")
@blueprint.input(CloseAsk)
@blueprint.output(JobOut, status_code=202)
def close_upload(upload_id: int, json_data: CloseAsk) -> JobOut:
    """Close an open surface by guessing, in the background, and keep it as a part that is marked so."""
    with session() as db:
        store.uploads.get_upload(db, upload_id)
    arguments = {"upload_id": upload_id, **json_data.model_dump(mode="json")}
    # Closed again after an undo, it is another part: an old job's is not found.
    return start("close", arguments, arguments, again=True)
