"""The day as the planner takes it: from the shelf, the queue, hours and what runs just now; and what is done with its plan."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date, datetime, time, timedelta

from sqlalchemy import text
from sqlalchemy.orm import Session

from meanbead import store
from meanbead.core.errors import MeanBeadError
from meanbead.core.estimate import Engine
from meanbead.core.model import Estimate, Material, Printer
from meanbead.core.model.day import (
    AttendedSpan,
    Day,
    DayChoice,
    DayJob,
    DayMachine,
    DryingNeed,
    EnergySpan,
    Pin,
    SizeMm,
    SwapMin,
)
from meanbead.core.model.plate import QueuePin
from meanbead.core.model.shop import DayRules, Shop
from meanbead.core.schedule.day.problem import merged
from meanbead.core.schedule.day.tasks import OnMachine
from meanbead.core.shelf import dryness
from meanbead.services.advice import fault_rate_of
from meanbead.services.prints import ENDED, running_now
from meanbead.services.queue import Progress, Way, material_name, plates_of, progress_of, ways_of
from meanbead.store.around import Around, around
from meanbead.store.day import RunningRun
from meanbead.store.tables import (
    HoursException,
    House,
    Machine,
    MaterialRow,
    NozzleRow,
    Part,
    PlateRow,
    QueueItem,
    RecipeRow,
    RunRow,
    SpoolRow,
)

__all__ = [
    "BuiltDay",
    "Planned",
    "attended_between",
    "build_day",
    "day_state",
    "due_by_job",
    "ends_of",
    "job_id",
    "local_now",
    "machine_names",
    "on_machines",
    "plate_of_job",
    "without_bad_pins",
]

_WATCHED = (QueueItem, HoursException, PlateRow, House, Machine, NozzleRow, MaterialRow, SpoolRow, RunRow)
_QUEUED_PARTS = "(select r.part_id from recipes r join queue_items q on q.recipe_id = r.id where q.deleted_at is null)"
"""What is on the bench bears on the plan only where it is queued."""

_DEFAULT_DRYING_H = 6.0


@dataclass(frozen=True)
class Planned:
    """A job of the day and what it is made of: the item of the queue, the plate's number and pieces, and its ways in the order of
    the job's choices."""

    item: QueueItem
    plates: list[int]
    pieces: int
    ways: list[Way]


@dataclass
class BuiltDay:
    """A day to be planned, by job what it is made of; ``missing`` are ways that have to be estimated first, ``notes`` what was left
    out and why."""

    day: Day
    jobs: dict[str, Planned]
    missing: list[tuple[QueueItem, Way]]
    notes: list[str] = field(default_factory=list)


def local_now() -> datetime:
    """This moment on the workshop's clock."""
    return datetime.now().astimezone().replace(microsecond=0)


def day_state(session: Session) -> str:
    """Tells one state of all that a plan is made of from every other."""
    told = "(select row(count(*), sum(version), max(updated_at))::text from"
    states = [f"{told} {table.__tablename__})" for table in _WATCHED]
    states += [f"{told} recipes where part_id in {_QUEUED_PARTS})", f"{told} parts where id in {_QUEUED_PARTS})"]
    return str(session.execute(text(f"select md5(concat_ws(' ', {', '.join(states)}))")).scalar_one())


def job_id(item: QueueItem, pieces: int) -> str:
    """What the planner calls the plates of an item that hold so many pieces."""
    return f"q{item.id}x{pieces}"


def plate_of_job(jobs: dict[str, Planned], job: str, copy_number: int) -> int:
    """The plate's number of a job's copy."""
    return jobs[job].plates[copy_number - 1]


