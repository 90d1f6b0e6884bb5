"""The day over HTTP: the board, what to do now, where runs are put, hours, spools ahead, and what a change would bring."""

from __future__ import annotations

from datetime import datetime, timedelta

from apiflask import APIBlueprint
from flask import Response
from sqlalchemy.orm import Session

from meanbead import services, store
from meanbead.api.access import me
from meanbead.api.binary import described_as
from meanbead.api.context import context, session
from meanbead.api.day_board import board_of
from meanbead.api.day_schemas import (
    CalendarFile,
    CalendarTaken,
    DayOut,
    DayStart,
    DelayAsk,
    HoursAdd,
    HoursListOut,
    HoursOut,
    PinAsk,
    PinOut,
    PinRelease,
    PlanAsk,
    ReasonsAsk,
    ReasonsOut,
    RulesEdit,
    SpoolsOut,
    Started,
    TakeOff,
    WorthAsk,
    hours_out,
)
from meanbead.api.jobs import start
from meanbead.api.jobs_schemas import JobOut
from meanbead.api.journal import note_shelf
from meanbead.api.schema import VersionOnly
from meanbead.core.errors import MeanBeadError
from meanbead.core.faults.knowledge import JOURNAL_KINDS, JournalKind
from meanbead.core.model.run import RunEntry
from meanbead.core.model.shop import Shop
from meanbead.core.schedule.day.reasons import reasons
from meanbead.services.day import day_state, local_now
from meanbead.services.day_plans import kept_plan
from meanbead.store.tables import (
    HoursException,
    House,
    Machine,
    NozzleRow,
    QueueItem,
    RunRow,
    SpoolRow,
    now,
    plain,
)

blueprint = APIBlueprint("day", __name__, url_prefix="/api", tag="Day")


@blueprint.get("/day")
@blueprint.output(DayOut)
def get_day() -> DayOut:
    """The board: machines, what runs, what is planned, hours, and what to do."""
    with session() as db:
        return board_of(db)


@blueprint.post("/day/plan")
@blueprint.input(PlanAsk)
@blueprint.output(JobOut, status_code=202)
def start_plan(json_data: PlanAsk) -> JobOut:
    """Plan the day in the background: a first plan at once, better ones as they are found."""
    with session() as db:
        inputs = [day_state(db)]
    return start("day", inputs, {"seconds": json_data.seconds}, again=True)


@blueprint.post("/day/worth")
@blueprint.input(WorthAsk)
@blueprint.output(JobOut, status_code=202)
def start_worth(json_data: WorthAsk) -> JobOut:
    """What changes of the workshop would bring in pieces a week, by planning the same queue with and without them."""
    with session() as db:
        inputs = [day_state(db), local_now().date().isoformat(), json_data.seconds]
    return start("worth", inputs, {"seconds": json_data.seconds})


@blueprint.post("/day/pin")
@blueprint.input(PinAsk)
@blueprint.output(PinOut)
def pin(json_data: PinAsk) -> PinOut:
    """Put a plate on a machine from a moment on; the plan keeps it there."""
    said = json_data
    with session() as db:
        row = store.rows.get_for_edit(db, QueueItem, said.queue_id, said.version)
        kept = kept_plan(store.day.latest_plan(db))
        held, says = services.board.put(db, kept, row, said.plate, said.machine_id, said.start)
        row.pins = row.pins | {str(said.plate): plain(held)}
        db.flush()
        return PinOut(
            queue_id=row.id,
            version=row.version,
            machine_id=held.machine_id,
            start=datetime.fromisoformat(held.start),
            says=says,
        )


@blueprint.post("/day/release")
@blueprint.input(PinRelease)
@blueprint.output(PinOut)
def release(json_data: PinRelease) -> PinOut:
    """Let the plan place a plate again."""
    with session() as db:
        row = store.rows.get_for_edit(db, QueueItem, json_data.queue_id, json_data.version)
        row.pins = {plate: held for plate, held in row.pins.items() if plate != str(json_data.plate)}
        db.flush()
        return PinOut(queue_id=row.id, version=row.version, machine_id=None, start=None, says="")


