"""To machines and back, over HTTP: ways, files, prints."""

from __future__ import annotations

from apiflask import APIBlueprint
from flask import Response
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from meanbead import services, store
from meanbead.api import access, jobs
from meanbead.api.binary import described_as
from meanbead.api.context import context, session
from meanbead.api.jobs_schemas import JobOut
from meanbead.api.prints_schemas import (
    ColumnFile,
    PlaceholderOut,
    PlaceholdersOut,
    PrintAsk,
    PrintOut,
    PrintsOut,
    SendingEdit,
    SendingOut,
    StartAsk,
    WayTested,
    file_out,
    print_out,
)
from meanbead.api.problems import Refused
from meanbead.core.errors import MeanBeadError
from meanbead.core.gcode.placeholders import PLACEHOLDERS, SIMPLE_END, SIMPLE_START
from meanbead.core.log.follow import Followed
from meanbead.core.model.machine_file import FileOptions
from meanbead.services.dispatch import Dispatch, way_of
from meanbead.services.print_files import file_inputs, pieces_of_file
from meanbead.services.prints import Live, expected_of, live_of
from meanbead.store.day import RunningRun
from meanbead.store.print_tables import PrintRow
from meanbead.store.rows import NotFound
from meanbead.store.tables import Machine, Part, QueueItem, RecipeRow, SpoolRow, now, plain

blueprint = APIBlueprint("prints", __name__, url_prefix="/api", tag="To the machine")


def _dispatch() -> Dispatch:
    found = context().dispatch
    if found is None:
        raise Refused(503, "no-machines", "Machines are reached from the workshop's own server only.")
    return found


@blueprint.get("/machines/<int:machine_id>/sending")
@blueprint.output(SendingOut)
def get_sending(machine_id: int) -> SendingOut:
    """How files are written for a machine, and how they get there."""
    with session() as db:
        return _sending(db, store.rows.get(db, Machine, machine_id))


def _sending(db: Session, row: Machine) -> SendingOut:
    token = store.prints.token_of(db, row.id)
    return SendingOut(
        machine_id=row.id,
        version=row.version,
        name=row.name,
        way=way_of(row),
        options=FileOptions.model_validate(row.files or {}),
        has_token=token is not None,
        token_set_at=None if token is None else token.set_at,
        first_file_read=row.first_file_at is not None,
        has_texts=bool(row.printer.get("start_gcode", "").strip() and row.printer.get("end_gcode", "").strip()),
    )


@blueprint.put("/machines/<int:machine_id>/sending")
@blueprint.input(SendingEdit)
@blueprint.output(SendingOut)
def edit_sending(machine_id: int, json_data: SendingEdit) -> SendingOut:
    """Set how files are written and get to a machine. A token is sealed, and never told again."""
    dispatch = _dispatch()
    with session() as db:
        row = store.rows.get_for_edit(db, Machine, machine_id, json_data.version)
        if json_data.way is not None:
            row.way = plain(json_data.way)
        if json_data.options is not None:
            row.files = plain(json_data.options)
        if json_data.token is not None:
            dispatch.tokens.seal(db, machine_id, way_of(row), json_data.token.strip())
        row.updated_at = now()
        db.flush()
        return _sending(db, row)


@blueprint.post("/machines/<int:machine_id>/way-test")
@blueprint.output(WayTested)
def try_way(machine_id: int) -> WayTested:
    """Whether a machine's way works. Nothing is sent, and nothing moves."""
    return WayTested(says=_dispatch().test(machine_id))


@blueprint.post("/machines/<int:machine_id>/first-file")
@blueprint.output(SendingOut)
def read_first_file(machine_id: int) -> SendingOut:
    """Somebody has read what the first file of a machine asks of whoever starts it."""
    with session() as db:
        row = db.get(Machine, machine_id, with_for_update=True)
        if row is None or row.deleted_at is not None:
            raise NotFound(f"There is no machine {machine_id}.")
        row.first_file_at = row.first_file_at or now()
        db.flush()
        return _sending(db, row)


@blueprint.post("/machines/<int:machine_id>/stop")
@blueprint.output(WayTested)
def stop_machine(machine_id: int) -> WayTested:
    """Emergency stop: at once, and without a question."""
    _dispatch().stop_at_once(machine_id)
    return WayTested(says="The machine was told to stop at once. Look at it; the switch is there, too.")


@blueprint.get("/file-words")
@blueprint.output(PlaceholdersOut)
def list_words() -> PlaceholdersOut:
    """Words that may stand in braces in a machine's start and end text."""
    return PlaceholdersOut(
        words=[
            PlaceholderOut(word=one.word, says=one.says, unit=one.unit, example=one.example) for one in PLACEHOLDERS
        ],
        simple_start=SIMPLE_START,
        simple_end=SIMPLE_END,
    )


@blueprint.post("/recipes/<int:recipe_id>/file")
@blueprint.output(JobOut, status_code=202)
def make_file(recipe_id: int) -> JobOut:
    """Write the column's file, or take the one that it replays, and look it over."""
    with session() as db:
        inputs = file_inputs(db, store.recipes.get_recipe(db, recipe_id))
    return jobs.start("file", [recipe_id, inputs], {"recipe_id": recipe_id}, queue="advice", again=True)


