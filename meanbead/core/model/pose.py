"""How a part stands: the linear map from the mesh as it was read to the part as it will be printed."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field, model_validator

from meanbead.core.model.base import Model

__all__ = ["Pose"]

_Number = Annotated[float, Field(ge=-1e5, le=1e5)]
Matrix = Annotated[tuple[_Number, ...], Field(min_length=9, max_length=9)]


class Pose(Model):
    """Turning, scaling and mirroring in one: a 3 x 3 matrix by rows, applied to the mesh as read.

    Where the part lies on the bed follows: it always stands on it, centred.
    """

    matrix: Matrix = (1.0, 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 1.0)

    @model_validator(mode="after")
    def _invertible(self) -> Pose:
        a, b, c, d, e, f, g, h, i = self.matrix
        volume = abs(a * (e * i - f * h) - b * (d * i - f * g) + c * (d * h - e * g))
        if not 1e-9 < volume < 1e15:
            raise ValueError("matrix must keep a volume: a part cannot be flattened")
        return self
