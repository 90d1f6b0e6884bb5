"""Errors that a person can act on: each names the field, what is wrong and what to do.

::

    MeanBeadError            invalid          bad input of any kind
    ├── PartError            unusable_part    a part's file that cannot be used as it is
    │   ├── UnitUnclear      unit_unclear     its size looks like another unit
    │   ├── SeveralModels    several_models   an archive of which one model has to be named
    │   └── OpenSurface      open_surface     it encloses no solid
    └── RecipeError          contradiction    choices that no printer could follow

The word beside each class is its ``code``, a stable identifier for programs; ``over_limit`` stands where something is
larger than is taken (:mod:`meanbead.core.runtime.limits`), and values that a model refuses have the codes of
:mod:`meanbead.core.text.explain`.
"""

from __future__ import annotations

from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

__all__ = ["MeanBeadError", "OpenSurface", "PartError", "RecipeError", "SeveralModels", "UnitUnclear"]

Surface = tuple[NDArray[np.float64], NDArray[np.int64]]
"""Vertices (n, 3) and faces (m, 3)."""


class MeanBeadError(ValueError):
    """Bad input. ``str(error)`` is one sentence or two, fit to be shown as it is.

    Parameters
    ----------
    message : what is wrong.
    field : dotted name of the input at fault, such as ``"line_width_mm.outer_wall"``; empty if none is.
    remedy : what to do about it.
    code : short stable identifier for programs; left out, the class's own.
    """

    usual_code: ClassVar[str] = "invalid"

    def __init__(self, message: str, *, field: str = "", remedy: str = "", code: str = "") -> None:
        super().__init__(f"{message} {remedy}".strip())
        self.message = message
        self.field = field
        self.remedy = remedy
        self.code = code or self.usual_code


class PartError(MeanBeadError):
    """A part file that cannot be used as it is."""

    usual_code = "unusable_part"


class UnitUnclear(PartError):
    """A part whose size looks like another unit than millimetres.

    ``extents`` are the numbers in the file, ``suggested`` the unit that would make sense of them.
    """

    usual_code = "unit_unclear"

    def __init__(self, message: str, *, remedy: str, extents: tuple[float, float, float], suggested: str) -> None:
        super().__init__(message, field="unit", remedy=remedy)
        self.extents = extents
        self.suggested = suggested


class SeveralModels(PartError):
    """An archive with several models, of which one has to be named; ``names`` are theirs."""

    usual_code = "several_models"

    def __init__(self, names: list[str]) -> None:
        super().__init__(
            f"The archive holds {len(names)} models.",
            field="member",
            remedy="Choose which to add.",
        )
        self.names = names


class OpenSurface(PartError):
    """A surface that encloses no solid, so that it could only be closed by guessing.

    ``vertices`` float64 (n, 3) mm and ``faces`` int64 (m, 3) are the surface, welded; ``edges`` int64 (k, 2) where it is
    open or ambiguous; ``sheets`` says that it is, or may be, a sheet without thickness.
    """

    usual_code = "open_surface"

    def __init__(self, message: str, *, remedy: str, surface: Surface, edges: NDArray[np.int64], sheets: bool) -> None:
        super().__init__(message, field="file", remedy=remedy)
        self.vertices, self.faces = surface
        self.edges, self.sheets = edges, sheets


class RecipeError(MeanBeadError):
    """A recipe that no printer could follow."""

    usual_code = "contradiction"
