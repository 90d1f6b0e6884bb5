"""How a part stands: the linear map from the mesh as it was read to the part as it will be printed."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field, model_validator

from meanbead.core.model.base import Model

__all__ = ["Cut", "Pose"]

_Number = Annotated[float, Field(ge=-1e5, le=1e5)]
Matrix = Annotated[tuple[_Number, ...], Field(min_length=9, max_length=9)]


class Cut(Model):
    """What lies behind a plane is cut off: of the mesh as read stays where ``normal . x >= offset_mm``. ``normal`` has any
    length over 0."""

    normal: Annotated[tuple[_Number, ...], Field(min_length=3, max_length=3)]
    offset_mm: Annotated[float, Field(ge=-1e6, le=1e6)]

    @model_validator(mode="after")
    def _directed(self) -> Cut:
        if sum(value * value for value in self.normal) < 1e-12:
            raise ValueError("normal must point somewhere")
        return self


class Pose(Model):
    """Turning, scaling and mirroring in one: a 3 x 3 matrix by rows, applied to the mesh as read, after its ``cuts``.

    Where the part lies on the bed follows: it always stands on it, centred.
    """

    matrix: Matrix = (1.0, 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 1.0)
    cuts: Annotated[tuple[Cut, ...], Field(max_length=20)] = ()

    @model_validator(mode="after")
    def _invertible(self) -> Pose:
        a, b, c, d, e, f, g, h, i = self.matrix
        volume = abs(a * (e * i - f * h) - b * (d * i - f * g) + c * (d * h - e * g))
        if not 1e-9 < volume < 1e15:
            raise ValueError("matrix must keep a volume: a part cannot be flattened")
        return self
