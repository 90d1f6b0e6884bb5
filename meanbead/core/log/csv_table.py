"""Runs that people kept in a table of their own: a CSV file, its columns matched by hand."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Mapping, Sequence
from datetime import UTC, datetime, tzinfo
from typing import Any, Literal

from pydantic import Field

from meanbead.core.errors import MeanBeadError
from meanbead.core.model.base import Model, Result

__all__ = ["FIELDS", "MOST_ROWS", "CsvTable", "Matched", "RunField", "RunLine", "guessed", "lines_of", "read_table"]

MOST_ROWS = 20_000
MOST_BYTES = 8_000_000
MOST_G = 50_000.0
"""As a run's entry bounds it."""

RunField = Literal[
    "part",
    "started",
    "real_time",
    "predicted_time",
    "weight_g",
    "predicted_g",
    "machine",
    "nozzle",
    "plastic",
    "layer_height_mm",
    "line_width_mm",
    "nozzle_temp_c",
    "bed_temp_c",
    "outcome",
    "looks",
    "faults",
    "note",
]
FIELDS: dict[RunField, tuple[str, tuple[str, ...]]] = {
    "part": ("Part", ("part", "piece", "model", "name", "object", "item")),
    "started": ("Started", ("started", "start", "date", "when", "day")),
    "real_time": ("Real time", ("real", "actual", "panel", "took", "duration", "time")),
    "predicted_time": ("Predicted time", ("predicted", "estimate", "estimated", "expected")),
    "weight_g": ("Weight, g", ("weight", "grams", "weighed", "mass", "g")),
    "predicted_g": ("Predicted, g", ("predicted g", "estimated g", "expected g", "predicted grams")),
    "machine": ("Machine", ("machine", "printer")),
    "nozzle": ("Nozzle", ("nozzle", "bore")),
    "plastic": ("Plastic", ("plastic", "material", "filament")),
    "layer_height_mm": ("Layer height, mm", ("layer height", "height", "layer")),
    "line_width_mm": ("Line width, mm", ("line width", "width")),
    "nozzle_temp_c": ("Nozzle, °C", ("nozzle temp", "nozzle c", "temperature", "temp", "hotend")),
    "bed_temp_c": ("Bed, °C", ("bed temp", "bed c", "bed")),
    "outcome": ("Outcome", ("outcome", "result", "state", "kept", "ok", "success")),
    "looks": ("Looks, 1 to 5", ("looks", "quality", "rating", "score")),
    "faults": ("Faults", ("faults", "fault", "problem", "defect", "issues", "wrong")),
    "note": ("Note", ("note", "notes", "comment", "remarks")),
}
"""What a column may hold: its name for people, and headings that it is guessed by."""

_KEPT = ("kept", "keep", "ok", "good", "yes", "y", "1", "true", "success", "done", "x", "finished")
_SCRAPPED = ("scrapped", "scrap", "bad", "no", "n", "0", "false", "fail", "failed", "waste")
_STOPPED = ("stopped", "aborted", "cancelled", "canceled", "interrupted", "stop")


class CsvTable(Result):
    """A file's headings and rows, as text."""

    headings: list[str]
    rows: list[list[str]]


class Matched(Model):
    """Which field each column holds (by its place; None for one that is left out), and how its times are meant."""

    columns: tuple[RunField | None, ...]
    time_unit: Literal["minutes", "hours", "seconds"] = "minutes"
    day_first: bool = True


class RunLine(Result):
    """One run of the table: what could be read, or why not. ``row`` counts from the file's first line, which has the
    headings."""

    row: int
    part: str = ""
    started_at: datetime | None = None
    real_s: float | None = None
    predicted_s: float | None = None
    weight_g: float | None = None
    predicted_g: float | None = None
    machine: str = ""
    nozzle: str = ""
    plastic: str = ""
    layer_height_mm: float | None = None
    line_width_mm: float | None = None
    nozzle_temp_c: float | None = None
    bed_temp_c: float | None = None
    outcome: Literal["kept", "scrapped", "stopped"] = "kept"
    looks: int | None = None
    faults: list[str] = Field(default=[])
    note: str = ""
    problems: list[str] = Field(default=[])