@blueprint.get("/recipes/<int:recipe_id>/file")
@blueprint.output(ColumnFile)
def get_column_file(recipe_id: int) -> ColumnFile:
    """The file that was made of a column as it stands now."""
    with session() as db:
        row = store.recipes.get_recipe(db, recipe_id)
        found = store.prints.find_file(db, file_inputs(db, row))
        return ColumnFile(file=None if found is None else file_out(store.prints.get_file(db, found.id)))


@blueprint.get("/files/<int:file_id>/content")
@described_as("text/x-gcode")
def get_file_content(file_id: int) -> Response:
    """The file itself, as G-code."""
    database = context().database
    with session() as db:
        row = store.prints.get_file(db, file_id)
        if row.state != "ready":
            raise NotFound("This file was refused and is not kept.")
        _check_read(store.rows.get(db, Machine, row.machine_id, deleted=True))
        name, size = row.name, row.size_bytes

    headers = {
        "Content-Disposition": f'attachment; filename="{name}"',
        "Content-Length": str(size),
        "Cache-Control": "no-store",
    }
    return Response(pieces_of_file(database, file_id), mimetype="text/x-gcode", headers=headers)


@blueprint.get("/prints")
@blueprint.output(PrintsOut)
def list_prints() -> PrintsOut:
    """What machines are at, and what they were at last."""
    with session() as db:
        running = {run.id: run for run in store.day.running(db)}
        return PrintsOut(prints=[_out(db, row, running) for row in store.prints.list_prints(db)])


@blueprint.get("/prints/<int:print_id>")
@blueprint.output(PrintOut)
def get_print(print_id: int) -> PrintOut:
    """One print."""
    with session() as db:
        return _out(db, store.rows.get(db, PrintRow, print_id))


def _out(db: Session, row: PrintRow, running: dict[int, RunningRun] | None = None) -> PrintOut:
    column = db.get(RecipeRow, row.recipe_id)
    run = None
    if row.run_id is not None:
        runs = {run.id: run for run in store.day.running(db)} if running is None else running
        run = runs.get(row.run_id)
    if run is None and running is not None:
        # A list reads the course of those only that nobody has entered yet: it is asked for every few seconds.
        live = Live(None, None, [], None)
    else:
        live = live_of(row) if run is None else live_of(row, expected_of(run))
    return print_out(row, db.get(Machine, row.machine_id), None if column is None else column.part_id, live)


@blueprint.post("/prints")
@blueprint.input(PrintAsk)
@blueprint.output(PrintOut, status_code=201)
def send_print(json_data: PrintAsk) -> PrintOut:
    """Send a file to its machine. The same key again gives the print that is stored under it, and sends nothing."""
    dispatch = _dispatch()
    try:
        with session() as db:
            store.rows.lock_key(db, json_data.key)
            known = store.prints.find_by_key(db, json_data.key)
            if known is not None:
                return _out(db, known)
            row = _new_print(db, json_data)
            print_id = row.id
    except IntegrityError:
        raise Refused(409, "machine-busy", "The machine is at something else just now.") from None
    dispatch.send(print_id)
    return get_one(print_id)


def get_one(print_id: int) -> PrintOut:
    """One print as it stands now."""
    with session() as db:
        return _out(db, store.rows.get(db, PrintRow, print_id))


def _new_print(db: Session, asked: PrintAsk) -> PrintRow:
    file = store.prints.get_file(db, asked.file_id)
    if file.state != "ready":
        raise MeanBeadError("This file was refused.", field="file_id", remedy="See why, and write it again.")
    column = store.recipes.get_recipe(db, file.recipe_id)
    machine = store.rows.get(db, Machine, file.machine_id)
    if file_inputs(db, column) != file.inputs:
        raise MeanBeadError(
            "The recipe or its machine was changed since the file was written.",
            field="file_id",
            remedy="Write it again.",
        )
    way = way_of(machine)
    if way.kind == "none":
        raise MeanBeadError(
            f"No way to {machine.name} is set.", field="way", remedy="Set one at the machine, or take the file by hand."
        )
    _check_read(machine)
    busy = store.prints.under_way_on(db, machine.id)
    if busy is not None:
        raise MeanBeadError(
            f"{machine.name} is at {busy.file_name} just now.",
            field="machine_id",
            remedy="Wait for it, or give up what was only sent.",
        )
    if asked.queue_id is not None:
        item = store.rows.get(db, QueueItem, asked.queue_id)
        if item.recipe_id != column.id:
            raise MeanBeadError(f"{item.name} is printed by another column.", field="queue_id")
        _check_as_queued(db, item, column, machine, asked.plate or 1)
    row = PrintRow(
        name=column.part.name,
        key=asked.key,
        machine_id=machine.id,
        recipe_id=column.id,
        file_id=file.id,
        queue_id=asked.queue_id,
        queue_plate=asked.plate,
        way=way.kind,
        file_name=file.name,
        state="sending",
        who=access.me().name[:60],
        size_bytes=file.size_bytes,
        followed=plain(Followed()),
    )
    db.add(row)
    db.flush()
    return row