def build_day(session: Session, engine: Engine, now: datetime | None = None) -> BuiltDay:
    """The day from what is stored. Ways without an estimate are left out, and told in ``missing``."""
    now = now or local_now()
    house = store.house.house_of(session)
    shop, rules = Shop.model_validate(house.shop), DayRules.model_validate(house.day)
    horizon = now + timedelta(days=rules.days)
    machines = store.rows.all_rows(session, Machine)
    running = {run.machine_id: run for run in running_now(session)}
    names = machine_names(machines)
    bores = sorted({float(row.nozzle.get("bore_mm", 0.4)) for row in store.rows.all_rows(session, NozzleRow)})
    built = BuiltDay(Day(now=now), {}, [])
    about = around(session)
    items = store.day.queue(session)
    done = store.day.done_of(session, [item.id for item in items])
    jobs: list[DayJob] = []
    pins: list[Pin] = []
    for item in items:
        progress = progress_of(item, done)
        jobs += _jobs_of(session, engine, item, progress, machines, names, shop, about, built)
    for name, planned in built.jobs.items():
        pins += _pins_of(name, planned, names, now, built.notes)
    materials = {job.material for job in jobs if job.material}
    built.day = Day(
        now=now,
        horizon_h=rules.days * 24,
        attended=tuple(
            AttendedSpan(start=low, end=high) for low, high in attended_between(session, shop, now, horizon)
        ),
        machines=tuple(
            _machine(session, machine, names[machine.id], running.get(machine.id), bores, now) for machine in machines
        ),
        jobs=tuple(jobs),
        swap_min=SwapMin(plate=shop.attended.turnaround_min, nozzle=rules.nozzle_min, spool=rules.spool_min),
        pinned=tuple(pins),
        spool_full_g=rules.spool_full_g,
        dry_first=tuple(_drying(session, materials, now.date())),
        dryer_spools=rules.dryer_spools,
        order=rules.order,
        long_print_h=shop.long_print_h,
        energy=tuple(_energy(rules, now, horizon)),
        price_per_kwh=shop.price_per_kwh,
    )
    return built


def machine_names(machines: Sequence[Machine]) -> dict[int, str]:
    """Machines as plans know them: by name, with a number where two have the same."""
    known: set[str] = set()
    found = {}
    for machine in machines:
        name = machine.name[:70]
        if name in known:
            name = f"{name} ({machine.id})"
        known.add(name)
        found[machine.id] = name
    return found


def _machine(
    session: Session, row: Machine, name: str, run: RunningRun | None, bores: list[float], now: datetime
) -> DayMachine:
    printer = Printer.model_validate(row.printer)
    nozzle = None if row.nozzle_id is None else session.get(NozzleRow, row.nozzle_id)
    spool = None if row.spool_id is None else session.get(SpoolRow, row.spool_id)
    left = None
    if spool is not None:
        left = max(0.0, spool.left_g - (run.grams if run is not None and run.spool_id == spool.id else 0.0))
    return DayMachine(
        id=name,
        nozzle_mm=0.4 if nozzle is None else float(nozzle.nozzle.get("bore_mm", 0.4)),
        material="" if spool is None else material_name(session, spool.material_id),
        bed_mm=SizeMm(x=printer.bed_mm.x, y=printer.bed_mm.y, z=printer.bed_mm.z),
        free_at=None if run is None else max(now, ends_of(run)[1]),
        enclosed=printer.enclosed,
        plate_clear=run is None,
        spool_g=left,
        nozzles_mm=tuple(bores),
        max_temp_c=printer.highest_nozzle_c,
        power_w=printer.power_w if printer.power_w is not None else 120,
    )


def ends_of(run: RunningRun) -> tuple[datetime, datetime, datetime]:
    """When a running print ends: at the earliest, as expected, and at the latest, with 90 %: as its machine tells, where that is
    listened to, else as planned, put off by what somebody said."""
    if run.live_ends is not None:
        return run.live_ends
    beside = max(0.0, run.whole_s - run.print_s)
    expected = float(run.interval.get("expected_s") or run.print_s)
    ends = (float(run.interval.get("low_s") or expected), expected, float(run.interval.get("high_s") or expected))
    moments = [run.started_at.astimezone() + timedelta(seconds=beside + end + run.delay_s) for end in ends]
    return moments[0], moments[1], moments[2]


def on_machines(session: Session, now: datetime) -> list[OnMachine]:
    """What stands on each machine just now."""
    names = machine_names(store.rows.all_rows(session, Machine))
    return [
        OnMachine(
            machine=names[run.machine_id],
            name=run.name,
            run_id=run.id,
            ends_at=ends_of(run)[1],
            over=bool(run.live_state in ENDED or ends_of(run)[1] <= now),
        )
        for run in running_now(session)
    ]


