"""Flow tests: their strands, and what they have shown of a machine."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy import func, select
from sqlalchemy.orm import Session, lazyload

from meanbead.core.model.material import Material
from meanbead.core.model.measured import MeasuredMelt
from meanbead.store.tables import FlowPointRow, FlowTestRow, MaterialRow

__all__ = ["UsedTest", "find_point", "measured_of", "points_of", "strands", "used_tests"]


@dataclass(frozen=True)
class UsedTest:
    """What a test that is in use has shown, of which plastic; ``state`` tells it from any other state of test and plastic."""

    machine_id: int
    plastic: str
    measured: MeasuredMelt
    state: tuple[object, ...]


def used_tests(session: Session, machine_id: int | None = None) -> list[UsedTest]:
    """Tests that estimates rest on, of one machine or of all, in the order of their making."""
    asked = (
        select(FlowTestRow, MaterialRow)
        .join(MaterialRow, MaterialRow.id == FlowTestRow.material_id)
        .where(FlowTestRow.measured.is_not(None), FlowTestRow.retired_on.is_(None), FlowTestRow.deleted_at.is_(None))
        .order_by(FlowTestRow.id)
        .options(lazyload("*"))
    )
    if machine_id is not None:
        asked = asked.where(FlowTestRow.machine_id == machine_id)
    found = []
    for test, row in session.execute(asked):
        material = Material.model_validate(row.material)
        # The row is the plastic: renaming it, or its colour, does not make it another one.
        named = (test.measured or {}) | {"material": material.name, "colour": material.colour}
        state = (test.id, test.version, test.updated_at, row.id, row.version, row.updated_at)
        found.append(UsedTest(test.machine_id, material.name, MeasuredMelt.model_validate(named), state))
    return found


def measured_of(session: Session, machine_id: int, plastic: str) -> tuple[MeasuredMelt, ...]:
    """What tests that are in use have shown of a machine's hot end with a plastic, in any colour and nozzle."""
    return tuple(test.measured for test in used_tests(session, machine_id) if test.plastic == plastic)


def points_of(session: Session, test_id: int) -> Sequence[FlowPointRow]:
    """Strands of a test, in the order in which they were entered."""
    return session.scalars(
        select(FlowPointRow)
        .where(FlowPointRow.test_id == test_id, FlowPointRow.deleted_at.is_(None))
        .order_by(FlowPointRow.id)
    ).all()


def find_point(session: Session, test_id: int, key: str) -> FlowPointRow | None:
    """The strand that was stored under a key, deleted or not."""
    return session.scalars(
        select(FlowPointRow).where(FlowPointRow.test_id == test_id, FlowPointRow.key == key)
    ).one_or_none()


def strands(session: Session) -> dict[int, int]:
    """How many strands each test has."""
    counted = session.execute(
        select(FlowPointRow.test_id, func.count(FlowPointRow.id))
        .where(FlowPointRow.deleted_at.is_(None))
        .group_by(FlowPointRow.test_id)
    )
    return {row[0]: row[1] for row in counted}
