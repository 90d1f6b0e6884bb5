"""What of a workshop bears on a recipe: when someone is there, how often prints fail, what the spool still holds."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field, model_validator

from meanbead.core.model.base import Model, NonNegative
from meanbead.core.model.day import GOALS, Goal

__all__ = ["Attendance", "DayRules", "Shop", "Tariff"]

Hour = Annotated[float, Field(ge=0, le=24)]


class Attendance(Model):
    """Hours in which someone is there to start and to take off: from ``from_h`` to ``to_h`` on ``days`` (0 is Monday).

    ``turnaround_min`` is what taking off, cleaning and starting the next takes.
    """

    from_h: Hour = 8
    to_h: Hour = 22
    days: Annotated[tuple[Annotated[int, Field(ge=0, le=6)], ...], Field(min_length=1, max_length=7)] = tuple(range(7))
    turnaround_min: Annotated[float, Field(ge=0, le=240)] = 10

    @model_validator(mode="after")
    def _forward(self) -> Attendance:
        if self.to_h <= self.from_h:
            raise ValueError("to_h has to be later than from_h")
        return self


class Tariff(Model):
    """From ``from_h`` to ``to_h`` o'clock a kilowatt-hour costs ``price``."""

    from_h: Hour
    to_h: Hour
    price: NonNegative

    @model_validator(mode="after")
    def _forward(self) -> Tariff:
        if self.to_h <= self.from_h:
            raise ValueError("to_h has to be later than from_h")
        return self


class DayRules(Model):
    """How the house plans its days: what matters more, minutes for a change of nozzle and of spool (taking a plate off is
    ``Attendance.turnaround_min``), how many spools its dryer takes, what a fresh spool holds, how many days ahead, and hours with
    a price of their own."""

    order: Annotated[tuple[Goal, ...], Field(max_length=5)] = GOALS
    nozzle_min: Annotated[float, Field(ge=0, le=1440)] = 15
    spool_min: Annotated[float, Field(ge=0, le=1440)] = 5
    dryer_spools: Annotated[int, Field(ge=1, le=50)] = 1
    spool_full_g: Annotated[float, Field(gt=0, le=50_000)] = 1000
    days: Annotated[int, Field(ge=1, le=14)] = 7
    tariffs: Annotated[tuple[Tariff, ...], Field(max_length=12)] = ()

    @model_validator(mode="after")
    def _once(self) -> DayRules:
        if len(set(self.order)) != len(self.order):
            raise ValueError("order: a goal is there twice")
        return self


class Shop(Model):
    """``fault_rate_per_h`` is how many prints fail per printed hour, typical until the workshop's own log says better;
    ``fault_rate_says`` is what it rests on then.

    ``spool_left_g`` is what is left on the spool of the plastic in use, named ``spool_name``, and ``spool_dry`` whether it
    is dry, with the reason in ``spool_says``; None where nobody has said. Money is in ``currency`` (ISO 4217), and
    electricity costs ``price_per_kwh``. Plans stay
    below what a hot end melts by the share ``flow_margin``. ``now_h`` is the hour of the week (0 is Monday, 0:00) at which it would be started.
    """

    attended: Attendance = Attendance()
    fault_rate_per_h: NonNegative = 0.01
    fault_rate_says: str = ""
    long_print_h: Annotated[float, Field(gt=0, le=500)] = 8
    spool_left_g: NonNegative | None = None
    spool_name: str = ""
    spool_dry: bool | None = None
    spool_says: str = ""
    currency: Annotated[str, Field(pattern="^[A-Z]{3}$")] = "EUR"
    price_per_kwh: NonNegative = 0.3
    flow_margin: Annotated[float, Field(ge=0, le=0.5)] = 0.1
    now_h: Annotated[float, Field(ge=0, lt=168)] | None = None
