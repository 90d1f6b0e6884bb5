"""An experiment's outcome as a file brings it."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from meanbead.core.model.base import Model
from meanbead.core.model.experiment import CellLevels, Level

__all__ = ["FileCell", "GridFile"]

Figure = Annotated[float, Field(ge=-1e9, le=1e9)]


class FileCell(Model):
    """A cell: ``time_s`` of its prints, ``measured`` of its pieces, and ``ranks``, pairs (better, worse) of cells by their
    place in the file, counted from 0; under which cell a pair stands does not matter."""

    levels: CellLevels
    time_s: Annotated[tuple[Annotated[float, Field(gt=0, le=1e8)], ...], Field(max_length=1000)] = ()
    measured: Annotated[tuple[Figure, ...], Field(max_length=1000)] = ()
    ranks: Annotated[tuple[tuple[int, int], ...], Field(max_length=10_000)] = ()
    faulted: bool = False


class GridFile(Model):
    """Factors with their levels, cells, the step in which the ``gauge`` reads, and the ``share`` of the saving that marks
    the knee."""

    factors: Annotated[dict[str, Annotated[tuple[Level, ...], Field(min_length=1, max_length=60)]], Field(min_length=1)]
    cells: Annotated[tuple[FileCell, ...], Field(min_length=1, max_length=1000)]
    gauge: Annotated[float, Field(ge=0, le=1e6)] = 0.0
    share: Annotated[float, Field(gt=0, le=1)] = 0.8
    more_is_better: bool = True
