"""Runs brought from a CSV file, and given as one."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime

from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from meanbead.core.log.csv_table import Matched, RunLine
from meanbead.core.model.run import Named, RunEntry, Snapshot
from meanbead.services.csv_lines import csv_line, minutes
from meanbead.store.tables import ImportColumns, Machine, MaterialRow, NozzleRow, Part, RunRow, ShelfRow, now, plain

__all__ = ["CSV_HEADINGS", "Imported", "as_csv", "bring", "remember", "remembered"]

_BATCH = 500


@dataclass(frozen=True)
class Imported:
    """How many runs were brought, how many were there already, and how many rows could not be read."""

    added: int
    known: int
    left_out: int


def remembered(session: Session, headings: Sequence[str]) -> Matched | None:
    """How columns with these headings were matched the last time."""
    row = session.get(ImportColumns, _digest(list(headings)))
    return None if row is None else Matched.model_validate(row.matched)


def remember(session: Session, headings: Sequence[str], matched: Matched) -> None:
    """Keep how columns were matched."""
    values = {"matched": matched.model_dump(mode="json"), "at": now()}
    session.execute(
        insert(ImportColumns)
        .values(headings=_digest(list(headings)), **values)
        .on_conflict_do_update(index_elements=["headings"], set_=values)
    )


def bring(session: Session, lines: Sequence[RunLine], who: str) -> Imported:
    """Keep the rows that can be read as runs. A row that was brought before is known again by what it holds; so the same
    file twice brings each run once. Nothing is booked on the shelf: it was used long ago."""
    good = [line for line in lines if not line.problems]
    by_name = _by_name(session)
    rows: dict[str, dict[str, object]] = {}
    seen: dict[str, int] = {}
    for line in good:
        digest = _digest(line.model_dump(mode="json", exclude={"row"}))
        seen[digest] = seen.get(digest, 0) + 1
        # Two rows that are the same are two runs: the second of them has a key of its own.
        key = f"csv-{_digest([digest, seen[digest]])[:32]}"
        rows[key] = _row(line, key, who, by_name)
    added = 0
    keys = list(rows)
    for start in range(0, len(keys), _BATCH):
        made = session.execute(
            insert(RunRow)
            .values([rows[key] for key in keys[start : start + _BATCH]])
            .on_conflict_do_nothing(index_elements=["key"])
            .returning(RunRow.id)
        )
        added += len(made.all())
    return Imported(added=added, known=len(rows) - added, left_out=len(lines) - len(good))


def _row(line: RunLine, key: str, who: str, by_name: dict[str, dict[str, int]]) -> dict[str, object]:
    entry = RunEntry(
        state=line.outcome,
        time_s=line.real_s,
        weight_g=line.weight_g,
        nozzle_temp_c=line.nozzle_temp_c
        if line.nozzle_temp_c is not None and 100 <= line.nozzle_temp_c <= 500
        else None,
        bed_temp_c=line.bed_temp_c if line.bed_temp_c is not None and line.bed_temp_c <= 200 else None,
        looks=line.looks,
        faults=tuple(line.faults),
        note=line.note,
    )
    settings: dict[str, object] = {}
    if line.layer_height_mm is not None:
        settings["layer_height_mm"] = line.layer_height_mm
    if line.line_width_mm is not None:
        settings["line_width_mm"] = {"outer_wall": line.line_width_mm}
    if line.nozzle_temp_c is not None:
        settings["nozzle_temp_c"] = line.nozzle_temp_c
    frozen = Snapshot(
        part=Named(name=line.part),
        machine=Named(name=line.machine),
        nozzle=Named(name=line.nozzle),
        material=Named(name=line.plastic),
        choices=settings,
        settings=settings,
        imported=True,
    )
    moment = line.started_at or datetime.now(UTC)
    stamp = now()
    return {
        "name": line.part[:120],
        "key": key,
        "version": 1,
        "created_at": stamp,
        "updated_at": stamp,
        "part_id": by_name["part"].get(line.part.lower()),
        "machine_id": by_name["machine"].get(line.machine.lower()),
        "nozzle_id": by_name["nozzle"].get(line.nozzle.lower()),
        "material_id": by_name["plastic"].get(line.plastic.lower()),
        "tries_cause": "",
        "who": who[:60],
        "plates": 1,
        "copies": 1,
        "started_at": moment,
        "snapshot": frozen.model_dump(mode="json"),
        "entry": plain(entry),
        "state": entry.state,
        "faults": list(entry.faults),
        "column_name": "",
        "machine_name": line.machine,
        "nozzle_name": line.nozzle,
        "material_name": line.plastic,
        "plastic": line.plastic,
        "predicted_s": line.predicted_s,
        "predicted_g": line.predicted_g,
        "real_s": line.real_s if entry.state != "stopped" else None,
        "hours": (line.real_s or line.predicted_s or 0.0) / 3600,
        "booked": {},
    }


def _by_name(session: Session) -> dict[str, dict[str, int]]:
    tables: dict[str, type[Part] | type[ShelfRow]] = {
        "part": Part,
        "machine": Machine,
        "nozzle": NozzleRow,
        "plastic": MaterialRow,
    }
    return {
        what: {
            name.lower(): number
            for number, name in session.execute(
                select(table.id, table.name).where(table.deleted_at.is_(None)).order_by(table.id.desc())
            )
        }
        for what, table in tables.items()
    }


def _digest(content: object) -> str:
    return hashlib.sha256(json.dumps(content, sort_keys=True, default=str).encode()).hexdigest()


CSV_HEADINGS = (
    "run", "part", "recipe", "started", "machine", "nozzle", "plastic", "plates", "copies", "outcome",
    "real time, min", "predicted time, min", "weight, g", "predicted, g", "nozzle, °C", "bed, °C", "looks", "faults",
    "layer height, mm", "line width, mm", "follows", "who", "note",
)  # fmt: skip
"""What a file of runs holds; it can be brought back by the same headings."""


def as_csv(runs: Iterator[RunRow]) -> Iterator[str]:
    """Runs as lines of a CSV file; cells that a table program would take for a formula are made harmless."""
    yield csv_line(CSV_HEADINGS)
    for run in runs:
        entry, settings = run.entry, run.snapshot.get("settings") or {}
        yield csv_line(
            (
                run.id,
                run.name,
                run.column_name,
                run.started_at.isoformat(timespec="minutes"),
                run.machine_name,
                run.nozzle_name,
                run.material_name,
                run.plates,
                run.copies,
                run.state,
                minutes(run.real_s),
                minutes(run.predicted_s),
                entry.get("weight_g"),
                None if run.predicted_g is None else round(run.predicted_g, 2),
                entry.get("nozzle_temp_c", settings.get("nozzle_temp_c")),
                entry.get("bed_temp_c", settings.get("bed_temp_c")),
                entry.get("looks"),
                "; ".join(run.faults),
                settings.get("layer_height_mm"),
                (settings.get("line_width_mm") or {}).get("outer_wall"),
                run.follows_id,
                run.who,
                entry.get("note", ""),
            )
        )
