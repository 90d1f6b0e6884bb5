"""Errors that a person can act on: each names the field, what is wrong and what to do."""

from __future__ import annotations


class MeanBeadError(ValueError):
    """Bad input. ``str(error)`` is one sentence or two, fit to be shown as it is.

    Parameters
    ----------
    message : what is wrong.
    field : dotted name of the input at fault, such as ``"line_width_mm.outer_wall"``; empty if none is.
    remedy : what to do about it.
    code : short stable identifier for programs.
    """

    def __init__(self, message: str, *, field: str = "", remedy: str = "", code: str = "invalid") -> None:
        super().__init__(f"{message} {remedy}".strip())
        self.message = message
        self.field = field
        self.remedy = remedy
        self.code = code


class PartError(MeanBeadError):
    """A part file that cannot be used as it is."""


class UnitUnclear(PartError):
    """A part whose size looks like another unit than millimetres.

    ``extents`` are the numbers in the file, ``suggested`` the unit that would make sense of them.
    """

    def __init__(self, message: str, *, remedy: str, extents: tuple[float, float, float], suggested: str) -> None:
        super().__init__(message, field="unit", remedy=remedy, code="unit-unclear")
        self.extents = extents
        self.suggested = suggested


class RecipeError(MeanBeadError):
    """A recipe that no printer could follow."""
