"""The board: what a plan has on each machine, what runs there, what stands still; starting a planned run."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from sqlalchemy.orm import Session

from meanbead import store
from meanbead.core.errors import MeanBeadError
from meanbead.core.estimate import Engine
from meanbead.core.model import Estimate, Material, Recipe
from meanbead.core.model.day import Day
from meanbead.core.model.plate import QueuePin
from meanbead.core.schedule.day.spools import SpoolsAhead, SpoolStock, spools_ahead
from meanbead.services.calibrations import with_interval
from meanbead.services.day import local_now, machine_names
from meanbead.services.day_plans import KeptPlan
from meanbead.services.queue import Way, column_as, column_of, compute_way, material_name, plates_of, way_of
from meanbead.services.runs import add_run
from meanbead.store.tables import HouseRecipe, Machine, MaterialRow, NozzleRow, QueueItem, RecipeRow, RunRow, SpoolRow

__all__ = ["Gap", "Prepared", "begin", "estimated", "fit", "gaps_of", "prepare_start", "put", "spools_of"]

_LEAST_GAP_S = 1800.0


@dataclass(frozen=True)
class Gap:
    """A machine stands still; a print of up to ``fits_s`` could be started in it while somebody is there."""

    machine: str
    start: datetime
    end: datetime
    fits_s: float


def gaps_of(kept: KeptPlan) -> list[Gap]:
    """Where machines stand still between runs, and what would fit: started at the first attended moment, after its plate was
    cleared, and done before the next run's changes begin."""
    day = kept.day
    plate_s = 60 * day.swap_min.plate
    spans = [(day.at(span.start), day.at(span.end)) for span in day.attended or ()]
    found = []
    for machine in day.machines:
        runs = sorted((run for run in kept.plan.runs if run.machine == machine.id), key=lambda run: run.start)
        free = 0.0 if machine.free_at is None else max(0.0, day.at(machine.free_at))
        first = machine.plate_clear
        for run in runs:
            begin = day.at(run.changes[0].start if run.changes else run.start)
            if "plate" not in run.swaps:
                begin -= plate_s  # what is put in before it has to come off again
            gap = _gap(day, machine.id, free, begin, spans, 0.0 if first else plate_s)
            if gap is not None:
                found.append(gap)
            free, first = day.at(run.end), False
        gap = _gap(day, machine.id, free, day.horizon_h * 3600, spans, 0.0 if first else plate_s)
        if gap is not None:
            found.append(gap)
    return found


def _gap(
    day: Day, machine: str, low: float, high: float, spans: Sequence[tuple[float, float]], clear_s: float
) -> Gap | None:
    starts = [max(low + clear_s, opens + clear_s) for opens, closes in spans if max(low, opens) + clear_s <= closes]
    if not starts or high - min(starts) < _LEAST_GAP_S:
        return None
    return Gap(machine, day.moment(low), day.moment(high), high - min(starts))


def spools_of(session: Session, kept: KeptPlan | None) -> SpoolsAhead | None:
    """Spools with what the plan takes of them, and what has to be bought."""
    if kept is None:
        return None
    machines = {row.spool_id: row for row in store.rows.all_rows(session, Machine) if row.spool_id is not None}
    names = machine_names(store.rows.all_rows(session, Machine))
    running = store.day.running(session)
    stock = []
    for spool in store.rows.all_rows(session, SpoolRow):
        machine = machines.get(spool.id)
        used = sum(run.grams for run in running if run.spool_id == spool.id)
        stock.append(
            SpoolStock(
                id=spool.id,
                name=spool.name,
                material=material_name(session, spool.material_id),
                left_g=spool.left_g,
                machine="" if machine is None else names.get(machine.id, ""),
                used_g=min(used, spool.left_g),
            )
        )
    prices = {
        row.name[:80]: _price_per_kg(Material.model_validate(row.material))
        for row in store.rows.all_rows(session, MaterialRow)
    }
    return spools_ahead(kept.plan, stock, kept.day.now, full_g=kept.day.spool_full_g, price_per_kg=prices)


def _price_per_kg(material: Material) -> float:
    if material.spool_price is not None:
        return material.spool_price / material.spool_g * 1000
    return material.price_per_kg


