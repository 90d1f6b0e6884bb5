"""Recipes: the columns of a part's sheet, each on a machine, with a nozzle and a material."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from sqlalchemy import func, select, update
from sqlalchemy.dialects.postgresql import distinct_on
from sqlalchemy.orm import Session, joinedload, lazyload, object_session

from meanbead.core.gcode.routine import with_routines
from meanbead.core.model import Limits, Material, Nozzle, Printer, Recipe, Standards
from meanbead.core.model.house import HouseRules
from meanbead.core.model.measured import MeasuredMelt
from meanbead.core.model.printer import HeadBox
from meanbead.core.model.shop import Shop
from meanbead.store.around import Around, around
from meanbead.store.flow_tests import measured_of
from meanbead.store.rows import NotFound
from meanbead.store.shelf import purpose_of
from meanbead.store.tables import (
    ON_SHEETS,
    House,
    HouseRecipe,
    Machine,
    MaterialRow,
    NozzleRow,
    Part,
    RecipeRow,
)


def recipes_of(session: Session, part_id: int) -> Sequence[RecipeRow]:
    """Columns of a part's sheet, left to right."""
    return session.scalars(
        select(RecipeRow)
        .where(RecipeRow.part_id == part_id, *ON_SHEETS)
        .order_by(RecipeRow.position, RecipeRow.id)
        .options(*_WITH_PARTS)
    ).all()


def get_recipe(session: Session, recipe_id: int) -> RecipeRow:
    """One recipe with its machine, nozzle and material."""
    row = session.scalars(
        select(RecipeRow).where(RecipeRow.id == recipe_id, RecipeRow.deleted_at.is_(None)).options(*_WITH_PARTS)
    ).one_or_none()
    if row is None:
        raise NotFound(f"There is no recipe {recipe_id}.")
    return row


_WITH_PARTS = (
    joinedload(RecipeRow.machine),
    joinedload(RecipeRow.nozzle),
    joinedload(RecipeRow.material),
)


def add_recipe(
    session: Session,
    part: Part,
    *,
    name: str,
    machine_id: int,
    nozzle_id: int,
    material_id: int,
    choices: Recipe,
    gcode_id: int | None = None,
    after: RecipeRow | None = None,
) -> RecipeRow:
    """A new column, right of ``after`` or at the end."""
    row = RecipeRow(
        part_id=part.id,
        name=name[:120],
        machine_id=machine_id,
        nozzle_id=nozzle_id,
        material_id=material_id,
        choices=stored_choices(choices),
        gcode_id=gcode_id,
        position=_position(session, part.id, after),
    )
    session.add(row)
    session.flush()
    return row


def copy_recipe(
    session: Session, original: RecipeRow, part: Part, *, name: str = "", beside: bool = False
) -> RecipeRow:
    """A column like another one: right of it, or at the end of a part's sheet."""
    row = add_recipe(
        session,
        part,
        name=name or original.name,
        machine_id=original.machine_id,
        nozzle_id=original.nozzle_id,
        material_id=original.material_id,
        choices=Recipe.model_validate(original.choices),
        gcode_id=original.gcode_id,
        after=original if beside else None,
    )
    row.house_id, row.house_version = original.house_id, original.house_version
    row.spool_id = original.spool_id
    session.flush()
    return row


def link_to_house(session: Session, column: RecipeRow, house: HouseRecipe) -> None:
    """Say that a column holds a house recipe as it is now. What the column prints is the same: its version stays."""
    session.execute(
        update(RecipeRow)
        .where(RecipeRow.id == column.id)
        .values(house_id=house.id, house_version=house.version, updated_at=RecipeRow.updated_at)
    )
    session.expire(column, ["house_id", "house_version", "house"])


def columns_of_house(session: Session, house_id: int) -> Sequence[RecipeRow]:
    """Columns that were filled from a house recipe, with their parts."""
    return session.scalars(
        select(RecipeRow)
        .join(Part, Part.id == RecipeRow.part_id)
        .where(RecipeRow.house_id == house_id, RecipeRow.deleted_at.is_(None), Part.deleted_at.is_(None))
        .order_by(RecipeRow.id)
        .options(joinedload(RecipeRow.part))
    ).all()