def _jobs_of(
    session: Session,
    engine: Engine,
    item: QueueItem,
    progress: Progress,
    machines: Sequence[Machine],
    names: dict[int, str],
    shop: Shop,
    about: Around,
    built: BuiltDay,
) -> list[DayJob]:
    sizes = plates_of(item)
    by_pieces: dict[int, list[int]] = {}
    for plate in progress.open_plates:
        by_pieces.setdefault(sizes[plate - 1], []).append(plate)
    found = []
    own = session.get(RecipeRow, item.recipe_id)
    if own is None or own.deleted_at is not None:
        if progress.open_plates:
            built.notes.append(f"{item.name}: its recipe is gone; choose another one.")
        return []
    part = store.rows.get(session, Part, own.part_id, deleted=True)
    for pieces, plates in by_pieces.items():
        ways = ways_of(session, engine, item, pieces, machines, about)
        ready = [way for way in ways if way.estimate is not None]
        built.missing += [(item, way) for way in ways if way.estimate is None and not way.wrong]
        if not ready:
            wrong = next((way.wrong for way in ways if way.wrong), "")
            if wrong or not ways:
                why = wrong or "none of its machines is on the shelf"
                built.notes.append(f"{item.name}: {why}")
            continue
        name = job_id(item, pieces)
        built.jobs[name] = Planned(item, plates, pieces, ready)
        material_id = ready[0].material_id
        material = Material.model_validate(store.rows.get(session, MaterialRow, material_id, deleted=True).material)
        rate = fault_rate_of(session, shop, own.machine_id, own.machine.name)
        first = _choice(ready[0], names)
        found.append(
            DayJob(
                id=name,
                name=first.name,
                time_s=first.time_s,
                low_s=first.low_s,
                high_s=first.high_s,
                grams=first.grams,
                nozzle_mm=first.nozzle_mm,
                machines=None,
                material=material_name(session, material_id),
                size_mm=_size(ready[0].estimate, part),
                copies=len(plates),
                due=None if item.due_at is None else item.due_at.astimezone(),
                priority=item.priority,
                temp_c=max(way.temp_c for way in ready),
                # Where somebody has put a plastic that warps into an enclosure, it stays in one.
                enclosed=material.warp_prone and Printer.model_validate(own.machine.printer).enclosed,
                pieces=pieces,
                fails_per_h=rate.per_hour,
                choices=tuple(_choice(way, names) for way in ready[:20]),
            )
        )
    return found


def _choice(way: Way, names: dict[int, str]) -> DayChoice:
    estimate = way.estimate
    assert estimate is not None
    expected, low, high = whole_span_s(estimate)
    return DayChoice(
        name=way.name,
        time_s=expected,
        low_s=min(low, expected),
        high_s=max(high, expected),
        grams=estimate.interval.expected_g or estimate.filament_g,
        nozzle_mm=way.bore_mm,
        machines=(names[way.machine_id],),
    )


def whole_span_s(estimate: Estimate) -> tuple[float, float, float]:
    """How long a machine is taken, s: as expected, and between which bounds with 90 %; heating up and start included."""
    beside = max(0.0, estimate.whole_time_s - estimate.print_time_s)
    interval = estimate.interval
    expected = interval.expected_s or estimate.print_time_s
    return expected + beside, interval.low_s + beside, interval.high_s + beside


def _size(estimate: Estimate | None, part: Part) -> SizeMm:
    """Room that a plate takes: what is laid, where that is known."""
    box = part.facts["extents_mm"]
    wide, deep = (0.0, 0.0) if estimate is None else estimate.plate_mm[:2]
    return SizeMm(x=max(float(wide), box["x"]), y=max(float(deep), box["y"]), z=box["z"])


def _pins_of(name: str, planned: Planned, names: dict[int, str], now: datetime, notes: list[str]) -> list[Pin]:
    found = []
    for place, plate in enumerate(planned.plates):
        held = planned.item.pins.get(str(plate))
        if held is None:
            continue
        pin = QueuePin.model_validate(held)
        choice = next((k for k, way in enumerate(planned.ways) if way.machine_id == pin.machine_id), None)
        if choice is None or pin.machine_id not in names:
            notes.append(f"{planned.item.name}, plate {plate}: it cannot be printed on the machine where you put it.")
            continue
        start = datetime.fromisoformat(pin.start).astimezone()
        if start < now:
            notes.append(f"{planned.item.name}, plate {plate}: the moment where you put it has passed.")
            continue
        found.append(Pin(job=name, copy_number=place + 1, machine=names[pin.machine_id], start=start, choice=choice))
    return found


