"""The log as files over HTTP: CSV and JSON out, CSV in."""

from __future__ import annotations

import json
from collections.abc import Iterator
from datetime import datetime
from typing import Any

from apiflask import APIBlueprint
from flask import Response, request
from pydantic import ValidationError
from sqlalchemy import select
from sqlalchemy.orm import undefer

from meanbead import store
from meanbead.api.access import me
from meanbead.api.binary import described_as
from meanbead.api.context import context, session
from meanbead.api.runs import wanted
from meanbead.api.runs_schemas import ImportDone, ImportPreview, RunsAsk, run_head
from meanbead.core.errors import MeanBeadError
from meanbead.core.faults import knowledge
from meanbead.core.log.csv_table import FIELDS, MOST_BYTES, CsvTable, Matched, guessed, lines_of, read_table
from meanbead.services.csv_runs import as_csv, bring, remember, remembered
from meanbead.store.tables import RunRow

blueprint = APIBlueprint("run_files", __name__, url_prefix="/api", tag="Log files")

_SHOWN = 12
_BATCH = 200


@blueprint.get("/runs.csv")
@blueprint.input(RunsAsk, location="query")
@described_as("text/csv")
def runs_csv(query_data: RunsAsk) -> Response:
    """Runs as a CSV file, the oldest first."""
    return _file(as_csv(_all(query_data)), "text/csv; charset=utf-8", "runs.csv")


@blueprint.get("/runs.json")
@blueprint.input(RunsAsk, location="query")
@described_as("application/json")
def runs_json(query_data: RunsAsk) -> Response:
    """Runs as a JSON file, each with all that it was started with."""

    rows = _all(query_data)  # what a request knows is gone by the time that its answer is sent

    def lines() -> Iterator[str]:
        yield '{"runs": ['
        for number, row in enumerate(rows):
            told = run_head(row).model_dump(mode="json") | {
                "snapshot": row.snapshot,
                "entry": row.entry,
                "proof": row.proof,
            }
            yield ("," if number else "") + "\n" + json.dumps(told, ensure_ascii=False)
        yield "\n]}\n"

    return _file(lines(), "application/json", "runs.json")


def _file(lines: Iterator[str], content_type: str, name: str) -> Response:
    response = Response(lines, content_type=content_type)
    response.headers["Content-Disposition"] = f'attachment; filename="{name}"'
    return response


def _all(asked: RunsAsk) -> Iterator[RunRow]:
    """Rows one after the other: a long log is never held whole."""
    database = context().database
    chosen = wanted(asked)

    def rows() -> Iterator[RunRow]:
        with database.session.begin() as db:
            numbers = [row.id for row in store.runs.list_runs(db, chosen, limit=None, oldest_first=True)]
            db.expunge_all()
            for start in range(0, len(numbers), _BATCH):
                some = numbers[start : start + _BATCH]
                found = db.scalars(select(RunRow).where(RunRow.id.in_(some)).options(undefer(RunRow.snapshot)))
                by_number = {row.id: row for row in found}
                yield from (by_number[number] for number in some if number in by_number)
                db.expunge_all()

    return rows()


@blueprint.post("/runs/import/preview")
@blueprint.output(ImportPreview)
@blueprint.doc(summary="Look at a CSV file of runs, sent as multipart form data, fields file, matched (JSON) and zone")
def preview_import() -> ImportPreview:
    """How the columns of a file are matched (as sent, as the last time, else by their headings), and how its rows would be
    read. Nothing is stored."""
    table, asked, zone = _sent()
    with session() as db:
        kept = None if asked is not None else remembered(db, table.headings)
    matched = asked or kept or guessed(table.headings)
    lines = lines_of(table, matched, _names(), zone)
    wrong = [line for line in lines if line.problems]
    shown = sorted(
        [*wrong[: _SHOWN // 2], *[line for line in lines if not line.problems][: _SHOWN // 2]],
        key=lambda line: line.row,
    )
    return ImportPreview(
        headings=table.headings,
        sample=table.rows[:3],
        matched=matched,
        remembered=kept is not None,
        lines=shown,
        rows=len(lines),
        problems=len(wrong),
        fields={field: name for field, (name, _) in FIELDS.items()},
    )


@blueprint.post("/runs/import")
@blueprint.output(ImportDone, status_code=201)
@blueprint.doc(
    summary="Bring the runs of a CSV file, sent as multipart form data, fields file, matched (JSON) and zone"
)
def import_runs() -> ImportDone:
    """Keep the rows that can be read as runs, and how the columns were matched. A row that is there already is not brought
    twice."""
    table, asked, zone = _sent()
    matched = asked or guessed(table.headings)
    if "part" not in matched.columns:
        raise MeanBeadError(
            "No column is matched to the part.", field="matched", remedy="Say which one names the part."
        )
    lines = lines_of(table, matched, _names(), zone)
    with session() as db:
        remember(db, table.headings, matched)
        done = bring(db, lines, me().name)
    return ImportDone(added=done.added, known=done.known, left_out=done.left_out)


def _names() -> dict[str, str]:
    return {key: fault.name for key, fault in knowledge().faults.items()}


def _sent() -> tuple[CsvTable, Matched | None, Any]:
    upload = request.files.get("file")
    if upload is None:
        raise MeanBeadError("No file was sent.", field="file", remedy="Choose a CSV file.")
    table = read_table(upload.read(MOST_BYTES + 1))
    text = request.form.get("matched", "")
    zone = datetime.now().astimezone().tzinfo
    if not text:
        return table, None, zone
    try:
        return table, Matched.model_validate_json(text), zone
    except ValidationError:
        raise MeanBeadError("How the columns are matched could not be understood.", field="matched") from None
