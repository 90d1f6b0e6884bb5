"""Following a print by what its machine says now and then: what state it is in, and when nobody can tell.

A machine may vanish from the line and come back, be restarted, or end while nobody listens. A print counts as done only where that
was heard, or where clock and place leave no other reading; whatever else may have happened is ``unknown``, and a person looks.
"""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from meanbead.core.gcode.inspect import TrackPoint
from meanbead.core.log.live import Seen, track_at
from meanbead.core.model.base import Model

__all__ = ["ACTIVE", "Followed", "Heard", "PrintState", "follow"]

PrintState = Literal[
    "sending", "sent", "starting", "printing", "paused", "done", "unknown", "stopped", "failed", "handed", "left"
]
"""``handed``: started by hand, and not followed. ``left``: sent, and never started."""

ACTIVE: tuple[PrintState, ...] = ("starting", "printing", "paused")

_CLOCK_BACK_S = 5.0
_NEAR_END, _MOST_OF_IT = 0.97, 0.9
_MOST_LOOKS = 160


class Heard(Model):
    """What a machine said at one look; see :class:`~meanbead.devices.machine_console.Status`."""

    printing: bool | None = None
    byte: int | None = None
    clock_s: float | None = None
    nozzle_c: float | None = None
    nozzle_target_c: float | None = None
    bed_c: float | None = None
    bed_target_c: float | None = None
    restarted: bool = False
    done: bool = False


class Followed(Model):
    """What is known of a print. ``clock_before_s`` is the machine's clock as it stood before the start; ``began_clock_s`` its
    clock when printing began, after heating, None until that was seen; ``real_s`` the printing time once it has ended, and
    ``real_means`` what that counts. ``looks`` are thinned as they grow. ``hottest_c`` are the highest targets seen, nozzle and
    bed."""

    clock_before_s: float | None = None
    began_clock_s: float | None = None
    clock_s: float = 0.0
    byte: int = 0
    nozzle_c: float | None = None
    nozzle_target_c: float | None = None
    bed_c: float | None = None
    bed_target_c: float | None = None
    hottest_c: tuple[float, float] = (0.0, 0.0)
    looks: Annotated[tuple[Seen, ...], Field(max_length=_MOST_LOOKS)] = ()
    paused_byte: int | None = None
    real_s: float | None = None
    real_means: Literal["printing", "with_heating"] = "with_heating"
    says: str = ""


def follow(
    state: PrintState, known: Followed, heard: Heard, track: list[TrackPoint], end_s: float = 0.0
) -> tuple[PrintState, Followed]:
    """The state after a look, and what is known then. ``end_s`` is what the file's own end takes, which is no printing."""
    known = _taken(known, heard, track)
    if state not in ACTIVE:
        return state, known
    back = heard.clock_s is not None and state != "starting" and heard.clock_s < known.clock_s - _CLOCK_BACK_S
    if back and heard.printing:
        return "unknown", known.model_copy(
            update={"says": "The machine prints something else now. What became of this print has to be seen at it."}
        )
    if (heard.restarted or back) and not heard.printing:
        return _restarted(state, known)
    if heard.printing:
        known = _followed_on(known, heard, track)
        if state != "paused":
            return "printing", known
        if known.paused_byte is None:
            # What it still read until it stood.
            return "paused", known.model_copy(update={"paused_byte": heard.byte})
        if heard.byte is not None and heard.byte > known.paused_byte:
            return "printing", known.model_copy(update={"paused_byte": None})  # somebody went on at the machine
        return "paused", known
    if heard.done:
        return _ended(known, heard, track, end_s)
    if heard.printing is None or state == "paused":
        return (
            state,
            known,
        )  # of a garbled answer nothing follows, and some machines say of a pause that they do not print
    return _not_printing(state, known, heard, track, end_s)


