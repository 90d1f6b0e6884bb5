"""Runs: what they are started with, what came of them, and what that shows."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from sqlalchemy import update
from sqlalchemy.orm import Session

from meanbead import store
from meanbead.core.errors import MeanBeadError, RecipeError
from meanbead.core.estimate.engine import ENGINE_VERSION
from meanbead.core.faults import Proof, knowledge, proof
from meanbead.core.log import Printed, Saved, differences, real_time, saved, used
from meanbead.core.model import Estimate, Material
from meanbead.core.model.run import Named, RunEntry, Snapshot
from meanbead.core.recipe.resolve import resolve
from meanbead.core.shelf import dryness
from meanbead.services.advice import spool_for
from meanbead.services.bookings import book
from meanbead.store.tables import RecipeRow, RunRow, SpoolRow, plain

__all__ = ["PartRuns", "add_run", "change_entry", "check_faults", "of_parts", "prove", "snapshot_of", "take_away"]


def snapshot_of(
    session: Session, column: RecipeRow, estimate: Estimate, spool: SpoolRow | None, today: date
) -> Snapshot:
    """All that a column is printed with, as it stands now."""
    recipe, printer, nozzle, material, standards = store.recipes.recipe_inputs(column)
    settings: dict[str, Any] = {}
    if column.gcode is None:
        try:
            settings = plain(resolve(recipe, printer, nozzle, material, standards).as_recipe())
        except RecipeError as problem:
            raise MeanBeadError(f"This recipe cannot be printed: {problem}", field="recipe_id") from None
    machine = column.machine
    return Snapshot(
        part=Named(id=column.part_id, name=column.part.name, version=column.part.version),
        part_digest=column.part.digest,
        pose=column.part.pose,
        column=Named(id=column.id, name=column.name, version=column.version),
        machine=Named(
            id=machine.id,
            name=machine.name,
            version=machine.version,
            described=plain(printer),
            state={
                "hours_run": machine.hours_run,
                "fitted_on": None if machine.fitted_on is None else str(machine.fitted_on),
            },
        ),
        nozzle=Named(
            id=column.nozzle_id,
            name=column.nozzle.name,
            version=column.nozzle.version,
            described=plain(nozzle),
            state=dict(column.nozzle.wear),
        ),
        material=Named(
            id=column.material_id, name=column.material.name, version=column.material.version, described=plain(material)
        ),
        spool=None if spool is None else _spool(spool, today),
        choices=recipe.model_dump(mode="json", exclude_none=True, exclude_defaults=True),
        settings=settings,
        standards=plain(standards),
        gcode="" if column.gcode is None else column.gcode.file_name,
        estimate=estimate.model_dump(mode="json"),
        engine_version=ENGINE_VERSION,
    )


def _spool(row: SpoolRow, today: date) -> Named:
    spool = store.shelf.spool_of(row)
    told = dryness(Material.model_validate(row.material.material), spool, today)
    state = {"dryness": told.state, "says": told.sentence}
    return Named(id=row.id, name=row.name, version=row.version, described=plain(spool), state=state)


def add_run(
    session: Session,
    column: RecipeRow,
    estimate: Estimate,
    *,
    key: str,
    who: str,
    started_at: datetime,
    plates: int = 1,
    spool_id: int | None = None,
    follows_id: int | None = None,
    tries_cause: str = "",
) -> RunRow:
    """Start a run from a column. The same key again gives what is stored under it. Raises :class:`MeanBeadError`."""
    store.rows.lock_key(session, key)
    known = store.runs.find_by_key(session, key)
    if known is not None:
        return known
    spool = spool_for(session, column) if spool_id is None else store.rows.get(session, SpoolRow, spool_id)
    if spool is not None and spool.material_id != column.material_id:
        raise MeanBeadError(
            f"{spool.name} is not {column.material.name}.",
            field="spool_id",
            remedy="Choose a spool of the column's material.",
        )
    frozen = snapshot_of(session, column, estimate, spool, started_at.date())
    run = RunRow(
        name=column.part.name,
        key=key,
        part_id=column.part_id,
        recipe_id=column.id,
        machine_id=column.machine_id,
        nozzle_id=column.nozzle_id,
        material_id=column.material_id,
        spool_id=None if spool is None else spool.id,
        follows_id=follows_id,
        tries_cause=tries_cause,
        who=who[:60],
        plates=plates,
        copies=int(_copies(frozen)),
        started_at=started_at,
        snapshot=frozen.model_dump(mode="json"),
        entry=plain(RunEntry()),
        column_name=column.name,
        machine_name=column.machine.name,
        nozzle_name=column.nozzle.name,
        material_name=column.material.name,
        plastic=frozen.plastic().name,
        predicted_s=estimate.print_time_s,
        predicted_g=estimate.filament_g,
    )
    session.add(run)
    session.flush()
    return run


def _copies(frozen: Snapshot) -> int:
    copies: dict[str, Any] = frozen.settings.get("copies") or {}
    return max(1, int(copies.get("count") or 1))


def check_faults(faults: Sequence[str]) -> None:
    """Raises :class:`MeanBeadError` where a fault is none of those that are known."""
    known = knowledge().faults
    for fault in faults:
        if fault not in known:
            raise MeanBeadError(
                f"{fault!r:.50} is no fault that is known.", field="faults", remedy=f"They are: {', '.join(known)}."
            )


def change_entry(session: Session, run: RunRow, entry: RunEntry, *, booked: bool = True) -> None:
    """Store what came of a run: its searched columns, what the shelf shows of it, and what it proves follow."""
    frozen = Snapshot.model_validate(run.snapshot)
    predicted = frozen.prediction()
    real = real_time(entry, predicted, run.started_at)
    run.entry = plain(entry)
    run.state = entry.state
    run.faults = list(entry.faults)
    run.real_s = None if real is None else real.print_s
    ended = entry.state != "running"
    took = used(entry, predicted, run.plates, real)
    run.hours = took.hours if ended else 0.0
    if booked:
        there = ended and run.deleted_at is None
        book(session, run, took if there else None, abrasive=bool(frozen.material.described.get("abrasive")))
    session.flush()
    prove(session, run)
    for follower in store.runs.followers(session, [run.id]):
        prove(session, follower)


def take_away(session: Session, run: RunRow, *, deleted: bool) -> None:
    """Delete a run, or bring it back: what it took off the shelf is booked back, or on again."""
    if deleted:
        store.rows.delete(session, run)
    else:
        store.rows.restore(session, run)
    change_entry(session, run, RunEntry.model_validate(run.entry), booked=not run.key.startswith("csv-"))


def prove(session: Session, run: RunRow) -> None:
    """Write down what a run shows against the one that it follows; without a new version, for nobody has changed it."""
    before = None if run.follows_id is None else store.runs.get_full(session, run.follows_id)
    found = None
    if before is not None and before.deleted_at is None and run.deleted_at is None:
        found = proof_of(session, before, run)
    held = None if found is None else found.model_dump(mode="json")
    if run.proof != held:
        session.execute(update(RunRow).where(RunRow.id == run.id).values(proof=held, updated_at=RunRow.updated_at))
        session.refresh(run, ["proof"])


def proof_of(session: Session, before: RunRow, run: RunRow) -> Proof:
    """What a run shows against the one that it follows."""
    first, second = RunEntry.model_validate(before.entry), RunEntry.model_validate(run.entry)
    changed = differences(
        Snapshot.model_validate(before.snapshot), first, Snapshot.model_validate(run.snapshot), second
    )
    entries = store.journal.between(
        session, before.started_at, run.started_at, machine_id=run.machine_id, spool_id=run.spool_id
    )
    kinds = [entry.kind for entry in entries]
    return proof(knowledge(), first, second, changed, kinds, run.tries_cause)  # type: ignore[arg-type]


@dataclass(frozen=True)
class PartRuns:
    """What a part's kept runs come to: the last one's figures, real over predicted where that is known, and what was saved
    since the first."""

    runs: int
    real_s: float | None
    predicted_s: float | None
    saved: Saved


def of_parts(session: Session, part_ids: Sequence[int]) -> dict[int, PartRuns]:
    """What lists show of parts' kept runs, in one query."""
    found = {}
    for part_id, rows in store.runs.kept_of_parts(session, part_ids).items():
        timed = next((row for row in reversed(rows) if row.real_s is not None), None)
        printed = [
            Printed(row.predicted_s, row.predicted_g, row.copies, row.plates)
            for row in rows
            if row.predicted_s is not None and row.predicted_g is not None
        ]
        found[part_id] = PartRuns(
            runs=len(rows),
            real_s=None if timed is None else timed.real_s,
            predicted_s=None if timed is None else timed.predicted_s,
            saved=saved(printed),
        )
    return found
