"""What the API takes and gives: files that wait for an answer."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from meanbead.api.schema import Schema


class CloseAsk(Schema):
    """Consent to guess where a surface is open; sheets without thickness are given ``sheet_mm``, or left out."""

    sheet_mm: Annotated[float, Field(ge=0.1, le=50)] | None = None


class ClosedUpload(Schema):
    """The part that a file with an open surface has become."""

    part_id: int
