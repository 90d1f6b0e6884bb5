"""What the API takes: reports."""

from __future__ import annotations

from meanbead.api.schema import Schema


class ReportAsk(Schema):
    """The column to report; the part's chosen one where it is left out."""

    recipe_id: int | None = None
