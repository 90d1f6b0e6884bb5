"""The queue: what is to be printed, how much of it is done, and ways to print it on the machines that may."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from sqlalchemy.orm import Session

from meanbead import store
from meanbead.core.advise.limits import plan_breaches
from meanbead.core.advise.measures import plan_measures
from meanbead.core.errors import MeanBeadError, RecipeError
from meanbead.core.estimate.engine import Engine, PrintJob, prepare
from meanbead.core.estimate.sample import SAMPLE_LAYERS
from meanbead.core.model import Estimate, Recipe
from meanbead.core.plates.estimate import estimate_plate
from meanbead.services import plates
from meanbead.services.advice import load_advice
from meanbead.services.calibrations import with_interval
from meanbead.services.digests import inputs_digest, trial
from meanbead.services.estimates import computation, full_estimate
from meanbead.store.around import Around, around
from meanbead.store.day import Done
from meanbead.store.tables import HouseRecipe, Machine, MaterialRow, NozzleRow, PlateRow, QueueItem, RecipeRow, RunRow

__all__ = [
    "MOST_PLATES",
    "Way",
    "add_again",
    "column_as",
    "column_of",
    "compute_way",
    "material_name",
    "nozzles_by_bore",
    "of_house",
    "plates_of",
    "progress_of",
    "way_of",
    "ways_of",
]

MOST_PLATES = 400
"""An item of the queue may take so many plates."""


@dataclass(frozen=True)
class Way:
    """One way to print an item's plate: by which column, on which machine, so many at once, with which plastic. ``digest``
    identifies its estimate, ``estimate`` is that, with the interval of its machine's log; None until it is computed. ``wrong``
    says why it cannot be printed so. ``recipe_id`` is None where it is the house's recipe ``house_id``; ``itself`` where it is the
    column just as it stands."""

    recipe_id: int | None
    house_id: int | None
    machine_id: int
    count: int
    material_id: int
    bore_mm: float
    temp_c: float
    name: str
    digest: str
    estimate: Estimate | None
    itself: bool
    wrong: str = ""


@dataclass(frozen=True)
class Progress:
    """How an item stands: plates with their pieces, done and under way, and plates that are still to be printed."""

    done_pieces: int
    running_pieces: int
    scrapped: int
    open_plates: list[int]


def plates_of(item: QueueItem) -> list[int]:
    """How many pieces each plate of an item holds; the last one holds what is left."""
    if item.plate_id is not None:
        return [1] * item.quantity
    full, rest = divmod(item.quantity, item.per_plate)
    return [item.per_plate] * full + ([rest] if rest else [])


def progress_of(item: QueueItem, runs: Iterable[Done]) -> Progress:
    """How an item stands by its runs: a plate counts as printed once a run of it was kept, and is under way while one runs."""
    sizes = plates_of(item)
    of_item = [run for run in runs if run.queue_id == item.id]
    kept = {run.plate for run in of_item if run.state == "kept"}
    under_way = {run.plate for run in of_item if run.state == "running"} - kept
    count = len(sizes)
    return Progress(
        done_pieces=sum(sizes[plate - 1] for plate in kept if 1 <= plate <= count),
        running_pieces=sum(sizes[plate - 1] for plate in under_way if 1 <= plate <= count),
        scrapped=sum(run.state not in ("kept", "running") for run in of_item),
        open_plates=[plate for plate in range(1, count + 1) if plate not in kept and plate not in under_way],
    )


def column_as(session: Session, column: RecipeRow, machine_id: int, count: int, material_id: int) -> RecipeRow:
    """A column as it would be printed on a machine, so many at once, with a plastic: itself where nothing differs, else a row
    in no session, that stands on no sheet."""
    choices = Recipe.model_validate(column.choices)
    same = (column.machine_id, column.material_id) == (machine_id, material_id)
    if same and (choices.copies.count or 1) == count:
        return column
    copies = choices.copies.model_copy(update={"count": count if count > 1 else None})
    machine = column.machine if machine_id == column.machine_id else session.get_one(Machine, machine_id)
    material = column.material if material_id == column.material_id else session.get_one(MaterialRow, material_id)
    return RecipeRow(
        part_id=column.part_id,
        part=column.part,
        name=column.name,
        machine_id=machine_id,
        machine=machine,
        nozzle_id=column.nozzle_id,
        nozzle=column.nozzle,
        material_id=material_id,
        material=material,
        choices=store.recipes.stored_choices(choices.model_copy(update={"copies": copies})),
        position=1e9,
    )


def ways_of(
    session: Session,
    engine: Engine,
    item: QueueItem,
    count: int,
    machines: Sequence[Machine],
    about: Around | None = None,
) -> list[Way]:
    """All ways to print a plate of an item: each column that may, on each machine that may; the item's own column on its own
    machine first."""
    own = store.recipes.get_recipe(session, item.recipe_id)
    about = about or around(session)
    allowed = [machine for machine in machines if not item.machine_ids or machine.id in item.machine_ids]
    if item.plate_id is not None or own.gcode_id is not None:
        # A plate was laid out for its machine's bed, and a file written for its machine.
        allowed = [machine for machine in allowed if machine.id == own.machine_id]
    allowed = sorted(allowed, key=lambda machine: machine.id != own.machine_id)
    columns = [own]
    if item.may_pick and item.plate_id is None and own.gcode_id is None:
        columns += _others(session, engine, own, about)
    return [way_of(session, item, column, machine, count, about, like=own) for column in columns for machine in allowed]


def _others(session: Session, engine: Engine, own: RecipeRow, about: Around) -> list[RecipeRow]:
    """What the plan may take instead of a column: the part's other columns, and the house's recipes, of the same plastic, that
    hold the limits of what the part is for, as far as is known before a stroke is planned."""
    sheet = [row for row in store.recipes.recipes_of(session, own.part_id) if row.id != own.id and row.gcode_id is None]
    taken = {row.house_id for row in (own, *sheet)}
    houses = [house for house in store.rows.all_rows(session, HouseRecipe) if house.id not in taken]
    rows = [*sheet, *(of_house(own, house) for house in houses)]
    rows = [row for row in rows if row.material_id == own.material_id]
    if not rows:
        return []
    surroundings = load_advice(session, own)
    context = surroundings.context(engine)
    found = []
    for row in rows:
        job = PrintJob(surroundings.job.solid, *store.recipes.recipe_inputs(row, about))
        try:
            if not plan_breaches(surroundings.limits, plan_measures(prepare(job), context)):
                found.append(row)
        except RecipeError:
            continue  # it contradicts itself
    return found


def of_house(column: RecipeRow, house: HouseRecipe) -> RecipeRow:
    """A house recipe as a column of a column's part, in no session."""
    return RecipeRow(
        part_id=column.part_id,
        part=column.part,
        name=house.name,
        machine_id=house.machine_id,
        machine=house.machine,
        nozzle_id=house.nozzle_id,
        nozzle=house.nozzle,
        material_id=house.material_id,
        material=house.material,
        choices=house.choices,
        house_id=house.id,
        position=1e9,
    )


