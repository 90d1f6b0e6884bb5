"""The true time of a run, and what it took off the spool and put on machine and nozzle."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from meanbead.core.model.base import Result
from meanbead.core.model.estimate import Estimate
from meanbead.core.model.run import RunEntry

__all__ = ["RealTime", "Used", "real_time", "share_done", "used"]


class RealTime(Result):
    """How long a plate really printed, heating and start left out; ``says`` how that was found."""

    print_s: float
    says: str


class Used(Result):
    """What a run used in all: filament, g, ``by`` whether it was weighed or predicted, and hours of the machine."""

    grams: float
    by: Literal["weighed", "predicted"]
    hours: float


def real_time(entry: RunEntry, predicted: Estimate | None, started_at: datetime) -> RealTime | None:
    """The printing time of one plate, s, comparable to ``print_time_s``; None where it was not measured or not finished.

    A panel that counts the heating gives it after what heating, start and end text are predicted to take
    (``whole_time_s - print_time_s``); without a prediction it cannot be told. So do the stamps of start and end.
    """
    if entry.state == "stopped":
        return None
    around = None if predicted is None else predicted.whole_time_s - predicted.print_time_s
    if entry.time_s is not None:
        if entry.time_means == "printing":
            return RealTime(print_s=entry.time_s, says="from the panel")
        return _without(entry.time_s, around, "from the panel")
    if entry.ended_at is not None and entry.ended_at > started_at:
        return _without((entry.ended_at - started_at).total_seconds(), around, "from start to end")
    return None


def _without(whole_s: float, around_s: float | None, what: str) -> RealTime | None:
    if around_s is None or whole_s <= around_s:
        return None
    return RealTime(print_s=whole_s - around_s, says=f"{what}, less {around_s / 60:.0f} min of heating and start")


def share_done(entry: RunEntry, predicted: Estimate | None) -> float:
    """How far a plate came, 0 to 1: by its layer, else by its minutes; a stopped run of which nobody said counts half."""
    if entry.state != "stopped":
        return 1.0
    if predicted is not None and entry.stopped_layer is not None:
        return min(1.0, entry.stopped_layer / max(predicted.layers, 1))
    if predicted is not None and entry.stopped_min is not None:
        return min(1.0, entry.stopped_min * 60 / max(predicted.print_time_s, 1e-9))
    return 0.5


def used(entry: RunEntry, predicted: Estimate | None, plates: int, real: RealTime | None) -> Used:
    """What all plates of a run used. Grams are those weighed, else the predicted ones up to where it came; hours are the
    real ones with what heating and start are predicted to take, else the predicted."""
    share = share_done(entry, predicted)
    around_s = 0.0 if predicted is None else predicted.whole_time_s - predicted.print_time_s
    print_s = real.print_s if real is not None else _minutes(entry, predicted, share)
    hours = plates * (print_s + around_s) / 3600 if print_s > 0 else 0.0
    if entry.weight_g is not None:
        return Used(grams=plates * entry.weight_g, by="weighed", hours=hours)
    return Used(grams=0.0 if predicted is None else plates * share * predicted.filament_g, by="predicted", hours=hours)


def _minutes(entry: RunEntry, predicted: Estimate | None, share: float) -> float:
    if entry.state == "stopped" and entry.stopped_min is not None:
        return entry.stopped_min * 60
    if entry.time_s is not None and predicted is None:
        return entry.time_s
    return 0.0 if predicted is None else share * predicted.print_time_s