@blueprint.get("/day/reasons")
@blueprint.input(ReasonsAsk, location="query")
@blueprint.output(ReasonsOut)
def list_reasons(query_data: ReasonsAsk) -> ReasonsOut:
    """Why a run stands where it stands, and why not on every other machine."""
    with session() as db:
        kept = kept_plan(store.day.latest_plan(db))
    found = None if kept is None else kept.job_of(query_data.queue_id, query_data.plate)
    if kept is None or found is None:
        raise MeanBeadError("The plan has no such run.", field="plate", remedy="Plan anew.")
    told = reasons(kept.day, kept.plan, *found)
    names = {name: made.name for name, made in kept.jobs.items()}

    def named(sentence: str) -> str:
        for job, name in sorted(names.items(), key=lambda one: -len(one[0])):
            sentence = sentence.replace(job, name)
        return sentence

    return ReasonsOut(
        here=[named(one) for one in told.here],
        there=[one.model_copy(update={"says": named(one.says)}) for one in told.there],
    )


@blueprint.post("/day/start")
@blueprint.input(DayStart)
@blueprint.output(Started, status_code=201)
def start_planned(json_data: DayStart) -> Started:
    """Start a planned run: its machine is fitted as planned, its log entry begins. The same key again gives what is stored."""
    said = json_data
    with session() as db:
        store.rows.lock_key(db, said.key)
        known = store.runs.find_by_key(db, said.key)
        if known is not None:
            return Started(run_id=known.id, name=known.name)
        item = store.rows.get(db, QueueItem, said.queue_id)
        kept = kept_plan(store.day.latest_plan(db))
        prepared = services.board.prepare_start(db, kept, item, said.plate, said.machine_id)
        estimate = services.board.estimated(db, context().engine, prepared)
        machine = store.rows.get(db, Machine, prepared.way.machine_id)
        before = {"nozzle_id": machine.nozzle_id, "spool_id": machine.spool_id}
        run = services.board.begin(db, prepared, estimate, key=said.key, who=me().name)
        _note(db, machine, before)
        return Started(run_id=run.id, name=run.name)


def _note(db: Session, machine: Machine, before: dict[str, int | None]) -> None:
    """What was fitted goes into the journal, as it does from the shelf."""
    for field, held in (("nozzle_id", machine.nozzle_id), ("spool_id", machine.spool_id)):
        if held is None or held == before[field]:
            continue
        kind: JournalKind = "nozzle_swapped" if field == "nozzle_id" else "spool_changed"
        old, new = (_name(db, field, number) for number in (before[field], held))
        name, what = f"{JOURNAL_KINDS[kind]}: {machine.name}, {new}", field.removesuffix("_id")
        note_shelf(db, kind, name, {what: old}, {what: new}, machine_id=machine.id, **{field: held})


def _name(db: Session, field: str, number: int | None) -> str:
    if number is None:
        return ""
    row = db.get_one(NozzleRow, number) if field == "nozzle_id" else db.get_one(SpoolRow, number)
    return row.name


@blueprint.post("/day/delay")
@blueprint.input(DelayAsk)
@blueprint.output(Started)
def delay(json_data: DelayAsk) -> Started:
    """A running print takes longer, or less long, than was said before: what follows is planned anew."""
    with session() as db:
        row = store.rows.get(db, RunRow, json_data.run_id)
        if row.state != "running":
            raise MeanBeadError("That print has ended.", field="run_id")
        row.delay_s = row.delay_s + json_data.more_s
        db.flush()
        return Started(run_id=row.id, name=row.name)


@blueprint.post("/day/take-off")
@blueprint.input(TakeOff)
@blueprint.output(Started)
def take_off(json_data: TakeOff) -> Started:
    """A print is taken off its machine: kept, or scrapped; then it is queued once more where it is not the queue's already. What
    else came of it is entered in the log."""
    with session() as db:
        row = store.runs.get_full(db, json_data.run_id)
        if row is None or row.deleted_at is not None:
            raise store.rows.NotFound(f"There is no run {json_data.run_id}.")
        if row.state == "running":
            entry = RunEntry.model_validate(row.entry).model_copy(update={"state": json_data.state})
            row.updated_at = now()
            services.runs.change_entry(db, row, entry)
        if json_data.state == "scrapped" and json_data.again_key is not None and row.queue_id is None:
            store.rows.lock_key(db, json_data.again_key)
            services.queue.add_again(db, row, json_data.again_key)
        return Started(run_id=row.id, name=row.name)


