"""What all that the API takes and gives shares."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

from meanbead.core.runtime import limits

Name = Annotated[str, Field(min_length=1, max_length=120, pattern=r"\S")]


RowId = Annotated[int, Field(ge=0, le=limits.ROW_ID)]
"""The number of a row, as the database counts them."""

Version = Annotated[int, Field(ge=0, le=limits.ROW_ID)]


class Schema(BaseModel):
    """Refuses unknown keys, and numbers that cannot be counted with."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class VersionOnly(Schema):
    """Names the version that is to be deleted."""

    version: Version
