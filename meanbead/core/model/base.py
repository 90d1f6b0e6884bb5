"""What all models of the vocabulary share."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

__all__ = [
    "AccelerationMmS2",
    "LineWidthMm",
    "Model",
    "NonNegative",
    "Positive",
    "Provenance",
    "Result",
    "Share",
    "SpeedMmS",
]

Provenance = Literal["measured", "set", "typical"]
"""Where a figure comes from: measured in this workshop, set by the user, or typical (shipped)."""

Positive = Annotated[float, Field(gt=0)]
NonNegative = Annotated[float, Field(ge=0)]
Share = Annotated[float, Field(ge=0, le=1)]
SpeedMmS = Annotated[float, Field(gt=0, le=2000)]
AccelerationMmS2 = Annotated[float, Field(gt=0, le=100_000)]
LineWidthMm = Annotated[float, Field(gt=0, le=5)]


class Model(BaseModel):
    """A record that refuses unknown keys, NaN and infinity, and does not change once made."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)


class Result(BaseModel):
    """A computed record."""

    model_config = ConfigDict(extra="forbid", frozen=True)