@blueprint.get("/day/spools")
@blueprint.output(SpoolsOut)
def list_spools_ahead() -> SpoolsOut:
    """Spools: what is planned on them, what is held, what runs out when; and what has to be bought."""
    with session() as db:
        kept = kept_plan(store.day.latest_plan(db))
        found = services.board.spools_of(db, kept)
        currency = Shop.model_validate(store.house.house_of(db).shop).currency
    if found is None:
        return SpoolsOut(spools=[], shopping=[], currency=currency)
    names = {} if kept is None else {name: made.name for name, made in kept.jobs.items()}
    shopping = [
        one.model_copy(update={"jobs": list(dict.fromkeys(names.get(job, job) for job in one.jobs))})
        for one in found.shopping
    ]
    return SpoolsOut(spools=found.spools, shopping=shopping, currency=currency)


@blueprint.get("/day/calendar.ics")
@described_as("text/calendar")
def calendar() -> Response:
    """Plate changes as a calendar."""
    with session() as db:
        board = board_of(db)
    content = services.calendars.calendar_of(board.tasks, board.made_at or board.now)
    answer = Response(content, mimetype="text/calendar")
    answer.headers["Content-Disposition"] = 'attachment; filename="plate-changes.ics"'
    return answer


@blueprint.patch("/day/rules")
@blueprint.input(RulesEdit)
@blueprint.output(RulesEdit)
def edit_day_rules(json_data: RulesEdit) -> RulesEdit:
    """How the house plans its days: what matters more, what changes take, how far ahead."""
    with session() as db:
        row = store.rows.get_for_edit(db, House, store.house.house_of(db).id, json_data.version)
        row.day = plain(json_data.rules)
        db.flush()
        return RulesEdit(version=row.version, rules=json_data.rules)


@blueprint.get("/hours")
@blueprint.output(HoursListOut)
def list_hours() -> HoursListOut:
    """Hours that are not as every week and have not passed."""
    with session() as db:
        moment = local_now()
        rows = store.day.exceptions_between(db, moment, moment + timedelta(days=4000))
        return HoursListOut(exceptions=[hours_out(row) for row in rows])


@blueprint.post("/hours")
@blueprint.input(HoursAdd)
@blueprint.output(HoursOut, status_code=201)
def add_hours(json_data: HoursAdd) -> HoursOut:
    """Somebody is away for a while, or there all the same."""
    with session() as db:
        row = HoursException(
            name=json_data.name.strip(),
            from_at=json_data.from_at.astimezone(),
            to_at=json_data.to_at.astimezone(),
            there=json_data.there,
        )
        db.add(row)
        db.flush()
        return hours_out(row)


@blueprint.post("/hours/<int:hours_id>/delete")
@blueprint.input(VersionOnly)
@blueprint.output(HoursOut)
def delete_hours(hours_id: int, json_data: VersionOnly) -> HoursOut:
    """As every week after all; it can be undone."""
    with session() as db:
        row = store.rows.get_for_edit(db, HoursException, hours_id, json_data.version)
        store.rows.delete(db, row)
        return hours_out(row)


@blueprint.post("/hours/<int:hours_id>/restore")
@blueprint.output(HoursOut)
def restore_hours(hours_id: int) -> HoursOut:
    """Undo the removal."""
    with session() as db:
        row = store.rows.get(db, HoursException, hours_id, deleted=True)
        store.rows.restore(db, row)
        return hours_out(row)


@blueprint.post("/hours/calendar")
@blueprint.input(CalendarFile)
@blueprint.output(CalendarTaken)
def take_calendar(json_data: CalendarFile) -> CalendarTaken:
    """Take the entries of a calendar file as hours that are not as every week. The same file again changes nothing; one that
    somebody has taken out stays out."""
    entries, left_out = services.calendars.entries_of(json_data.text, local_now())
    added = changed = known = 0
    with session() as db:
        there = store.day.from_calendar(db, [entry.source for entry in entries])
        for entry in {entry.source: entry for entry in entries}.values():
            row = there.get(entry.source)
            if row is None:
                db.add(
                    HoursException(
                        name=entry.name,
                        from_at=entry.start,
                        to_at=entry.end,
                        there=json_data.there,
                        source=entry.source,
                    )
                )
                added += 1
            elif (row.name, row.to_at, row.there) != (entry.name, entry.end, json_data.there):
                row.name, row.to_at, row.there = entry.name, entry.end, json_data.there
                changed += 1
            else:
                known += 1
    return CalendarTaken(added=added, changed=changed, known=known, left_out=left_out)
