"""Backups over HTTP: what is kept, make one, take one home, bring one back."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from apiflask import APIBlueprint
from flask import Response, request, send_file
from pydantic import Field

from meanbead.api import access
from meanbead.api.binary import described_as
from meanbead.api.context import context, session
from meanbead.api.problems import Refused
from meanbead.api.schema import Schema
from meanbead.core.errors import MeanBeadError
from meanbead.core.runtime import limits
from meanbead.services.backups import Backups, Kept, NotThere
from meanbead.store.archive import ArchiveError, Contents
from meanbead.store.rows import NotFound
from meanbead.store.tables import Part, RunRow

blueprint = APIBlueprint("backups", __name__, url_prefix="/api", tag="Backups")

_BLOCK = 1 << 20


class BackupOut(Schema):
    """An archive in the data folder."""

    name: str
    kind: Literal["nightly", "by-hand", "before-restore", "brought"]
    made_at: datetime
    size_bytes: int


class BackupsOut(Schema):
    """What is kept where, the newest first, whether one is made each night, and why the last one could not be."""

    backups: list[BackupOut]
    folder: str
    nightly: bool
    problem: str


class ContentsOut(Schema):
    """What an archive holds, and how many parts and runs are here now, which it would take the place of."""

    name: str
    made_at: datetime
    version: str
    size_bytes: int
    rows: dict[str, int]
    parts_here: int
    runs_here: int


class RestoreAsk(Schema):
    """The archive that is to be restored, by its name."""

    name: Annotated[str, Field(max_length=80)]


def _kept() -> Backups:
    found = context().backups
    if found is None:
        raise Refused(404, "no-backups", "This Mean Bead keeps no backups: it was not started with a data folder.")
    return found


@blueprint.get("/backups")
@blueprint.output(BackupsOut)
def list_backups() -> BackupsOut:
    """What is kept, and whether the nights' backups are made."""
    backups = _kept()
    return BackupsOut(
        backups=[_out(one) for one in backups.kept()],
        folder=str(backups.folder),
        nightly=backups.nightly,
        problem=backups.problem(),
    )


@blueprint.post("/backups")
@blueprint.output(BackupOut, status_code=201)
def make_backup() -> BackupOut:
    """Write an archive of the workshop as it is now."""
    backups = _kept()
    path = backups.make("by-hand")
    access.note("made a backup", path.name)
    return _out(next(one for one in backups.kept() if one.name == path.name))


@blueprint.get("/backups/<name>")
@described_as("application/zip")
def take_backup(name: str) -> Response:
    """An archive, as a file."""
    try:
        path = _kept().path(name)
    except NotThere as problem:
        raise NotFound(str(problem)) from None
    access.note("took a backup", name)
    return send_file(path, mimetype="application/zip", as_attachment=True, download_name=f"workshop-{name}")


@blueprint.post("/backups/<name>/check")
@blueprint.output(ContentsOut)
def check_backup(name: str) -> ContentsOut:
    """Read an archive through, and say what it holds."""
    try:
        return _contents_out(name, _kept().check(name))
    except NotThere as problem:
        raise NotFound(str(problem)) from None
    except ArchiveError as problem:
        raise MeanBeadError(str(problem), field="name", remedy="Take an older one.") from None


@blueprint.post("/backups/bring")
@blueprint.output(ContentsOut)
@blueprint.doc(
    summary="Bring an archive, sent as the body of the request, and see what it holds; nothing is restored yet"
)
def bring_backup() -> ContentsOut:
    """Keep an archive that was brought, when all of it is sound, and say what it holds."""
    backups = _kept()
    request.max_content_length = limits.BACKUP_BYTES
    path = backups.place_for_brought()
    try:
        with path.open("wb") as file:
            while block := request.stream.read(_BLOCK):
                file.write(block)
        return _contents_out(path.name, backups.check(path.name))
    except ArchiveError as problem:
        path.unlink(missing_ok=True)
        raise MeanBeadError(
            str(problem), field="file", remedy="Choose a file that Backups or ./start --backup made."
        ) from None
    except BaseException:
        path.unlink(missing_ok=True)
        raise


@blueprint.post("/restore")
@blueprint.input(RestoreAsk)
@blueprint.output(ContentsOut)
def restore_backup(json_data: RestoreAsk) -> ContentsOut:
    """Have the workshop be what an archive holds. What it is now is put aside as a backup first."""
    backups = _kept()
    try:
        contents = backups.restore(backups.path(json_data.name))
    except NotThere as problem:
        raise NotFound(str(problem)) from None
    except ArchiveError as problem:
        raise MeanBeadError(str(problem), field="name") from None
    access.note("restored a backup", json_data.name)
    return _contents_out(json_data.name, contents)


def _out(one: Kept) -> BackupOut:
    return BackupOut(name=one.name, kind=one.kind, made_at=one.made_at, size_bytes=one.size_bytes)


def _contents_out(name: str, contents: Contents) -> ContentsOut:
    with session() as db:
        here = [db.query(table).filter(table.deleted_at.is_(None)).count() for table in (Part, RunRow)]
    return ContentsOut(
        name=name,
        made_at=contents.made_at,
        version=contents.version,
        size_bytes=contents.size_bytes,
        rows=contents.rows,
        parts_here=here[0],
        runs_here=here[1],
    )
