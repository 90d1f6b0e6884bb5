"""The list of parts as a CSV file."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from sqlalchemy.orm import Session

from meanbead import store
from meanbead.services import parts as parts_service
from meanbead.services import runs
from meanbead.services.csv_lines import csv_line, minutes
from meanbead.store.tables import Part

__all__ = ["CSV_HEADINGS", "as_csv"]

CSV_HEADINGS = (
    "Part",
    "Name",
    "File",
    "x, mm",
    "y, mm",
    "z, mm",
    "Volume, cm3",
    "Recipe",
    "Printing time, min",
    "Expect here, min",
    "Expect here, least, min",
    "Expect here, most, min",
    "Runs it rests on",
    "Filament, g",
    "To be computed anew",
    "Wanted",
    "Due",
    "Runs kept",
    "Last real time, min",
    "Pieces printed",
    "Note",
)

_AT_ONCE = 200


def as_csv(session: Session, search: str) -> Iterator[str]:
    """Parts whose names hold a word, the newest first, each with its chosen recipe's result; a few hundred at a time."""
    yield csv_line(CSV_HEADINGS)
    before: int | None = None
    while found := store.parts.list_parts(session, limit=_AT_ONCE, before=before, search=search):
        yield from _lines(session, found)
        before = found[-1].id


def _lines(session: Session, found: Sequence[Part]) -> Iterator[str]:
    headlines = parts_service.headlines(session, found)
    printed = runs.of_parts(session, [part.id for part in found])
    for part in found:
        size, line, kept = part.facts["extents_mm"], headlines.get(part.id), printed.get(part.id)
        result: tuple[object, ...] = (None,) * 7
        if line is not None:
            times = (line.print_time_s, line.expected_s, line.low_s, line.high_s)
            again = "yes" if line.outdated else "no"
            result = (line.recipe_name, *map(minutes, times), line.runs, round(line.filament_g, 2), again)
        yield csv_line(
            (
                part.id,
                part.name,
                part.file_name,
                *(round(size[axis], 2) for axis in "xyz"),
                round(part.facts["volume_mm3"] / 1000, 2),
                *result,
                part.quantity,
                part.due_on,
                0 if kept is None else kept.runs,
                None if kept is None else minutes(kept.real_s),
                0 if kept is None else kept.saved.pieces,
                part.note,
            )
        )
