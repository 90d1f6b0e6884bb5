"""Flow tests: their strands, and what they have shown of a machine."""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from meanbead.core.model.material import Material
from meanbead.core.model.measured import MeasuredMelt
from meanbead.store.tables import FlowPointRow, FlowTestRow, MaterialRow

__all__ = ["find_point", "measured_of", "points_of", "strands"]


def measured_of(session: Session, machine_id: int, plastic: str) -> tuple[MeasuredMelt, ...]:
    """What tests that are in use have shown of a machine's hot end with a plastic, in any colour and nozzle."""
    rows = session.execute(
        select(FlowTestRow.measured, MaterialRow.material)
        .join(MaterialRow, MaterialRow.id == FlowTestRow.material_id)
        .where(
            FlowTestRow.machine_id == machine_id,
            FlowTestRow.measured.is_not(None),
            FlowTestRow.retired_on.is_(None),
            FlowTestRow.deleted_at.is_(None),
        )
        .order_by(FlowTestRow.id)
    )
    # The row is the plastic: renaming it, or its colour, does not make it another one.
    named = ((measured, Material.model_validate(material)) for measured, material in rows)
    return tuple(
        MeasuredMelt.model_validate(measured | {"material": material.name, "colour": material.colour})
        for measured, material in named
        if material.name == plastic
    )


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