def put(
    session: Session, kept: KeptPlan | None, item: QueueItem, plate: int, machine_id: int, start: datetime
) -> tuple[QueuePin, str]:
    """Put a plate on a machine from a moment on: at the next moment at which somebody is there, with time for whatever has to be
    changed, and after what was put there before. Gives where it went, and in words why that is later than asked for."""
    if not 1 <= plate <= len(plates_of(item)):
        raise MeanBeadError(f"{item.name} has {len(plates_of(item))} plates.", field="plate")
    machine = store.rows.get(session, Machine, machine_id)
    asked = max(start.astimezone().replace(second=0, microsecond=0), local_now())
    if kept is None:
        return QueuePin(machine_id=machine_id, start=asked.isoformat()), ""
    day = kept.day
    called = machine_names(store.rows.all_rows(session, Machine))[machine.id]
    described = next((one for one in day.machines if one.id == called), None)
    name = kept.job_of(item.id, plate)
    if described is None or name is None:
        return QueuePin(machine_id=machine_id, start=asked.isoformat()), ""
    made = kept.jobs[name[0]]
    if machine_id not in made.machine_ids:
        raise MeanBeadError(
            f"{item.name} cannot be printed on {machine.name}.",
            field="machine_id",
            remedy="See why not, beside the run.",
        )
    swap = day.swap_min
    # Whatever has to be changed: what runs before it on the machine may be another by then.
    need = timedelta(minutes=swap.plate + swap.nozzle + swap.spool)
    free = day.now if described.free_at is None else max(day.now, described.free_at)
    taken = []
    for run in kept.plan.runs:
        if run.pinned and run.machine == called:
            of, number = kept.plate(run.job, run.copy_number)
            if (of.queue_id, number) != (item.id, plate):
                taken.append((run.changes[0].start if run.changes else run.start, run.end))
    job = next(one for one in day.jobs if one.id == name[0])
    lasts = timedelta(seconds=max(way.time_s for way in job.ways if way.machines is None or called in way.machines))
    at, why = max(asked, free + need), ""
    if at > asked:
        why = f"{machine.name} is free and changed by then at the soonest"
    for _ in range(200):
        span = next((one for one in day.attended or () if one.end >= at and max(at, one.start + need) <= one.end), None)
        if span is None:
            raise MeanBeadError("Nobody is there any more within the plan to start it then.", field="start")
        if at < span.start + need:
            at, why = span.start + need, "somebody has to be there to start it and to change what has to be changed"
        clash = next((end for low, end in taken if low < at + lasts and end + need > at), None)
        if clash is None:
            break
        at, why = clash + need, "what you put there before goes first"
    says = f"It starts {at:%a} {at.hour}:{at.minute:02d}: {why}." if at - asked > timedelta(minutes=1) else ""
    return QueuePin(machine_id=machine_id, start=at.isoformat()), says


@dataclass(frozen=True)
class Prepared:
    """A planned run about to be started: which way, and its estimate where it is known."""

    item: QueueItem
    plate: int
    way: Way
    estimate: Estimate | None


def prepare_start(
    session: Session, kept: KeptPlan | None, item: QueueItem, plate: int, machine_id: int | None
) -> Prepared:
    """What starting a plate of the queue means. Raises :class:`MeanBeadError` where it is under way or done already, or its machine
    is taken."""
    sizes = plates_of(item)
    if not 1 <= plate <= len(sizes):
        raise MeanBeadError(f"{item.name} has {len(sizes)} plates.", field="plate")
    done = store.day.done_of(session, [item.id])
    if any(run.plate == plate and run.state in ("kept", "running") for run in done):
        raise MeanBeadError(f"Plate {plate} of {item.name} is under way or done already.", field="plate")
    own = store.recipes.get_recipe(session, item.recipe_id)
    recipe_id: int | None = own.id
    house_id, wanted = None, machine_id or own.machine_id
    run = None if kept is None else kept.run(item.id, plate)
    if kept is not None and run is not None:
        made, _ = kept.plate(run.job, run.copy_number)
        if machine_id is None or made.machine_ids[run.choice] == machine_id:
            recipe_id, house_id = made.recipe_ids[run.choice], made.house_ids[run.choice]
            wanted = made.machine_ids[run.choice]
    machine = store.rows.get(session, Machine, wanted)
    busy = next((one for one in store.day.running(session) if one.machine_id == wanted), None)
    if busy is not None:
        raise MeanBeadError(
            f"{busy.name} is still on {machine.name}.",
            field="machine_id",
            remedy="Take it off first: say what came of it.",
        )
    column = column_of(session, item, recipe_id, house_id)
    way = way_of(session, item, column, machine, sizes[plate - 1], like=own)
    if way.wrong:
        raise MeanBeadError(way.wrong, field="recipe_id")
    return Prepared(item, plate, way, way.estimate)


