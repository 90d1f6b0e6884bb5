"""What all shapes of the API share."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

Name = Annotated[str, Field(min_length=1, max_length=120, pattern=r"\S")]


class Shape(BaseModel):
    """Refuses unknown keys."""

    model_config = ConfigDict(extra="forbid")
