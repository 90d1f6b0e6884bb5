"""What recipes choose from: machines, nozzles, materials, spools and purposes; their order, where figures come from, and
which columns they decide."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, TypeVar

from sqlalchemy import and_, func, select
from sqlalchemy.orm import Session

from meanbead.core.model import Nozzle, Spool
from meanbead.core.model.base import Provenance
from meanbead.core.model.house import HouseRules
from meanbead.store.house import house_of
from meanbead.store.rows import NotFound, all_rows
from meanbead.store.tables import (
    ON_SHEETS,
    Machine,
    MaterialRow,
    NozzleRow,
    Part,
    Purpose,
    RecipeRow,
    ShelfRow,
    SpoolRow,
)

__all__ = [
    "Used",
    "changed_paths",
    "first_of_each",
    "last_position",
    "marked",
    "move_before",
    "nozzles_to_start_with",
    "purpose_of",
    "purpose_uses",
    "removed_in_use",
    "spool_of",
    "uses",
]

Row = TypeVar("Row", bound=ShelfRow)


@dataclass(frozen=True)
class Used:
    """How many columns, on how many parts, a row decides."""

    columns: int = 0
    parts: int = 0


def first_of_each(session: Session) -> tuple[Machine, NozzleRow, MaterialRow]:
    """What a new recipe starts with: the first machine, the everyday nozzle, and the material that the machine holds, else
    the first. Raises :class:`NotFound` in a workshop without machine, nozzle or material."""
    machines, nozzles = all_rows(session, Machine), all_rows(session, NozzleRow)
    materials = all_rows(session, MaterialRow)
    if not (machines and nozzles and materials):
        raise NotFound("The workshop has no machine, nozzle or material yet.")
    machine = machines[0]
    material = _loaded(session, machine) or materials[0]
    return machine, nozzles_to_start_with(session, machine, material)[0], material


def _loaded(session: Session, machine: Machine) -> MaterialRow | None:
    spool = None if machine.spool_id is None else session.get(SpoolRow, machine.spool_id)
    if spool is None or spool.deleted_at is not None or spool.material.deleted_at is not None:
        return None
    return spool.material


def nozzles_to_start_with(session: Session, machine: Machine, material: MaterialRow) -> Sequence[NozzleRow]:
    """Nozzles by the house's school, the one to begin with first, and the one to compare it with after it.

    Of 0.4 and of 0.6 mm it is the nearest; with one machine for each, what this machine holds; coarse then fine begins with
    the widest. Nozzles that the plastic would wear out or block come last.
    """
    rows = list(all_rows(session, NozzleRow))
    if not rows:
        return []
    plastic = material.material
    made = {row.id: Nozzle.model_validate(row.nozzle) for row in rows}

    def unfit(row: NozzleRow) -> bool:
        nozzle = made[row.id]
        blocked = nozzle.bore_mm < plastic.get("min_bore_mm", 0.0) - 1e-9
        return blocked or (bool(plastic.get("abrasive")) and not nozzle.hard)

    school = HouseRules.model_validate(house_of(session).rules).everyday_nozzle
    if school == "coarse_then_fine":
        usable = sorted((row for row in rows if not unfit(row)), key=lambda row: -made[row.id].bore_mm) or rows
        return usable
    if school == "one_each" and machine.nozzle_id is not None:
        fitted = next((row for row in rows if row.id == machine.nozzle_id), None)
        if fitted is not None:
            rows.remove(fitted)
            return [fitted, *_larger_first(rows, made, made[fitted.id].bore_mm)]
    wanted = 0.6 if school == "0.6" else 0.4
    usual = min(rows, key=lambda row: (unfit(row), abs(made[row.id].bore_mm - wanted)))
    rows.remove(usual)
    return [usual, *_larger_first([row for row in rows if not unfit(row)], made, made[usual.id].bore_mm)]


def _larger_first(rows: list[NozzleRow], made: Mapping[int, Nozzle], bore_mm: float) -> list[NozzleRow]:
    """The next larger ones, then the smaller."""
    return sorted(rows, key=lambda row: (made[row.id].bore_mm <= bore_mm, abs(made[row.id].bore_mm - bore_mm)))


def spool_of(row: SpoolRow) -> Spool:
    """A spool's row as the core knows it."""
    return Spool.model_validate({name: getattr(row, name) for name in Spool.model_fields})


