"""In which state the workshop is: tells, in one cheap question, whether what was read before still stands.

Every row that people edit counts its versions, and rows are marked deleted but never taken out: numbers, versions and last
changes together tell every state from every other. What is made of a state may be kept and given again as long as it is.
"""

from __future__ import annotations

from sqlalchemy import TextClause, text
from sqlalchemy.orm import Session

from meanbead.store.tables import (
    FlowTestRow,
    Generation,
    House,
    HouseRecipe,
    JournalRow,
    Machine,
    MaterialRow,
    NozzleRow,
    Part,
    Purpose,
    RecipeRow,
    RunRow,
    SpoolRow,
    VersionedRow,
)

__all__ = ["STATE_TABLES", "workshop_state"]

_AROUND: tuple[type[VersionedRow], ...] = (
    House,
    HouseRecipe,
    Machine,
    NozzleRow,
    MaterialRow,
    SpoolRow,
    Purpose,
    FlowTestRow,
    RunRow,
    JournalRow,
)

STATE_TABLES = frozenset(table.__tablename__ for table in (*_AROUND, Part, RecipeRow))  # type: ignore[attr-defined]
"""Tables whose rows a state tells apart. An answer that is kept may be made of these and of estimates, of nothing else."""


def _asked(of_part: bool) -> TextClause:
    """The question as text: put together once, not at every request."""
    where: dict[type[VersionedRow], str] = {Part: "id = :part", RecipeRow: "part_id = :part"} if of_part else {}
    states = [
        f"(select row(count(*), sum(version), max(updated_at))::text from {table.__tablename__}"  # type: ignore[attr-defined]
        f"{f' where {where[table]}' if table in where else ''})"
        for table in (*_AROUND, Part, RecipeRow)
    ]
    added = f"(select count from {Generation.__tablename__} where name = 'estimates')"
    # After a restore, rows of another past may bear the same numbers.
    states.append(f"(select count::text from {Generation.__tablename__} where name = 'restores')")
    return text(f"select concat_ws(' ', {', '.join(states)}) as state, {added} as added")


_OF_ALL, _OF_PART = _asked(False), _asked(True)


def workshop_state(session: Session, part_id: int | None = None) -> tuple[str, int]:
    """The state of all that people edit, or of one part, its columns and what stands around them; and how many times
    estimates were added so far."""
    asked = session.execute(_OF_ALL) if part_id is None else session.execute(_OF_PART, {"part": part_id})
    row = asked.one()
    return str(row.state), int(row.added or 0)
