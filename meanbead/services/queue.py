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
from meanbead.core.recipe.resolve import resolve
from meanbead.services import plates
from meanbead.services.advice import load_advice
from meanbead.services.calibrations import with_interval
from meanbead.services.digests import inputs_digest
from meanbead.services.estimates import computation, full_estimate
from meanbead.store.day import Done
from meanbead.store.tables import Machine, MaterialRow, NozzleRow, Part, PlateRow, QueueItem, RecipeRow, RunRow

__all__ = [
    "MOST_PLATES",
    "Way",
    "add_again",
    "column_as",
    "compute_way",
    "material_name",
    "nozzles_by_bore",
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
    says why it cannot be printed so."""

    recipe_id: int
    machine_id: int
    count: int
    material_id: int
    bore_mm: float
    temp_c: float
    name: str
    digest: str
    estimate: Estimate | None
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
    that stands on no sheet. To be used inside a nested transaction that is undone, or marked deleted."""
    choices = Recipe.model_validate(column.choices)
    same = (column.machine_id, column.material_id) == (machine_id, material_id)
    if same and (choices.copies.count or 1) == count:
        return column
    copies = choices.copies.model_copy(update={"count": count if count > 1 else None})
    variant = RecipeRow(
        part_id=column.part_id,
        name=column.name,
        machine_id=machine_id,
        nozzle_id=column.nozzle_id,
        material_id=material_id,
        choices=store.recipes.stored_choices(choices.model_copy(update={"copies": copies})),
        position=1e9,
    )
    session.add(variant)
    session.flush()
    session.refresh(variant)
    return variant


def ways_of(session: Session, engine: Engine, item: QueueItem, count: int, machines: Sequence[Machine]) -> list[Way]:
    """All ways to print a plate of an item: each column that may, on each machine that may; the item's own column on its own
    machine first."""
    own = store.recipes.get_recipe(session, item.recipe_id)
    columns = [own]
    if item.may_pick and item.plate_id is None:
        columns += [
            column
            for column in store.recipes.recipes_of(session, own.part_id)
            if column.id != own.id and column.gcode_id is None and column.material_id == own.material_id
        ]
    allowed = [machine for machine in machines if not item.machine_ids or machine.id in item.machine_ids]
    if item.plate_id is not None or own.gcode_id is not None:
        # A plate was laid out for its machine's bed, and a file written for its machine.
        allowed = [machine for machine in allowed if machine.id == own.machine_id]
    allowed = sorted(allowed, key=lambda machine: machine.id != own.machine_id)
    found = []
    for column in columns:
        if column.id != own.id and not _holds(session, engine, column):
            continue
        found += [way_of(session, item, column, machine, count) for machine in allowed]
    return found


def _holds(session: Session, engine: Engine, column: RecipeRow) -> bool:
    """Whether a column holds the limits of what its part is for, as far as is known before a stroke is planned; one that
    contradicts itself does not."""
    surroundings = load_advice(session, column)
    try:
        prepared = prepare(surroundings.job)
        return not plan_breaches(surroundings.limits, plan_measures(prepared, surroundings.context(engine)))
    except RecipeError:
        return False


def way_of(session: Session, item: QueueItem, column: RecipeRow, machine: Machine, count: int) -> Way:
    """One way to print a plate of an item, with its estimate where that is known."""
    material_id = item.material_id or column.material_id
    bore = float(column.nozzle.nozzle.get("bore_mm", 0.4))
    temp, wrong, digest, estimate = 0.0, "", "", None
    with session.begin_nested() as trial:
        as_printed = column_as(session, column, machine.id, count, material_id)
        name = column.name
        try:
            if column.gcode_id is None:
                temp = resolve(*store.recipes.recipe_inputs(as_printed)).nozzle_temp_c
            digest = _digest(session, item, as_printed)
            known = store.estimates.find_estimate(session, digest)
            estimate = None if known is None else with_interval(session, as_printed, known)
        except MeanBeadError as problem:
            wrong = str(problem)
        trial.rollback()
    return Way(column.id, machine.id, count, material_id, bore, temp, name, digest, estimate, wrong)


def _digest(session: Session, item: QueueItem, column: RecipeRow) -> str:
    part = store.rows.get(session, Part, column.part_id, deleted=True)
    if item.plate_id is not None:
        return plates.plate_digest(
            session, plates.load_plate(session, store.rows.get(session, PlateRow, item.plate_id, deleted=True))
        )
    return inputs_digest(column, part.digest)


def compute_way(session: Session, engine: Engine, item: QueueItem, way: Way) -> Estimate:
    """Estimate a way: in full where it is the item's own column on its own machine, else on a sample of layers."""
    if item.plate_id is not None:
        loaded = plates.load_plate(session, store.rows.get(session, PlateRow, item.plate_id, deleted=True))
        return estimate_plate(engine, loaded.job, loaded.solids, loaded.placed, loaded.head).estimate
    column = store.recipes.get_recipe(session, way.recipe_id)
    if column.gcode_id is not None:
        return computation(session, column, engine)()
    with session.begin_nested() as trial:
        as_printed = column_as(session, column, way.machine_id, way.count, way.material_id)
        job: PrintJob = PrintJob(
            store.parts.load_solid(session, column.part_id), *store.recipes.recipe_inputs(as_printed)
        )
        itself = as_printed.id == column.id
        trial.rollback()
    # Findings are of no use here, but a full estimate is the column's own and is kept as such.
    return full_estimate(engine, job, None if itself else SAMPLE_LAYERS)


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
