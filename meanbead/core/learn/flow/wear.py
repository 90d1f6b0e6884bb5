"""When a measurement has to be made again: what nozzle and machine have been through since."""

from __future__ import annotations

from datetime import date

from meanbead.core.model.nozzle import Nozzle

__all__ = ["GRAMS_BETWEEN", "HOURS_BETWEEN", "ask_again"]

HOURS_BETWEEN = 400.0
"""Typical hours of printing after which a hot end is worth testing again: bores widen, linings creep, dirt builds up."""

GRAMS_BETWEEN = {"soft": 250.0, "hard": 5000.0}
"""Typical grams of abrasive plastic after which a bore is another one, by whether its metal is hard."""


def ask_again(
    nozzle: Nozzle, measured_on: date, hours_since: float, abrasive_g_since: float, fitted_on: date | None = None
) -> str:
    """Why a measurement should be made again, in a sentence; empty where it still stands."""
    if fitted_on is not None and fitted_on > measured_on:
        return f"The nozzle was fitted on {fitted_on:%d %b %Y}, after this test: if it is another one, retire the test."
    most_g = GRAMS_BETWEEN["hard" if nozzle.hard else "soft"]
    if abrasive_g_since >= most_g:
        return (
            f"{abrasive_g_since:.0f} g of abrasive plastic have gone through this nozzle since; its bore is likely another one. "
            "Test again."
        )
    if hours_since >= HOURS_BETWEEN:
        return f"{hours_since:.0f} h of printing since: test again."
    return ""