def _check_read(machine: Machine) -> None:
    """Before the first file of a machine leaves here, by whichever way, somebody has read what it asks of whoever starts it."""
    if machine.first_file_at is None:
        raise MeanBeadError(
            f"What the first file of {machine.name} asks of you has not been read yet.",
            field="first_file",
            remedy="Read it.",
        )


def _check_as_queued(db: Session, item: QueueItem, column: RecipeRow, machine: Machine, plate: int) -> None:
    """The file is of the column as it stands; a plate of the queue may be more at once, or of another plastic."""
    sizes = services.queue.plates_of(item)
    if not 1 <= plate <= len(sizes):
        raise MeanBeadError(f"{item.name} has {len(sizes)} plates.", field="plate")
    way = services.queue.way_of(db, item, column, machine, sizes[plate - 1])
    if not way.itself:
        raise MeanBeadError(
            f"{item.name} is queued with {way.count} at once or with another plastic than its column has.",
            field="queue_id",
            remedy="Set the column so, and write its file.",
        )


@blueprint.post("/prints/<int:print_id>/start")
@blueprint.input(StartAsk)
@blueprint.output(PrintOut)
def start_print(print_id: int, json_data: StartAsk) -> PrintOut:
    """Have the machine start what was sent; or say that it was started there, where it cannot be told from here. Asked twice, it is
    started once."""
    for name, says in (
        ("nozzle", "the right nozzle is fitted"),
        ("spool", "the right spool is on"),
        ("plate", "the plate is clear"),
    ):
        if not getattr(json_data, name):
            raise MeanBeadError(f"Say that {says}.", field=name, remedy="Look at the machine first.")
    who = access.me().name

    def begin(db: Session) -> int:
        row = store.rows.get(db, PrintRow, print_id)
        column = store.recipes.get_recipe(db, row.recipe_id)
        return _begin(db, row, column, who)

    with session() as db:
        row = store.rows.get(db, PrintRow, print_id)
        column = store.recipes.get_recipe(db, row.recipe_id)
        digest = services.digests.inputs_digest(column, store.rows.get(db, Part, column.part_id).digest)
        if store.estimates.find_estimate(db, digest) is None:
            raise MeanBeadError(
                "The recipe was changed since the file was written.",
                field="file_id",
                remedy="Give this one up, and write it again.",
            )
    _dispatch().start(print_id, begin)
    return get_one(print_id)


def _begin(db: Session, row: PrintRow, column: RecipeRow, who: str) -> int:
    """The run that a print is, in the log from its start."""
    if row.queue_id is not None:
        item = store.rows.get(db, QueueItem, row.queue_id)
        kept = services.day_plans.kept_plan(store.day.latest_plan(db))
        prepared = services.board.prepare_start(db, kept, item, row.queue_plate or 1, row.machine_id)
        known = store.estimates.find_estimate(db, prepared.way.digest)
        if known is not None and prepared.way.itself:
            return services.board.begin(db, prepared, known, key=row.key, who=who).id
    digest = services.digests.inputs_digest(column, column.part.digest)
    estimate = store.estimates.find_estimate(db, digest)
    if estimate is None:
        raise MeanBeadError("The recipe was changed just now.", field="file_id", remedy="Write its file again.")
    run = services.runs.add_run(
        db,
        column,
        services.calibrations.with_interval(db, column, estimate),
        key=row.key,
        who=who,
        started_at=now(),
        follows_id=column.tries_run_id,
        tries_cause=column.tries_cause if column.tries_run_id is not None else "",
    )
    services.runs.prove(db, run)
    # Whoever started it has said what is on the machine.
    spool = None if run.spool_id is None else db.get(SpoolRow, run.spool_id)
    services.board.fit(db, store.rows.get(db, Machine, column.machine_id), column, spool)
    return run.id


@blueprint.post("/prints/<int:print_id>/pause")
@blueprint.output(PrintOut)
def pause_print(print_id: int) -> PrintOut:
    """Have the machine stand still."""
    _dispatch().pause(print_id)
    return get_one(print_id)


@blueprint.post("/prints/<int:print_id>/resume")
@blueprint.output(PrintOut)
def resume_print(print_id: int) -> PrintOut:
    """Have the machine go on."""
    _dispatch().resume(print_id)
    return get_one(print_id)


@blueprint.post("/prints/<int:print_id>/leave")
@blueprint.output(PrintOut)
def leave_print(print_id: int) -> PrintOut:
    """Give up what is being sent, or was sent and not started."""
    with session() as db:
        row = db.get(PrintRow, print_id, with_for_update=True)
        if row is None:
            raise NotFound(f"There is no print {print_id}.")
        if row.state in ("sending", "sent"):
            row.state, row.problem = "left", ""
    return get_one(print_id)
