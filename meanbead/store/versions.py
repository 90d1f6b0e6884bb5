"""Versions of recipes: a history of what each has held, since when, and by whom."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import suppress

from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from meanbead.store.rows import NotFound, get
from meanbead.store.tables import (
    HouseRecipe,
    Machine,
    MaterialRow,
    NozzleRow,
    RecipeRow,
    RecipeVersion,
    VersionedRow,
    now,
)


def record_version(session: Session, row: RecipeRow | HouseRecipe, who: str = "") -> None:
    """Keep what a recipe holds now under its version; a version that is kept already stays as it is."""
    session.flush()
    session.refresh(row, ["machine", "nozzle", "material"])
    content = {
        "name": row.name,
        "machine": row.machine.name,
        "nozzle": row.nozzle.name,
        "material": row.material.name,
        "machine_id": row.machine_id,
        "nozzle_id": row.nozzle_id,
        "material_id": row.material_id,
        "choices": row.choices,
    }
    session.execute(
        insert(RecipeVersion)
        .values(kind=row.__tablename__, row_id=row.id, version=row.version, at=now(), who=who, content=content)
        .on_conflict_do_nothing()
    )


def restore_version(session: Session, row: RecipeRow | HouseRecipe, version: int) -> None:
    """Have a recipe hold again what it held at a version; a machine, nozzle or material that has gone stays as it is.

    Raises :class:`NotFound`.
    """
    kept = session.scalars(
        select(RecipeVersion).where(
            RecipeVersion.kind == row.__tablename__,
            RecipeVersion.row_id == row.id,
            RecipeVersion.version == version,
        )
    ).one_or_none()
    if kept is None:
        raise NotFound(f"There is no version {version} of it.")
    tables: dict[str, type[VersionedRow]] = {"machine": Machine, "nozzle": NozzleRow, "material": MaterialRow}
    with session.no_autoflush:  # all of it is one change, and so one version
        row.choices = kept.content["choices"]
        for name, table in tables.items():
            with suppress(NotFound):
                setattr(row, name, get(session, table, kept.content[f"{name}_id"]))


def versions_of(session: Session, table: type[RecipeRow] | type[HouseRecipe], row_id: int) -> Sequence[RecipeVersion]:
    """Versions of a recipe, the newest first."""
    return session.scalars(
        select(RecipeVersion)
        .where(RecipeVersion.kind == table.__tablename__, RecipeVersion.row_id == row_id)
        .order_by(RecipeVersion.version.desc())
    ).all()
