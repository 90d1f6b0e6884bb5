"""What stands around all columns, read once for many of them: the house, purposes, and what flow tests have shown."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from functools import cached_property

from sqlalchemy import select
from sqlalchemy.orm import Session

from meanbead.core.model import Limits, Standards
from meanbead.core.model.house import HouseRules
from meanbead.core.model.measured import MeasuredMelt
from meanbead.core.model.shop import Shop
from meanbead.store.flow_tests import UsedTest, used_tests
from meanbead.store.house import house_of
from meanbead.store.tables import House, Part, Purpose, VersionedRow

__all__ = ["Around", "State", "around", "state_of"]

State = tuple[int, int, datetime | None]
"""A row's number, version and last change: what it holds is the same as long as these are."""


def state_of(row: VersionedRow) -> State:
    """Tells one state of a row from every other."""
    return row.id, row.version, row.updated_at


@dataclass(frozen=True)
class Around:
    """The house's row, purposes by number, and flow tests in use by machine."""

    house: House
    purposes: Mapping[int, Purpose]
    tests: Mapping[int, tuple[UsedTest, ...]]

    @cached_property
    def shop(self) -> Shop:
        """The house's money and margins."""
        return Shop.model_validate(self.house.shop)

    @cached_property
    def _rules(self) -> HouseRules:
        return HouseRules.model_validate(self.house.rules)

    def standards(self, part: Part | None) -> Standards:
        """What fills in a part's recipes where they leave something open."""
        purpose = None if part is None else self.purposes.get(part.purpose_id or 0)
        limits = Limits() if purpose is None else Limits.model_validate(purpose.limits)
        return Standards(house=self._rules, limits=limits)

    def measured(self, machine_id: int, plastic: str) -> tuple[MeasuredMelt, ...]:
        """What tests have shown of a machine's hot end with a plastic, in any colour and nozzle."""
        return tuple(test.measured for test in self.tests.get(machine_id, ()) if test.plastic == plastic)

    def state(self, part: Part | None, machine_id: int) -> tuple[object, ...]:
        """Tells one state of what stands around a part's columns on a machine from every other."""
        purpose = None if part is None else self.purposes.get(part.purpose_id or 0)
        tests = tuple(test.state for test in self.tests.get(machine_id, ()))
        return state_of(self.house), None if purpose is None else state_of(purpose), tests


def around(session: Session) -> Around:
    """What stands around columns now, in three queries."""
    tests: dict[int, list[UsedTest]] = defaultdict(list)
    for test in used_tests(session):
        tests[test.machine_id].append(test)
    purposes = session.scalars(select(Purpose)).all()  # one that was taken off the shelf holds on for its parts
    return Around(
        house_of(session),
        {purpose.id: purpose for purpose in purposes},
        {machine: tuple(found) for machine, found in tests.items()},
    )