def estimated(session: Session, engine: Engine, prepared: Prepared) -> Estimate:
    """The estimate of a run that is about to be started, computed and kept where it was not known."""
    known = store.estimates.find_estimate(session, prepared.way.digest)
    if known is not None:
        return known
    made = compute_way(session, engine, prepared.item, prepared.way)
    of_column = prepared.way.recipe_id if prepared.way.itself else None
    store.estimates.save_estimate(session, prepared.way.digest, of_column, made)
    return made


def begin(session: Session, prepared: Prepared, estimate: Estimate, *, key: str, who: str) -> RunRow:
    """Start a planned run: its log entry is made, and its machine holds the nozzle and the spool that it is printed with."""
    item, way = prepared.item, prepared.way
    column = column_of(session, item, way.recipe_id, way.house_id)
    if way.house_id is not None:
        column = _taken_from_house(session, column, way.house_id)
    printed = column_as(session, column, way.machine_id, way.count if item.plate_id is None else 1, way.material_id)
    if printed is not column:
        # It stands on no sheet; the run keeps all that it held.
        session.add(printed)
        session.flush()
        store.rows.delete(session, printed)
    machine = store.rows.get(session, Machine, way.machine_id)
    spool = _spool(session, machine, way, estimate)
    fit(session, machine, column, spool)
    run = add_run(
        session,
        printed,
        with_interval(session, printed, estimate),
        key=key,
        who=who,
        started_at=local_now(),
        spool_id=None if spool is None else spool.id,
    )
    run.queue_id, run.queue_plate, run.recipe_id = item.id, prepared.plate, column.id
    if item.plate_id is None:
        run.copies = way.count
    if item.pins.get(str(prepared.plate)) is not None:
        item.pins = {plate: pin for plate, pin in item.pins.items() if plate != str(prepared.plate)}
    session.flush()
    return run


def _taken_from_house(session: Session, thought_of: RecipeRow, house_id: int) -> RecipeRow:
    """A house recipe that the plan has picked, as a column of the part's sheet."""
    house = store.rows.get(session, HouseRecipe, house_id)
    column = store.recipes.add_recipe(
        session,
        thought_of.part,
        name=house.name,
        machine_id=house.machine_id,
        nozzle_id=house.nozzle_id,
        material_id=house.material_id,
        choices=Recipe.model_validate(house.choices),
    )
    store.recipes.link_to_house(session, column, house)
    session.refresh(column)
    return column


def _spool(session: Session, machine: Machine, way: Way, estimate: Estimate) -> SpoolRow | None:
    """The spool that it is printed from: the machine's where that is of the plastic and holds enough, else the one with the least
    that is enough, else the fullest."""
    rows = [row for row in store.rows.all_rows(session, SpoolRow) if row.material_id == way.material_id]
    elsewhere = {
        row.spool_id
        for row in store.rows.all_rows(session, Machine)
        if row.id != machine.id and row.spool_id is not None
    }
    own = next((row for row in rows if row.id == machine.spool_id), None)
    if own is not None and own.left_g >= estimate.filament_g:
        return own
    free = [row for row in rows if row.id not in elsewhere]
    enough = [row for row in free if row.left_g >= estimate.filament_g]
    if enough:
        return min(enough, key=lambda row: row.left_g)
    return own or max(free, key=lambda row: row.left_g, default=None)


def fit(session: Session, machine: Machine, column: RecipeRow, spool: SpoolRow | None) -> None:
    """Have a machine hold the nozzle and the spool that something is printed with."""
    fitted = None if machine.nozzle_id is None else session.get(NozzleRow, machine.nozzle_id)
    bore = None if fitted is None else fitted.nozzle.get("bore_mm", 0.4)
    if fitted is None or abs(float(bore or 0) - float(column.nozzle.nozzle.get("bore_mm", 0.4))) > 1e-6:
        machine.nozzle_id = column.nozzle_id
        machine.fitted_on, machine.hours_run = local_now().date(), 0.0
    if spool is not None and machine.spool_id != spool.id:
        for other in store.rows.all_rows(session, Machine):
            if other.spool_id == spool.id:
                other.spool_id = None  # a spool is held by one machine
        machine.spool_id = spool.id
    session.flush()