def last_position(session: Session, table: type[ShelfRow]) -> float:
    """A place after all others."""
    last = session.scalar(select(func.max(table.position)))
    return 1.0 if last is None else float(last) + 1.0


def move_before(session: Session, row: Row, before_id: int | None) -> None:
    """Put a row in front of another one, or at the end. Raises :class:`NotFound`."""
    table = type(row)
    others = [other for other in all_rows(session, table) if other.id != row.id]
    if before_id is None:
        row.position = (others[-1].position if others else 0.0) + 1.0
    else:
        at = next((index for index, other in enumerate(others) if other.id == before_id), None)
        if at is None:
            raise NotFound(f"There is no row {before_id} to put it in front of.")
        previous = others[at - 1].position if at else others[at].position - 2.0
        row.position = (previous + others[at].position) / 2
    session.flush()


def changed_paths(before: Mapping[str, Any], after: Mapping[str, Any], path: str = "") -> set[str]:
    """Dotted names of the figures that differ between two descriptions; what is listed counts as one."""
    found: set[str] = set()
    for key in {*before, *after}:
        old, new = before.get(key), after.get(key)
        if isinstance(old, dict) or isinstance(new, dict):
            found |= changed_paths(old or {}, new or {}, f"{path}{key}.")
        elif old != new:
            found.add(path + key)
    return found


def marked(sources: Mapping[str, Any], paths: set[str], source: Provenance) -> dict[str, Any]:
    """Where figures come from, with some marked; *typical* takes a mark away."""
    kept = {path: told for path, told in sources.items() if path not in paths}
    return kept if source == "typical" else kept | dict.fromkeys(sorted(paths), source)


_COLUMN_OF: dict[type[ShelfRow], str] = {
    Machine: "machine_id",
    NozzleRow: "nozzle_id",
    MaterialRow: "material_id",
    SpoolRow: "spool_id",
}


def uses(session: Session, table: type[ShelfRow]) -> dict[int, Used]:
    """Which columns of parts that are there are decided by which rows of a table, by row."""
    column = getattr(RecipeRow, _COLUMN_OF[table])
    counted = session.execute(
        select(column, func.count(RecipeRow.id), func.count(func.distinct(RecipeRow.part_id)))
        .join(Part, Part.id == RecipeRow.part_id)
        .where(*ON_SHEETS, Part.deleted_at.is_(None), column.is_not(None))
        .group_by(column)
    )
    return {row_id: Used(columns, parts) for row_id, columns, parts in counted}


def purpose_uses(session: Session) -> dict[int, Used]:
    """How many columns of how many parts have which purpose."""
    counted = session.execute(
        select(Part.purpose_id, func.count(RecipeRow.id), func.count(func.distinct(Part.id)))
        .outerjoin(RecipeRow, (RecipeRow.part_id == Part.id) & and_(*ON_SHEETS))
        .where(Part.deleted_at.is_(None), Part.purpose_id.is_not(None))
        .group_by(Part.purpose_id)
    )
    return {row_id: Used(columns, parts) for row_id, columns, parts in counted if row_id is not None}


def removed_in_use(session: Session, table: type[Row], used: Mapping[int, Used]) -> list[Row]:
    """Rows that were taken off the shelf and that columns, machines or spools still go by."""
    ids = set(used) | _held(session, table)
    if not ids:
        return []
    return list(session.scalars(select(table).where(table.deleted_at.is_not(None), table.id.in_(ids))))


def _held(session: Session, table: type[ShelfRow]) -> set[int]:
    """Rows that other rows of the shelf name: what machines hold, what spools are of."""
    named: dict[type[ShelfRow], Any] = {
        NozzleRow: Machine.nozzle_id,
        SpoolRow: Machine.spool_id,
        MaterialRow: SpoolRow.material_id,
    }
    column = named.get(table)
    if column is None:
        return set()
    holder: type[ShelfRow] = SpoolRow if table is MaterialRow else Machine
    return set(session.scalars(select(column).where(holder.deleted_at.is_(None), column.is_not(None))))


def purpose_of(session: Session, part: Part) -> Purpose | None:
    """What a part is for; None where nobody said. One that was taken off the shelf holds on for its parts."""
    return None if part.purpose_id is None else session.get(Purpose, part.purpose_id)