def _position(session: Session, part_id: int, after: RecipeRow | None) -> float:
    """A place between two neighbours, so that no other row has to move."""
    places = select(RecipeRow.position).where(RecipeRow.part_id == part_id, *ON_SHEETS)
    if after is None:
        last = session.scalar(select(func.max(places.subquery().c.position)))
        return 0.0 if last is None else last + 1.0
    following = session.scalar(places.where(RecipeRow.position > after.position).order_by(RecipeRow.position).limit(1))
    return after.position + 1.0 if following is None else (after.position + following) / 2


def stored_choices(choices: Recipe) -> dict[str, Any]:
    """A recipe as it is stored: only what was chosen. The nozzle is a row of its own."""
    return choices.model_copy(update={"nozzle_diameter_mm": None}).model_dump(exclude_none=True, exclude_defaults=True)


def recipe_inputs(row: RecipeRow, about: Around | None = None) -> tuple[Recipe, Printer, Nozzle, Material, Standards]:
    """What the core needs of a recipe's row, in the session that it belongs to: the house's rules and what the part is for
    among it, and the machine with what its own texts take and what the house pays for electricity. ``about`` is what stands
    around it, where that was read already; with it, a row that is only thought of needs no session."""
    if about is None:
        session = object_session(row)
        if session is None:
            raise RuntimeError("a recipe's inputs are read while its session is open")
        about = around(session)
    material = Material.model_validate(row.material.material)
    return (
        Recipe.model_validate(row.choices),
        _printer(row.machine, about.shop, material, about.measured(row.machine_id, material.name)),
        Nozzle.model_validate(row.nozzle.nozzle),
        material,
        about.standards(row.part),
    )


def standards_of(session: Session, house: House, part: Part | None) -> Standards:
    """What fills in a part's recipes where they leave something open."""
    purpose = None if part is None else purpose_of(session, part)
    limits = Limits() if purpose is None else Limits.model_validate(purpose.limits)
    return Standards(house=HouseRules.model_validate(house.rules), limits=limits)


def printer_of(session: Session, machine: Machine, shop: Shop, material: Material) -> Printer:
    """A machine as the core takes it for a material: with the times of its start and end texts, the house's price of
    electricity and margin under the melt limit, and what flow tests have shown of it with this plastic."""
    return _printer(machine, shop, material, measured_of(session, machine.id, material.name))


def _printer(machine: Machine, shop: Shop, material: Material, measured: tuple[MeasuredMelt, ...]) -> Printer:
    printer = with_routines(Printer.model_validate(machine.printer))
    return printer.model_copy(
        update={
            "price_per_kwh": shop.price_per_kwh,
            "flow_margin": shop.flow_margin,
            "head": HeadBox.model_validate(machine.head),
            "measured_melts": (*printer.measured_melts, *measured),
        }
    )


def chosen_columns(session: Session, parts: Sequence[Part]) -> dict[int, RecipeRow]:
    """The column of each part that is *the* one, by the part's number: the chosen one, else the first; in one query."""
    chosen = [part.chosen_id for part in parts if part.chosen_id is not None]
    rows = session.scalars(
        select(RecipeRow)
        .where(RecipeRow.part_id.in_([part.id for part in parts]), *ON_SHEETS)
        .ext(distinct_on(RecipeRow.part_id))
        .order_by(
            RecipeRow.part_id,
            RecipeRow.id.in_(chosen).desc() if chosen else RecipeRow.part_id,
            RecipeRow.position,
            RecipeRow.id,
        )
        .options(lazyload(RecipeRow.spool), lazyload(RecipeRow.house), lazyload(RecipeRow.part))
    ).all()
    # A shelf is short: what all of them are printed with is read whole, and found by number without a query a column.
    for table in (Machine, NozzleRow, MaterialRow):
        session.scalars(select(table)).all()
    return {row.part_id: row for row in rows}


def chosen_column(part: Part, columns: Sequence[RecipeRow]) -> RecipeRow | None:
    """The column that is *the* one: the chosen one, else the first; None where there is none."""
    return next((row for row in columns if row.id == part.chosen_id), columns[0] if columns else None)
