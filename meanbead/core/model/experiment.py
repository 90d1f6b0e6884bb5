"""An experiment: a grid of recipes of one part, what is measured on its pieces, and what is asked of it."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from meanbead.core.model.base import Model, Share

__all__ = ["MAX_CELLS", "CellLevels", "Comparison", "Grid", "GridFactor", "Level", "MeasureKind", "Measured"]

MAX_CELLS = 60
"""Cells of a grid: more are no experiment that anybody prints."""

Level = bool | Annotated[float, Field(ge=-1e6, le=1e6)] | Annotated[str, Field(max_length=60)]
"""A level of a factor, in the unit of its row."""

CellLevels = dict[str, Level]
"""A cell: the level of each factor."""

MeasureKind = Literal["none", "squeeze", "break", "thickness", "overhang"]
"""What is measured on a piece: by how much a ring gives when it is squeezed, mm; the force at which it breaks, N; a
thickness, mm; the steepest overhang that came out clean, degrees."""


class GridFactor(Model):
    """What varies, and by which levels. ``key`` is a row of the sheet, or one of two that set several of them: ``height_share``
    (layer height as a share of the bore) and ``width_share`` (line widths as a share of the bore). Levels of ``nozzle``,
    ``machine`` and ``material`` are numbers of the shelf's rows."""

    key: Annotated[str, Field(min_length=1, max_length=60)]
    levels: Annotated[tuple[Level, ...], Field(min_length=1, max_length=12)]

    @model_validator(mode="after")
    def _once(self) -> GridFactor:
        if len({str(level) for level in self.levels}) != len(self.levels):
            raise ValueError("levels names a level twice")
        return self


class Grid(Model):
    """What is printed and what is asked.

    ``keep_shell`` and ``keep_skins`` hold walls and skins equal in millimetres where heights, widths or nozzles vary.
    ``left_out`` are cells of the product that nobody wants, ``added`` others beside it, such as one between two levels.
    ``pieces`` of each cell stand on one plate where ``together``. ``gauge`` is the step in which the gauge reads, in the
    measure's unit; ``more_is_better`` which way is good. ``share`` of the whole saving is where the knee is. ``spots`` are
    the places of a piece that are compared by eye.
    """

    factors: Annotated[tuple[GridFactor, ...], Field(min_length=1, max_length=4)]
    keep_shell: bool = True
    keep_skins: bool = True
    left_out: Annotated[tuple[CellLevels, ...], Field(max_length=MAX_CELLS)] = ()
    added: Annotated[tuple[CellLevels, ...], Field(max_length=MAX_CELLS)] = ()
    pieces: Annotated[int, Field(ge=1, le=50)] = 1
    together: bool = True
    measure: MeasureKind = "none"
    gauge: Annotated[float, Field(gt=0, le=1000)] = 0.1
    more_is_better: bool = True
    share: Share = 0.8
    spots: Annotated[tuple[Annotated[str, Field(min_length=1, max_length=40)], ...], Field(max_length=8)] = ()

    @model_validator(mode="after")
    def _fits(self) -> Grid:
        keys = [factor.key for factor in self.factors]
        if len(set(keys)) != len(keys):
            raise ValueError("factors names a row twice")
        for cell in (*self.left_out, *self.added):
            if set(cell) != set(keys):
                raise ValueError(f"every cell has to name a level of {', '.join(keys)}")
        return self


class Measured(Model):
    """A piece's measurement: what was read, or before and after, whose difference counts (a squeezed diameter)."""

    value: Annotated[float, Field(ge=-1e6, le=1e6)] | None = None
    before: Annotated[float, Field(ge=-1e6, le=1e6)] | None = None
    after: Annotated[float, Field(ge=-1e6, le=1e6)] | None = None
    note: Annotated[str, Field(max_length=200)] = ""

    @model_validator(mode="after")
    def _one_way(self) -> Measured:
        pair = (self.before, self.after)
        if (self.value is None) == (None in pair) or (self.value is not None and pair != (None, None)):
            raise ValueError("give value, or before and after")
        return self

    @property
    def result(self) -> float:
        """What counts."""
        if self.before is not None and self.after is not None:
            return self.before - self.after
        return self.value or 0.0


class Comparison(Model):
    """Somebody has looked at two pieces at a spot without knowing which they were, and found one better."""

    spot: Annotated[str, Field(max_length=40)] = ""
    even: bool = False
