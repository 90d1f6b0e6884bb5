"""The list of parts as a file over HTTP."""

from __future__ import annotations

from typing import Annotated

from apiflask import APIBlueprint
from flask import Response
from pydantic import Field

from meanbead.api.binary import described_as
from meanbead.api.context import session
from meanbead.api.schema import Schema
from meanbead.services.csv_parts import as_csv

blueprint = APIBlueprint("part_files", __name__, url_prefix="/api", tag="Parts as files")


class PartsFileAsk(Schema):
    """What the names hold."""

    search: Annotated[str, Field(max_length=120)] = ""


@blueprint.get("/parts.csv")
@blueprint.input(PartsFileAsk, location="query")
@described_as("text/csv")
def parts_csv(query_data: PartsFileAsk) -> Response:
    """Parts as a CSV file, the newest first, each with its chosen column's result."""
    with session() as db:
        # A line is some hundred bytes, and parts are hundreds, or thousands: the whole is small.
        text = "".join(as_csv(db, query_data.search))
    response = Response(text, content_type="text/csv; charset=utf-8")
    response.headers["Content-Disposition"] = 'attachment; filename="parts.csv"'
    return response