def read_table(data: bytes) -> CsvTable:
    """A CSV file as a table: comma, semicolon or tab; UTF-8, else Latin-1. Raises :class:`MeanBeadError`."""
    if len(data) > MOST_BYTES:
        raise MeanBeadError("The file is larger than 8 MB.", field="file", remedy="Split it.")
    if b"\0" in data:
        raise MeanBeadError("This is no CSV file.", field="file", remedy="Save the table as CSV, in UTF-8.")
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        text = data.decode("latin-1")
    first = text.split("\n", 1)[0]
    # Where both are there as often, commas are those of headings such as "Weight, g", or of decimals.
    delimiter = max("\t;,", key=re.sub(r'"[^"]*"', "", first).count)
    try:
        found = [row for row in csv.reader(io.StringIO(text), delimiter=delimiter) if any(cell.strip() for cell in row)]
    except csv.Error as problem:
        raise MeanBeadError(f"This is no CSV file: {problem}.", field="file") from None
    if len(found) < 2:
        raise MeanBeadError(
            "The file has no rows.", field="file", remedy="Its first line holds the headings, each further one a run."
        )
    if len(found) - 1 > MOST_ROWS:
        raise MeanBeadError(f"The file has more than {MOST_ROWS:,} rows.", field="file", remedy="Split it.")
    width = len(found[0])
    return CsvTable(
        headings=[heading.strip() for heading in found[0]],
        rows=[[cell.strip() for cell in (row + [""] * width)[:width]] for row in found[1:]],
    )


def guessed(headings: Sequence[str]) -> Matched:
    """What columns seem to hold, each field once: by the longest known heading that theirs begins with or holds."""
    taken: set[RunField] = set()
    columns: list[RunField | None] = []
    for heading in headings:
        words = re.sub(r"[^a-z0-9]+", " ", heading.lower()).strip()
        scored: list[tuple[int, RunField]] = [
            (len(name), field)
            for field, (_, names) in FIELDS.items()
            for name in names
            if field not in taken and re.search(rf"\b{re.escape(name)}\b", words)
        ]
        best = max(scored, default=None)
        columns.append(None if best is None else best[1])
        if best is not None:
            taken.add(best[1])
    return Matched(columns=tuple(columns))


def lines_of(table: CsvTable, matched: Matched, faults: Mapping[str, str], zone: tzinfo = UTC) -> list[RunLine]:
    """The table's runs. ``faults`` gives names by key; a row whose part is missing, or of which a number cannot be read, says
    so in its ``problems``. Times of day without a zone are those of ``zone``."""
    if len(matched.columns) != len(table.headings):
        raise MeanBeadError(
            f"The file has {len(table.headings)} columns, {len(matched.columns)} are matched.", field="columns"
        )
    used = [field for field in matched.columns if field is not None]
    twice = next((field for field in used if used.count(field) > 1), None)
    if twice is not None:
        raise MeanBeadError(f"Two columns are matched to {FIELDS[twice][0]}.", field="columns", remedy="Leave one out.")
    by_name = {name.lower(): key for key, name in faults.items()} | {key: key for key in faults}
    return [
        _line(number, dict(zip(matched.columns, row, strict=True)), matched, by_name, zone)
        for number, row in enumerate(table.rows, start=2)
    ]


