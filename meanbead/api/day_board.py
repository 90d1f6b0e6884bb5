"""What the board shows: machines, what runs, what is planned and what to do, put together from the day's rows."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta

from sqlalchemy import select, text
from sqlalchemy.orm import Session

from meanbead import services, store
from meanbead.api.day_schemas import (
    BoardMachine,
    BoardRun,
    DayOut,
    GapOut,
    OnMachineOut,
    SpanOut,
    UnplacedOut,
)
from meanbead.core.model.day import PlannedRun
from meanbead.core.model.shop import DayRules, Shop
from meanbead.core.schedule.day.tasks import Task, tasks
from meanbead.services.day import attended_between, day_state, ends_of, local_now, machine_names, on_machines
from meanbead.services.day_plans import KeptPlan, behind, kept_plan
from meanbead.services.queue import plates_of, progress_of
from meanbead.store.tables import (
    JOB_UNDER_WAY,
    JobRow,
    Machine,
    NozzleRow,
    QueueItem,
    RecipeRow,
    SpoolRow,
)

__all__ = ["board_of"]


def board_of(db: Session) -> DayOut:
    """The day as it stands."""
    moment = local_now()
    house = store.house.house_of(db)
    rules, shop = DayRules.model_validate(house.day), Shop.model_validate(house.shop)
    until = moment + timedelta(days=rules.days)
    kept = kept_plan(store.day.latest_plan(db))
    running = {run.machine_id: run for run in services.prints.running_now(db)}
    items = store.day.queue(db)
    done = store.day.done_of(db, [item.id for item in items])
    still = {(item.id, plate) for item in items for plate in progress_of(item, done).open_plates}
    kept = None if kept is None else _still_open(kept, still)
    ahead = services.board.spools_of(db, kept)
    spools = {} if ahead is None else {(one.job, one.copy_number): one.spool for one in ahead.fitted}
    machines = store.rows.all_rows(db, Machine)
    by_name = {name: number for number, name in machine_names(machines).items()}
    hours = attended_between(db, shop, moment - timedelta(hours=12), until)
    runs = [] if kept is None else _runs(db, kept, by_name, items, spools, hours)
    stale = bool(still) if kept is None else kept.row.inputs != day_state(db) or behind(kept, moment)
    return DayOut(
        now=moment,
        until=until,
        attended=[SpanOut(start=low, end=high) for low, high in hours],
        machines=[_machine(db, machine, running.get(machine.id), moment) for machine in machines],
        runs=runs,
        gaps=[]
        if kept is None
        else [
            GapOut(machine_id=by_name[gap.machine], start=gap.start, end=gap.end, fits_s=gap.fits_s)
            for gap in services.board.gaps_of(kept)
            if gap.machine in by_name
        ],
        unplaced=[]
        if kept is None
        else [_unplaced(kept, one.job, one.copy_number, one.why) for one in kept.plan.unplaced],
        tasks=_tasks(db, kept, moment),
        drying=[] if kept is None else kept.plan.drying,
        moved=[] if kept is None else kept.row.moved,
        notes=[] if kept is None else kept.row.notes,
        score=None if kept is None else kept.plan.score,
        gap=0.0 if kept is None else kept.plan.gap,
        bound_says="" if kept is None else kept.plan.bound_says,
        made_at=None if kept is None else kept.row.made_at,
        stale=stale,
        queued=len(still),
        job_id=_under_way(db),
        rules=rules,
        house_version=house.version,
    )


def _still_open(kept: KeptPlan, still: set[tuple[int, int]]) -> KeptPlan:
    """The plan without what was started, done or taken out of the queue since."""

    def is_open(job: str, copy_number: int) -> bool:
        made, plate = kept.plate(job, copy_number)
        return (made.queue_id, plate) in still

    plan = kept.plan.model_copy(
        update={
            "runs": [run for run in kept.plan.runs if is_open(run.job, run.copy_number)],
            "unplaced": [one for one in kept.plan.unplaced if is_open(one.job, one.copy_number)],
        }
    )
    return KeptPlan(kept.row, kept.day, plan, kept.jobs)


def _under_way(db: Session) -> int | None:
    return db.scalar(
        select(JobRow.id).where(JobRow.kind == "day", text(JOB_UNDER_WAY)).order_by(JobRow.id.desc()).limit(1)
    )


def _machine(db: Session, machine: Machine, run: store.day.RunningRun | None, moment: datetime) -> BoardMachine:
    nozzle = None if machine.nozzle_id is None else db.get(NozzleRow, machine.nozzle_id)
    spool = None if machine.spool_id is None else db.get(SpoolRow, machine.spool_id)
    holds = ", ".join(row.name for row in (nozzle, spool) if row is not None)
    on = None
    if run is not None:
        low, end, high = ends_of(run)
        on = OnMachineOut(
            run_id=run.id,
            name=run.name,
            started_at=run.started_at,
            ends_at=end,
            low_end=low,
            high_end=high,
            over=run.live_state in services.prints.ENDED or end <= moment,
            delay_s=run.delay_s,
            queue_id=run.queue_id,
            live=run.live_state,
            print_id=run.print_id,
        )
    return BoardMachine(id=machine.id, name=machine.name, holds=holds, running=on)


def _runs(
    db: Session,
    kept: KeptPlan,
    by_name: dict[str, int],
    items: Sequence[QueueItem],
    spools: dict[tuple[str, int], str],
    hours: list[tuple[datetime, datetime]],
) -> list[BoardRun]:
    """All planned runs; what they are of is read once, not for each."""
    of = {item.id: item for item in items}
    wanted = {recipe_id for made in kept.jobs.values() for recipe_id in made.recipe_ids if recipe_id is not None}
    named = db.execute(select(RecipeRow.id, RecipeRow.name).where(RecipeRow.id.in_(wanted)))
    names = {row.id: row.name for row in named}
    late = {(one.job, one.copy_number): one.by_s for one in kept.plan.late}
    return [_run(kept, run, by_name, of, names, late, spools, hours) for run in kept.plan.runs]


def _run(
    kept: KeptPlan,
    run: PlannedRun,
    by_name: dict[str, int],
    items: dict[int, QueueItem],
    names: dict[int, str],
    late: dict[tuple[str, int], float],
    spools: dict[tuple[str, int], str],
    hours: list[tuple[datetime, datetime]],
) -> BoardRun:
    made, plate = kept.plate(run.job, run.copy_number)
    item = items.get(made.queue_id)
    recipe_id = made.recipe_ids[min(run.choice, len(made.recipe_ids) - 1)]
    there = any(low <= run.end <= high for low, high in hours)
    back = next((low for low, _ in hours if low > run.end), None)
    return BoardRun(
        queue_id=made.queue_id,
        plate=plate,
        plates=0 if item is None else len(plates_of(item)),
        name=made.name,
        part_id=made.part_id,
        recipe_id=recipe_id,
        recipe=run.choice_name if recipe_id is None else names.get(recipe_id, run.choice_name),
        pieces=made.pieces,
        machine_id=by_name.get(run.machine, 0),
        machine=run.machine,
        start=run.start,
        end=run.end,
        low_end=run.low_end,
        high_end=run.high_end,
        changes=run.changes,
        material=run.material,
        nozzle_mm=run.nozzle_mm,
        grams=run.grams,
        pinned=item is not None and str(plate) in item.pins,
        due_at=None if item is None else item.due_at,
        late_s=late.get((run.job, run.copy_number), 0.0),
        alone_s=run.alone_s,
        alone_end=None if there else back,
        spool=spools.get((run.job, run.copy_number), ""),
    )


def _unplaced(kept: KeptPlan, job: str, copy_number: int, why: str) -> UnplacedOut:
    made, plate = kept.plate(job, copy_number)
    return UnplacedOut(queue_id=made.queue_id, plate=plate, name=made.name, why=why)


def _tasks(db: Session, kept: KeptPlan | None, moment: datetime) -> list[Task]:
    """What to do, with jobs by the numbers of their items of the queue and their plates."""
    on = on_machines(db, moment)
    if kept is None:
        return [
            Task(
                kind="take_off",
                machine=one.machine,
                at=one.ends_at,
                by=None,
                says=f"Take {one.name} off",
                steps=[],
                run_id=one.run_id,
                waits=not one.over,
            )
            for one in sorted(on, key=lambda one: one.ends_at)
        ]
    due = {job.id: job.due for job in kept.day.jobs if job.due is not None}
    found = []
    for task in tasks(kept.day, kept.plan, on, due):
        if task.kind != "start":
            found.append(task)
            continue
        made, plate = kept.plate(task.job, task.copy_number)
        found.append(
            task.model_copy(update={"says": f"Start {made.name}", "job": str(made.queue_id), "copy_number": plate})
        )
    return found