def column_of(session: Session, item: QueueItem, way_recipe_id: int | None, house_id: int | None) -> RecipeRow:
    """The column that a way prints by: one of the part's sheet, or a house recipe as one."""
    if way_recipe_id is not None:
        return store.recipes.get_recipe(session, way_recipe_id)
    own = store.recipes.get_recipe(session, item.recipe_id)
    return of_house(own, store.rows.get(session, HouseRecipe, house_id or 0))


def way_of(
    session: Session,
    item: QueueItem,
    column: RecipeRow,
    machine: Machine,
    count: int,
    about: Around | None = None,
    *,
    like: RecipeRow | None = None,
) -> Way:
    """One way to print a plate of an item, with its estimate where that is known. ``about`` is what stands around columns, where
    that was read already; ``like`` a stored column of the part, where this one is not stored."""
    material_id = item.material_id or column.material_id
    bore = float(column.nozzle.nozzle.get("bore_mm", 0.4))
    as_printed = column_as(session, column, machine.id, count, material_id)
    temp, wrong = 0.0, ""
    if item.plate_id is not None:
        plate = store.rows.get(session, PlateRow, item.plate_id, deleted=True)
        digest = plates.plate_digest(session, plates.load_plate(session, plate))
    elif column.gcode_id is not None:
        digest = inputs_digest(column, column.part.digest)
    else:
        about = about or around(session)
        found = trial(session, as_printed, like or column, column.part.digest, about)
        temp, wrong, digest = found.nozzle_temp_c, found.wrong, found.digest
    known = store.estimates.find_estimate(session, digest) if digest else None
    estimate = None if known is None else with_interval(session, as_printed, known)
    itself = as_printed is column and column.id is not None
    house_id = column.house_id if column.id is None else None
    return Way(
        recipe_id=column.id,
        house_id=house_id,
        machine_id=machine.id,
        count=count,
        material_id=material_id,
        bore_mm=bore,
        temp_c=temp,
        name=column.name,
        digest=digest,
        estimate=estimate,
        itself=itself,
        wrong=wrong,
    )


