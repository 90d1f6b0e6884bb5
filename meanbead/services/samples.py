"""The sample workshop as a whole: which rows are its own, taking all of them away, and bringing them back."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from sqlalchemy import ColumnElement, select
from sqlalchemy.orm import Session

from meanbead import store
from meanbead.core.errors import MeanBeadError
from meanbead.store.tables import (
    ExperimentRow,
    FlowTestRow,
    HouseRecipe,
    Machine,
    MaterialRow,
    NozzleRow,
    Part,
    QueueItem,
    RecipeRow,
    RunRow,
    SpoolRow,
    VersionedRow,
    now,
)

__all__ = ["Samples", "keep_rows", "remove", "restore", "samples_of", "shelf_rows"]

_OWN: tuple[type[VersionedRow], ...] = (Part, Machine, NozzleRow, MaterialRow, SpoolRow, HouseRecipe)
"""Tables whose sample rows are known by number; what belongs to these goes with them."""

_ALL: tuple[type[VersionedRow], ...] = (*_OWN, RunRow, QueueItem, ExperimentRow, FlowTestRow)


@dataclass(frozen=True)
class Samples:
    """Whether the sample workshop is here, whether it was removed, and how many parts are the workshop's own."""

    present: bool
    removed: bool
    own_parts: int


def shelf_rows(session: Session) -> dict[str, set[int]]:
    """The numbers of all rows that samples may add to, by table."""
    return {_name(table): set(session.scalars(select(table.id))) for table in _OWN}


def keep_rows(session: Session, before: Mapping[str, set[int]]) -> None:
    """Keep which rows have come since, as the sample workshop's own."""
    session.flush()
    added = {name: sorted(numbers - before[name]) for name, numbers in shelf_rows(session).items()}
    store.house.house_of(session).samples = {"rows": added}


def samples_of(session: Session) -> Samples:
    """How it stands with the sample workshop."""
    kept = store.house.house_of(session).samples
    sample = set(kept.get("rows", {}).get(Part.__tablename__, []))
    live = set(session.scalars(select(Part.id).where(Part.deleted_at.is_(None))))
    return Samples(bool(kept.get("rows")) and "removed" not in kept, "removed" in kept, len(live - sample))


def remove(session: Session) -> None:
    """Take the sample workshop away, all at once; what one's own parts are printed with stays.

    Raises :class:`MeanBeadError` where there is none. What is taken is kept by number, so that :func:`restore` brings back just
    that.
    """
    house = store.house.house_of(session)
    rows: dict[str, list[int]] = house.samples.get("rows", {})
    if not rows or "removed" in house.samples:
        raise MeanBeadError("There is no sample workshop here.", field="samples")
    parts = rows[Part.__tablename__]
    used = _used_by_own(session, parts)
    taken: dict[str, list[int]] = {}
    for table in _OWN:
        numbers = [number for number in rows[_name(table)] if number not in used.get(table, set())]
        taken[_name(table)] = _live(session, table, table.id.in_(numbers))
    machines = taken[Machine.__tablename__]
    taken[RunRow.__tablename__] = _live(session, RunRow, RunRow.part_id.in_(parts))
    columns = select(RecipeRow.id).where(RecipeRow.part_id.in_(parts))
    taken[QueueItem.__tablename__] = _live(session, QueueItem, QueueItem.recipe_id.in_(columns))
    taken[ExperimentRow.__tablename__] = _live(session, ExperimentRow, ExperimentRow.part_id.in_(parts))
    taken[FlowTestRow.__tablename__] = _live(session, FlowTestRow, FlowTestRow.machine_id.in_(machines))
    _mark(session, taken, deleted=True)
    house.samples = {"rows": rows, "removed": taken}
    session.flush()


def restore(session: Session) -> None:
    """Bring back what was removed together. Raises :class:`MeanBeadError` where nothing was."""
    house = store.house.house_of(session)
    if "removed" not in house.samples:
        raise MeanBeadError("The sample workshop was not removed.", field="samples")
    _mark(session, house.samples["removed"], deleted=False)
    house.samples = {"rows": house.samples["rows"]}
    session.flush()


def _used_by_own(session: Session, sample_parts: Sequence[int]) -> dict[type[VersionedRow], set[int]]:
    """What columns of one's own parts are printed with."""
    own = (
        select(RecipeRow)
        .join(Part, Part.id == RecipeRow.part_id)
        .where(Part.deleted_at.is_(None), RecipeRow.deleted_at.is_(None), Part.id.not_in(sample_parts))
    )
    used: dict[type[VersionedRow], set[int]] = {Machine: set(), NozzleRow: set(), MaterialRow: set(), SpoolRow: set()}
    for column in session.scalars(own):
        used[Machine].add(column.machine_id)
        used[NozzleRow].add(column.nozzle_id)
        used[MaterialRow].add(column.material_id)
        if column.spool_id is not None:
            used[SpoolRow].add(column.spool_id)
    return used


def _name(table: type[VersionedRow]) -> str:
    name: str = table.__tablename__  # type: ignore[attr-defined]
    return name


def _live(session: Session, table: type[VersionedRow], which: ColumnElement[bool]) -> list[int]:
    return sorted(session.scalars(select(table.id).where(which, table.deleted_at.is_(None))))


def _mark(session: Session, taken: Mapping[str, Sequence[int]], *, deleted: bool) -> None:
    for table in _ALL:
        for number in taken.get(_name(table), ()):
            row = session.get(table, number)
            if row is not None:
                row.deleted_at = now() if deleted else None
    session.flush()