def without_bad_pins(built: BuiltDay) -> BuiltDay:
    """The day with the pins that can all be kept: the latest of those that contradict go first, and it is told which."""
    from meanbead.core.schedule.day.planner import check_pins

    pins = sorted(built.day.pinned, key=lambda pin: pin.start)
    kept: list[Pin] = []
    for pin in pins:
        try:
            check_pins(built.day.model_copy(update={"pinned": (*kept, pin)}))
        except MeanBeadError as problem:
            planned = built.jobs[pin.job]
            plate = planned.plates[pin.copy_number - 1]
            built.notes.append(f"{planned.item.name}, plate {plate}, is no longer where you put it: {problem.message}")
            continue
        kept.append(pin)
    built.day = built.day.model_copy(update={"pinned": tuple(kept)})
    return built


def attended_between(session: Session, shop: Shop, low: datetime, high: datetime) -> list[tuple[datetime, datetime]]:
    """Hours in which someone is there: those of every week, without those that somebody is away, with those that somebody is
    there all the same. By the workshop's clock, so that eight o'clock is eight o'clock when clocks change."""
    spans: list[tuple[float, float]] = []
    attended = shop.attended
    zero = low.timestamp()
    day = low.date() - timedelta(days=1)
    while day <= high.date():
        if day.weekday() in attended.days:
            spans.append((_at(day, attended.from_h) - zero, _at(day, attended.to_h) - zero))
        day += timedelta(days=1)
    exceptions = store.day.exceptions_between(session, low, high)
    spans += [(one.from_at.timestamp() - zero, one.to_at.timestamp() - zero) for one in exceptions if one.there]
    spans = merged(spans)
    for one in exceptions:
        if not one.there:
            away = (one.from_at.timestamp() - zero, one.to_at.timestamp() - zero)
            spans = [
                piece
                for start, end in spans
                for piece in ((start, min(end, away[0])), (max(start, away[1]), end))
                if piece[1] > piece[0]
            ]
    last = high.timestamp() - zero
    cut = [(max(0.0, start), min(last, end)) for start, end in spans]
    return [(low + timedelta(seconds=start), low + timedelta(seconds=end)) for start, end in cut if end > start]


def _at(day: date, hour: float) -> float:
    """The moment of an hour of a day on the workshop's clock, as a timestamp."""
    whole, rest = divmod(round(hour * 3600), 3600)
    if whole >= 24:
        return _at(day + timedelta(days=1), hour - 24)
    return datetime.combine(day, time(int(whole), rest // 60, rest % 60)).astimezone().timestamp()


def _drying(session: Session, materials: set[str], today: date) -> list[DryingNeed]:
    """Plastics that have to be dried before: those of which no spool is dry, as far as is known."""
    found = []
    spools = store.rows.all_rows(session, SpoolRow)
    for row in store.rows.all_rows(session, MaterialRow):
        if row.name[:80] not in materials:
            continue
        material = Material.model_validate(row.material)
        own = [
            dryness(material, store.shelf.spool_of(spool), today).state
            for spool in spools
            if spool.material_id == row.id
        ]
        if not material.damp_prone or any(state in ("dry", "hardly_matters", "unknown") for state in own) or not own:
            continue
        found.append(
            DryingNeed(
                material=row.name[:80],
                hours=material.drying_h or _DEFAULT_DRYING_H,
                temp_c=material.drying_temp_c or 0.0,
            )
        )
    return found


def _energy(rules: DayRules, low: datetime, high: datetime) -> list[EnergySpan]:
    found = []
    day = low.date()
    while day <= high.date():
        for tariff in rules.tariffs:
            start, end = (datetime.fromtimestamp(_at(day, hour)).astimezone() for hour in (tariff.from_h, tariff.to_h))
            if end > start:
                found.append(EnergySpan(start=start, end=end, price=tariff.price))
        day += timedelta(days=1)
    return found


def due_by_job(built: BuiltDay) -> dict[str, datetime]:
    """Due moments by job."""
    return {job.id: job.due for job in built.day.jobs if job.due is not None}
