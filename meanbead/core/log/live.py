"""A print under way held against its plan: how far it is, when it will end, and if it falls behind, by what.

The machine says how far it has read its file, and for how long it has printed; the file's track says what was planned until
there. Real seconds over planned ones settle as the print goes on.

The model: this print's factor is one number for all of it, known beforehand as well as the estimate's interval says, and each
stretch scatters about it by :data:`SCATTER` for a tenth of a print (a judgement: prints of one machine differ by a percent or
two in all). Both are normal, so the posterior is in closed form: with ``p`` of the print done, precision ``1/s0^2 + p/(0.1
SCATTER^2)``; what is left has that uncertainty and its own scatter, ``0.1 SCATTER^2/(1-p)``. Validity: prints that nobody stops
or slows by hand; a stop is told apart.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from meanbead.core.errors import MeanBeadError
from meanbead.core.estimate.interval import Z_90
from meanbead.core.estimate.ledger import CAUSES
from meanbead.core.gcode.inspect import TrackPoint
from meanbead.core.model.base import Result

__all__ = ["Behind", "Progress", "Seen", "ahead_of", "behind_by", "predicted_end", "track_at"]

SCATTER = 0.03
FROM_SHARE = 0.1
"""From this share of a print on, its own pace counts."""

_LEAST_SHARE, _LEAST_OFF = 0.15, 0.03
_CLEARLY = 0.6
"""One cause fits better than the next where it leaves less than this share of what the next leaves."""

Floats = NDArray[np.float64]

Fits = Literal["cause", "all", "stop", "unclear"]

_SAYS = {
    "at_set_speed": "at set speed: the machine runs slower than it is told, as with a speed turned down on the panel",
    "melt_ceiling": "where the melt ceiling holds it back",
    "ramps": "in speeding up and slowing down: its accelerations are lower than described",
    "corners": "in corners: it takes them slower than described",
    "layer_cooling": "in waiting for layers to cool",
    "travelling": "in travels: their speed or acceleration is lower than described",
    "retracting": "in pulling filament back",
    "z_and_layer_change": "in lifts and layer changes: its Z axis is slower than described",
}


class Seen(Result):
    """One look at a machine: how far it has read, and for how long it has printed, s, without heating."""

    byte: int
    printing_s: float


class Progress(Result):
    """How far a print is. ``planned_s`` of ``whole_s`` were planned until here, and ``real_s`` passed; ``left_s`` are expected to
    pass yet, with 90 % between ``low_s`` and ``high_s``; ``ratio`` is real over planned as far as it is known."""

    share: float
    planned_s: float
    whole_s: float
    real_s: float
    left_s: float
    low_s: float
    high_s: float
    ratio: float
    layer: int
    layers: int
    height_mm: float
    by: Literal["plan", "both"]


class Behind(Result):
    """Why a print is behind, or ahead: what ``fits`` best, of which cause (empty for the others), and in words."""

    fits: Fits
    cause: str
    factor: float
    says: str


def track_at(track: Sequence[TrackPoint], byte: int) -> tuple[float, list[float], float, int]:
    """What was planned until a byte: seconds, the same by cause, height and layer; between points in proportion. Raises
    :class:`MeanBeadError` for a track of nothing."""
    if not track:
        raise MeanBeadError("Nothing is known of this file's course.", field="file")
    bytes_ = [point.byte for point in track]
    place = int(np.searchsorted(bytes_, byte, side="right"))
    if place == 0:
        return 0.0, [0.0] * len(CAUSES), 0.0, 0
    if place == len(track):
        last = track[-1]
        return last.time_s, last.by_cause_s, last.height_mm, last.layer
    low, high = track[place - 1], track[place]
    share = (byte - low.byte) / max(1, high.byte - low.byte)
    causes = [a + share * (b - a) for a, b in zip(low.by_cause_s, high.by_cause_s, strict=True)]
    return low.time_s + share * (high.time_s - low.time_s), causes, high.height_mm, high.layer


def predicted_end(
    planned_s: float, whole_s: float, real_s: float, expected: float, low: float, high: float
) -> tuple[float, float, float, float]:
    """What is left, s, with the ends of its 90 % interval, and the factor as it is known now. ``expected``, ``low`` and ``high``
    are what the whole print was thought to take beforehand, over the plan: 1.05, 0.9, 1.2."""
    share = min(1.0, planned_s / max(whole_s, 1e-9))
    before_sd = max(0.002, (high - low) / (2 * Z_90))
    factor, variance = expected, before_sd**2
    if share >= FROM_SHARE:
        precision = share / (0.1 * SCATTER**2)
        whole_precision = 1 / before_sd**2 + precision
        factor = (expected / before_sd**2 + precision * real_s / max(planned_s, 1e-9)) / whole_precision
        variance = 1 / whole_precision
    rest = max(0.0, whole_s - planned_s)
    sd = math.sqrt(variance + 0.1 * SCATTER**2 / max(1 - share, 1e-3)) if rest else 0.0
    if share < FROM_SHARE:
        sd = before_sd  # the interval beforehand has the scatter in it
    return rest * factor, rest * max(0.0, factor - Z_90 * sd), rest * (factor + Z_90 * sd), factor


def ahead_of(
    track: Sequence[TrackPoint], seen: Seen, expected: float = 1.0, low: float = 0.85, high: float = 1.2
) -> Progress:
    """How far a print is by the last look at it."""
    planned, _, height, layer = track_at(track, seen.byte)
    whole = track[-1].time_s
    left, least, most, ratio = predicted_end(planned, whole, seen.printing_s, expected, low, high)
    share = planned / max(whole, 1e-9)
    return Progress(
        share=min(1.0, share),
        planned_s=planned,
        whole_s=whole,
        real_s=seen.printing_s,
        left_s=left,
        low_s=least,
        high_s=most,
        ratio=ratio,
        layer=layer,
        layers=track[-1].layer,
        height_mm=height,
        by="both" if share >= FROM_SHARE else "plan",
    )


def behind_by(track: Sequence[TrackPoint], looks: Sequence[Seen]) -> Behind | None:
    """Which cause fits a print that runs off its plan; None where it does not, or too little of it is done.

    Each candidate (one cause times a factor, all of it times a factor, one stop somewhere) is fitted by least squares to what
    each stretch took more or less than planned; the one that leaves least is named, if it leaves clearly less than the next.
    """
    if len(looks) < 6 or not track:
        return None
    told = [track_at(track, look.byte) for look in looks]
    planned = np.array([one[0] for one in told])
    real = np.array([look.printing_s for look in looks])
    # Of a machine that reads ahead several looks may be of one place.
    fresh = np.concatenate([[True], np.diff(planned) > 1e-6])
    planned, real = planned[fresh], real[fresh]
    if len(planned) < 6 or planned[-1] < _LEAST_SHARE * track[-1].time_s:
        return None
    by_cause = np.array([one[1] for one in told])[fresh]
    causes, steps = np.diff(by_cause, axis=0), np.diff(real) - np.diff(planned)
    off = float(steps.sum()) / max(float(planned[-1] - planned[0]), 1e-9)
    if abs(off) < _LEAST_OFF:
        return None
    return _best(causes, np.diff(planned), steps, off)


def _best(causes: Floats, whole: Floats, steps: Floats, off: float) -> Behind:
    fits: list[tuple[float, Fits, str, float]] = []
    for number, cause in enumerate(CAUSES):
        left, factor = _left(causes[:, number], steps)
        # Nothing is sped up below nothing, and a cause of a few seconds explains no hours.
        if -0.9 < factor < 20:
            fits.append((left, "cause", cause, 1 + factor))
    left, factor = _left(whole, steps)
    fits.append((left, "all", "", 1 + factor))
    at = int(np.argmax(steps))
    if off > 0:
        fits.append((float(np.sum(np.delete(steps, at) ** 2)), "stop", "", float(steps[at])))
    fits.sort(key=lambda fit: fit[0])
    best, second = fits[0], fits[1]
    way = "longer" if off > 0 else "shorter"
    much = f"It takes {100 * abs(off):.0f} % {way} than planned"
    if best[0] > _CLEARLY * second[0]:
        names = " or ".join(_name(fit) for fit in fits[:2])
        return Behind(
            fits="unclear", cause="", factor=1 + off, says=f"{much}; {names} would fit, which cannot be told yet."
        )
    if best[1] == "stop":
        return Behind(
            fits="stop", cause="", factor=best[3], says=f"{much}: all of it in one stop of {_minutes(best[3])}."
        )
    if best[1] == "all":
        return Behind(
            fits="all", cause="", factor=best[3], says=f"{much}, evenly: as with a speed that is set on the panel."
        )
    return Behind(
        fits="cause",
        cause=best[2],
        factor=best[3],
        says=f"{much}, most likely {_SAYS[best[2]]} ({best[3]:.2f} times the plan).",
    )


def _left(part: Floats, steps: Floats) -> tuple[float, float]:
    """What a cause leaves unexplained, and the share more of it that fits best."""
    norm = float(part @ part)
    if norm < 1e-9:
        return float(steps @ steps), 0.0
    factor = float(part @ steps) / norm
    rest = steps - factor * part
    return float(rest @ rest), factor


def _name(fit: tuple[float, Fits, str, float]) -> str:
    if fit[1] == "stop":
        return f"one stop of {_minutes(fit[3])}"
    if fit[1] == "all":
        return "everything alike"
    return fit[2].replace("_", " ")


def _minutes(seconds: float) -> str:
    return f"{seconds:.0f} s" if seconds < 90 else f"{seconds / 60:.0f} min"