def compute_way(session: Session, engine: Engine, item: QueueItem, way: Way) -> Estimate:
    """Estimate a way: in full where it is the item's own column on its own machine, else on a sample of layers."""
    if item.plate_id is not None:
        loaded = plates.load_plate(session, store.rows.get(session, PlateRow, item.plate_id, deleted=True))
        return estimate_plate(engine, loaded.job, loaded.solids, loaded.placed, loaded.head).estimate
    column = column_of(session, item, way.recipe_id, way.house_id)
    if column.gcode_id is not None:
        return computation(session, column, engine)()
    as_printed = column_as(session, column, way.machine_id, way.count, way.material_id)
    job = PrintJob(
        store.parts.load_solid(session, column.part_id), *store.recipes.recipe_inputs(as_printed, around(session))
    )
    # Findings are of no use here, but a full estimate is the column's own and is kept as such.
    return full_estimate(engine, job, None if way.itself else SAMPLE_LAYERS)


def add_again(session: Session, run: RunRow, key: str) -> QueueItem:
    """Queue a run once more: the same column, as many as it gave. Raises :class:`MeanBeadError` where its column is gone."""
    known = store.day.find_queued(session, key)
    if known is not None:
        return known
    column = None if run.recipe_id is None else session.get(RecipeRow, run.recipe_id)
    if column is None or column.deleted_at is not None:
        raise MeanBeadError(
            "The recipe of this run is gone.", field="run_id", remedy="Queue the part with another of its recipes."
        )
    first = None if run.queue_id is None else session.get(QueueItem, run.queue_id)
    item = QueueItem(
        key=key,
        name=run.name[:120],
        recipe_id=column.id,
        plate_id=None if first is None else first.plate_id,
        quantity=run.copies * run.plates if first is None or first.plate_id is None else 1,
        per_plate=run.copies,
        due_at=None if first is None else first.due_at,
        priority=0 if first is None else first.priority,
        machine_ids=[],
        again_of_id=run.id,
    )
    session.add(item)
    session.flush()
    return item


def nozzles_by_bore(session: Session) -> dict[float, NozzleRow]:
    """The first nozzle of each bore on the shelf."""
    found: dict[float, NozzleRow] = {}
    for row in store.rows.all_rows(session, NozzleRow):
        found.setdefault(float(row.nozzle.get("bore_mm", 0.4)), row)
    return found


def material_name(session: Session, material_id: int) -> str:
    """A material's name as plans know it."""
    row = session.get(MaterialRow, material_id)
    return "" if row is None else row.name[:80]