def _line(row: int, cells: dict[Any, str], matched: Matched, faults: Mapping[str, str], zone: tzinfo) -> RunLine:
    problems: list[str] = []
    told: dict[str, Any] = {"row": row}
    for field in ("part", "machine", "nozzle", "plastic", "note"):
        told[field] = cells.get(field, "")[: 2000 if field == "note" else 120]
    if not told["part"]:
        problems.append("It names no part.")
    for field in ("weight_g", "predicted_g", "layer_height_mm", "line_width_mm", "nozzle_temp_c", "bed_temp_c"):
        cold = field == "bed_temp_c"  # a bed may be at nothing, and nothing else may
        told[field] = _number(cells.get(field, ""), FIELDS[field][0], problems, zero=cold)  # type: ignore[index]
    problems += [
        f"{FIELDS[field][0]}: {told[field]:.0f} g are more than any spool holds."
        for field in ("weight_g", "predicted_g")
        if (told[field] or 0.0) > MOST_G
    ]
    for field, name in (("real_time", "real_s"), ("predicted_time", "predicted_s")):
        told[name] = _seconds(cells.get(field, ""), matched.time_unit, FIELDS[field][0], problems)  # type: ignore[index]
    told["started_at"] = _moment(cells.get("started", ""), matched.day_first, zone, problems)
    told["outcome"] = _outcome(cells.get("outcome", ""), problems)
    looks = _number(cells.get("looks", ""), "Looks", problems)
    if looks is not None and not 1 <= round(looks) <= 5:
        problems.append(f"Looks are 1 to 5, not {looks:g}.")
    elif looks is not None:
        told["looks"] = round(looks)
    tags = [tag.strip().lower() for tag in re.split(r"[,;/|+]", cells.get("faults", "")) if tag.strip()]
    told["faults"] = list(dict.fromkeys(faults[tag] for tag in tags if tag in faults))
    unknown = [tag for tag in tags if tag not in faults]
    if unknown:
        # What is no tag of ours is kept as words: nothing that somebody wrote down is lost.
        told["note"] = "; ".join(part for part in (told["note"], f"faults: {', '.join(unknown)}") if part)[:2000]
    return RunLine(**told, problems=problems)


def _number(text: str, what: str, problems: list[str], *, zero: bool = False) -> float | None:
    if not text:
        return None
    found = re.match(r"^[^\d-]*(-?\d+(?:[.,]\d+)?)\D*$", text)
    value = None if found is None else float(found.group(1).replace(",", "."))
    if value is None or value < 0 or (value == 0 and not zero):
        problems.append(f"{what}: {text!r:.40} is no such number.")
        return None
    return value


def _seconds(text: str, unit: str, what: str, problems: list[str]) -> float | None:
    """``1:23`` is hours and minutes, ``1:23:45`` with seconds, ``1 h 23 min`` as it says; a bare number is in ``unit``."""
    if not text:
        return None
    if found := re.match(r"^(\d+):(\d{1,2})(?::(\d{1,2}))?$", text):
        hours, minutes, seconds = (int(part or 0) for part in found.groups())
        total = float(hours * 3600 + minutes * 60 + seconds)
    elif found := re.match(
        r"^(?:(\d+)\s*d[a-z]*)?\s*(?:(\d+)\s*h[a-z]*)?\s*(?:(\d+)\s*m[a-z]*)?\s*(?:(\d+)\s*s[a-z]*)?$", text.lower()
    ):
        days, hours, minutes, seconds = (int(part or 0) for part in found.groups())
        total = float(days * 86_400 + hours * 3600 + minutes * 60 + seconds)
    elif re.match(r"^\d+(?:[.,]\d+)?$", text):
        total = float(text.replace(",", ".")) * {"minutes": 60.0, "hours": 3600.0, "seconds": 1.0}[unit]
    else:
        total = 0.0
    if total <= 0 or total > 5e6:
        problems.append(f"{what}: {text!r:.40} is no time, such as 1:25 (hours, minutes).")
        return None
    return total


def _moment(text: str, day_first: bool, zone: tzinfo, problems: list[str]) -> datetime | None:
    if not text:
        return None
    found: datetime | None = None
    try:
        found = datetime.fromisoformat(text)
    except ValueError:
        match = re.match(r"^(\d{1,2})[./-](\d{1,2})[./-](\d{2,4})(?:[ ,T]+(\d{1,2}):(\d{2}))?", text)
        if match:
            first, second, year, hour, minute = (int(part or 0) for part in match.groups())
            day, month = (first, second) if day_first else (second, first)
            try:
                found = datetime(year + 2000 if year < 100 else year, month, day, hour, minute)
            except ValueError:
                found = None
    if found is None or not 1990 <= found.year <= 2200:
        problems.append(f"Started: {text!r:.40} is no day, such as 2026-11-03 or 3.11.2026.")
        return None
    return found if found.tzinfo is not None else found.replace(tzinfo=zone)


def _outcome(text: str, problems: list[str]) -> str:
    said = text.lower()
    for outcome, words in (("kept", _KEPT), ("scrapped", _SCRAPPED), ("stopped", _STOPPED)):
        if said in words:
            return outcome
    if said:
        problems.append(f"Outcome: {text!r:.40} is neither kept nor scrapped nor stopped.")
    return "kept"