def _restarted(state: PrintState, known: Followed) -> tuple[PrintState, Followed]:
    if state == "starting":
        return "sent", known.model_copy(
            update={"says": "The machine was restarted before it began; nothing was started."}
        )
    return "unknown", known.model_copy(
        update={"says": "The machine was restarted in the middle. What became of the print has to be seen at it."}
    )


def _not_printing(
    state: PrintState, known: Followed, heard: Heard, track: list[TrackPoint], end_s: float
) -> tuple[PrintState, Followed]:
    """It does not print, and nobody heard it end."""
    clock = heard.clock_s
    whole = track[-1].time_s if track else 0.0
    if state == "starting":
        # Its clock as before, or at nothing: the word to start never arrived.
        if clock is None or clock == known.clock_before_s or clock < 1:
            return "sent", known.model_copy(update={"says": "The machine did not start it."})
        if clock >= _MOST_OF_IT * whole:
            return _ended(known, heard, track, end_s)
    elif clock is not None:
        done, _, _, _ = track_at(track, known.byte) if track else (0.0, [], 0.0, 0)
        ran = clock - (known.began_clock_s or 0.0)
        # Near its end when it was last seen, or at it so long that nothing else is left.
        if clock >= known.clock_s and (done >= _NEAR_END * whole or ran >= _MOST_OF_IT * whole):
            return _ended(known, heard, track, end_s)
    return "unknown", known.model_copy(
        update={"says": "The machine has stopped printing before its end. Look at it, and say what came of it."}
    )


def _followed_on(known: Followed, heard: Heard, track: list[TrackPoint]) -> Followed:
    update: dict[str, object] = {}
    byte = known.byte if heard.byte is None else heard.byte
    clock = known.clock_s if heard.clock_s is None else heard.clock_s
    began = known.began_clock_s
    if began is None and track and byte > track[0].byte:
        planned, _, _, _ = track_at(track, byte)
        if planned > 0:
            # Seconds since it began are few, so that they may count as planned.
            began = max(0.0, clock - planned)
            update["began_clock_s"] = began
    if began is not None and heard.byte is not None and heard.clock_s is not None:
        seen = Seen(byte=byte, printing_s=max(0.0, clock - began))
        if not known.looks or seen.byte > known.looks[-1].byte:
            update["looks"] = _thinned((*known.looks, seen))
    return known.model_copy(update=update | {"byte": byte, "clock_s": clock, "says": ""})


def _thinned(looks: tuple[Seen, ...]) -> tuple[Seen, ...]:
    """Every second one of the older ones goes when they become many."""
    if len(looks) <= _MOST_LOOKS:
        return looks
    return (*looks[: len(looks) // 2 : 2], *looks[len(looks) // 2 :])


def _ended(known: Followed, heard: Heard, track: list[TrackPoint], end_s: float) -> tuple[PrintState, Followed]:
    clock = heard.clock_s if heard.clock_s is not None and heard.clock_s >= known.clock_s else None
    real, means = None, known.real_means
    if clock is not None:
        real, means = clock, "with_heating"
        if known.began_clock_s is not None and clock - known.began_clock_s - end_s > 0:
            real, means = clock - known.began_clock_s - end_s, "printing"
    return "done", known.model_copy(
        update={
            "real_s": real,
            "real_means": means,
            "clock_s": clock if clock is not None else known.clock_s,
            "byte": track[-1].byte if track else known.byte,
            "says": "",
        }
    )


def _taken(known: Followed, heard: Heard, track: list[TrackPoint]) -> Followed:
    """Temperatures as they are now, and the hottest that were asked for."""
    hottest = (
        max(known.hottest_c[0], heard.nozzle_target_c or 0.0),
        max(known.hottest_c[1], heard.bed_target_c or 0.0),
    )
    held = {
        name: value
        for name in ("nozzle_c", "nozzle_target_c", "bed_c", "bed_target_c")
        if (value := getattr(heard, name)) is not None
    }
    return known.model_copy(update=held | {"hottest_c": hottest})
