"""Which limits of a machine explain its real times best: acceleration, corner value, pull speed.

The engine runs the logged recipes on machines with other limits; strokes are planned once. In between, seconds by factor are
interpolated in logarithms. For each candidate the rest of the model is fitted as ever (:mod:`.fit`), with factors for ramps
and travel held near one, for the limits are to explain them; candidates are weighed by evidence and by a prior that allows
a factor of two either way.

Three ways in which an acceleration can be another than described are told apart, as far as runs can: that of printing is
another; both, of printing and travel, are; or the firmware's own limit of its axes caps whatever is asked for.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from meanbead.core.errors import RecipeError
from meanbead.core.estimate.engine import Engine
from meanbead.core.estimate.factors import FACTORS, OFFSET_MEAN_S, OFFSET_SD_S, by_factor
from meanbead.core.estimate.interval import cause_seconds
from meanbead.core.estimate.job import PrintJob, prepare
from meanbead.core.estimate.sample import SAMPLE_LAYERS
from meanbead.core.learn.calibration.calibration import Ranged
from meanbead.core.learn.calibration.fit import TimedRun, fit_times
from meanbead.core.model import Printer
from meanbead.core.model.base import Result
from meanbead.core.runtime.parallel import ordered_map

__all__ = [
    "LIMITS",
    "InferredLimit",
    "InferredLimits",
    "LimitRun",
    "Way",
    "infer_limits",
    "limit_factors",
    "limits_of",
    "weaker",
]

Floats = NDArray[np.float64]

Way = Literal["print", "all", "cap"]
WAYS: dict[Way, str] = {
    "print": "when it prints",
    "all": "when it prints and travels",
    "cap": "its axes accelerate no harder, whatever is asked for",
}
_WAY_PRIOR: dict[Way, float] = {"print": 0.4, "all": 0.35, "cap": 0.25}

ACCELERATIONS = (0.25, 0.42, 0.6, 0.8, 1.0, 1.4, 2.5)
CORNERS = (0.4, 1.0, 2.5)
PULLS = (0.3, 0.55, 1.0)
"""Shares of the described limits that the engine runs."""

_LAYERS = 12
"""Layers that the engine runs of each print, about: all limits are run on the same ones, so shares of seconds are enough."""

_PRIOR_SD = 0.45
"""Of the logarithm of each: a factor of two either way is as much as a rare one."""
_HELD_SD = 0.02
"""How far ramps and travel may still be off beside the limits that explain them."""
LEAST_RUNS = 4
_TOLD_SPAN = 1.65
"""A limit whose 90 % interval spans more than this factor is not told by the runs."""
_SURER = 0.6
"""By so much more than a 90 % interval reaches an interval has to leave out what is described: about one in two hundred."""
_BETTER = 2.0
"""Logarithm of the evidence ratio from which another limit is offered: about seven to one."""

LIMITS: dict[str, str] = {
    "acceleration": "Acceleration",
    "corner": "Corner value",
    "pull_speed": "Speed of pulls",
}


@dataclass(frozen=True)
class LimitRun:
    """A run with all that it was printed with, and its prediction on the machine as it is described."""

    job: PrintJob
    timed: TimedRun


class InferredLimit(Ranged):
    """A limit as it seems to be, with its 90 % interval, and as it is ``described``; ``told`` where runs say so clearly."""

    name: str
    label: str
    unit: str
    described: float
    told: bool


class InferredLimits(Result):
    """What runs say of a machine's limits. ``way`` is in which way its acceleration seems to differ.

    ``off_before`` and ``off_after`` are by which share its runs typically differ from what is computed with the limits as
    described, and as inferred. ``odds`` is how many times likelier the runs are with the inferred ones (at most a million).
    ``offered`` where that is worth a change, ``change`` what to change of the machine, by dotted keys. ``untold`` names the
    limits that these runs cannot tell.
    """

    runs: int
    way: Way
    way_words: str
    limits: list[InferredLimit]
    off_before: float
    off_after: float
    odds: float
    offered: bool
    says: str
    change: dict[str, float]
    untold: list[str]


_LIMIT_FIELDS = {"kinematics", "max_speed_mm_s", "max_acceleration_mm_s2", "corner", "acceleration_mm_s2"}


def limits_of(printer: Printer) -> str:
    """Tells machines whose limits are described alike from others: a digest of all that times hang on beside the recipe."""
    told = printer.model_dump(mode="json", include=_LIMIT_FIELDS, exclude_none=True)
    told["corner"]["jerk_mm_s"] = printer.corner.jerk.model_dump(mode="json")  # left open it is the typical one
    return hashlib.sha256(json.dumps(told, sort_keys=True).encode()).hexdigest()[:16]


def weaker(printer: Printer, way: Way = "print", acceleration: float = 1.0, corner: float = 1.0) -> Printer:
    """The machine with its limits times these shares; an asked-for acceleration above the axes' own lifts those, too."""
    asked, most = printer.acceleration_mm_s2, printer.max_acceleration_mm_s2
    if acceleration != 1.0:
        if way == "cap":
            cap = acceleration * asked.print
            most = most.model_copy(update={"x": cap, "y": cap})
        else:
            raised = {"print": asked.print * acceleration}
            if way == "all":
                raised["travel"] = asked.travel * acceleration
            asked = asked.model_copy(update=raised)
            if acceleration > 1:
                least = max(raised.values())
                most = most.model_copy(update={"x": max(most.x, least), "y": max(most.y, least)})
    law = printer.corner
    if corner != 1.0:
        jerk = law.jerk
        law = law.model_copy(
            update={
                "jerk_mm_s": jerk.model_copy(update={axis: getattr(jerk, axis) * corner for axis in ("x", "y")}),
                "deviation_mm": None if law.deviation_mm is None else law.deviation_mm * corner,
            }
        )
    return printer.model_copy(update={"acceleration_mm_s2": asked, "max_acceleration_mm_s2": most, "corner": law})


def limit_factors(engine: Engine, job: PrintJob, printer: Printer, layers: int | None = SAMPLE_LAYERS) -> Floats:
    """Seconds by factor, (factors,), of a job on another machine; of a sample of layers, always the same ones."""
    other = PrintJob(job.solid, job.recipe, printer, job.nozzle, job.material, job.standards)
    return by_factor(cause_seconds(engine.sampled(other, layers).estimate.by_cause))


@dataclass(frozen=True)
class _Tables:
    """Natural logarithms of seconds by factor over those as described: ``ways`` by way (accelerations, n, factors),
    ``corners`` and ``pulls`` alike."""

    ways: dict[Way, Floats]
    corners: Floats
    pulls: Floats


def infer_limits(
    engine: Engine,
    runs: Sequence[LimitRun],
    progress: Callable[[float, str], None] = lambda fraction, message: None,
) -> InferredLimits | None:
    """Which limits explain the real times best; None for fewer than :data:`LEAST_RUNS` runs that can be computed.

    All runs have to be of one machine in one state, described alike. ``progress`` may raise to end it.
    """
    from scipy.interpolate import RectBivariateSpline  # a quarter of a second to load

    runs, tables = _tables(engine, runs, progress)
    if len(runs) < LEAST_RUNS:
        return None
    progress(0.9, "weighing")
    described = np.array([run.timed.seconds for run in runs])
    axis = np.log(np.array(ACCELERATIONS))
    corner_axis = np.log(np.array(CORNERS))
    fine = np.linspace(axis[0], axis[-1], 121)
    fine_corner = np.linspace(corner_axis[0], corner_axis[-1], 31)
    prior = -0.5 * ((fine / _PRIOR_SD) ** 2)[:, None] - 0.5 * ((fine_corner / _PRIOR_SD) ** 2)[None, :]
    found: dict[Way, Floats] = {}
    for way in WAYS:
        surface = np.array(
            [
                [_evidence(runs, described * np.exp(mine + at_corner)) for at_corner in tables.corners]
                for mine in tables.ways[way]
            ]
        )
        smooth = RectBivariateSpline(axis, corner_axis, surface, kx=3, ky=2)(fine, fine_corner)
        found[way] = smooth + prior + np.log(_WAY_PRIOR[way])
    top = max(float(surface.max()) for surface in found.values())
    mass = {way: np.exp(surface - top) for way, surface in found.items()}
    whole = sum(float(one.sum()) for one in mass.values())
    way = max(WAYS, key=lambda one: float(mass[one].sum()))
    # As described, whichever way that is; against the mean over all that is thought possible.
    plain = float(np.interp(0.0, fine, found["print"][:, len(fine_corner) // 2])) - top - np.log(_WAY_PRIOR["print"])
    odds = float(np.log(whole / np.exp(prior).sum()) - plain)
    share = mass[way] / mass[way].sum()
    acceleration = _ends(fine, share.sum(axis=1))
    corner = _ends(fine_corner, share.sum(axis=0))
    best = np.array([_at(axis, tables.ways[way], acceleration[0]), _at(corner_axis, tables.corners, corner[0])]).sum(
        axis=0
    )
    explained = described * np.exp(best)
    pull, pulls, slower = _pulls(runs, explained, tables.pulls)
    return _told(runs, way, acceleration, corner, pull, odds, described, explained * np.exp(pulls), slower)


def _tables(
    engine: Engine, runs: Sequence[LimitRun], progress: Callable[[float, str], None]
) -> tuple[list[LimitRun], _Tables]:
    """The engine's answers; equal jobs are asked once. Runs that can no longer be computed are left out."""
    jobs = {_key(run.job): run.job for run in runs}

    def asked(job: PrintJob) -> dict[str, Floats] | None:
        try:
            return _answers(engine, job)
        except RecipeError:
            return None

    known: dict[tuple[object, ...], dict[str, Floats] | None] = {}
    for key, answer in zip(jobs, ordered_map(asked, list(jobs.values())), strict=True):
        known[key] = answer
        progress(0.9 * len(known) / len(jobs), f"{len(known)} of {len(jobs)} different prints")
    kept, answers = [], []
    for run in runs:
        answer = known[_key(run.job)]
        if answer is not None:
            kept.append(run)
            answers.append(answer)
    tables = {name: np.array([answer[name] for answer in answers]) for name in (answers[0] if answers else ())}
    return kept, _Tables(
        {way: np.moveaxis(tables[way], 1, 0) for way in WAYS} if tables else {},
        np.moveaxis(tables["corners"], 1, 0) if tables else np.zeros(0),
        np.moveaxis(tables["pulls"], 1, 0) if tables else np.zeros(0),
    )


def _key(job: PrintJob) -> tuple[object, ...]:
    return (job.solid.digest, job.recipe, job.printer, job.nozzle, job.material, job.standards)


def _answers(engine: Engine, job: PrintJob) -> dict[str, Floats]:
    base = limit_factors(engine, job, job.printer, _LAYERS)

    def over(printers: list[Printer]) -> Floats:
        rows = []
        for printer in printers:
            seconds = base if printer is job.printer else limit_factors(engine, job, printer, _LAYERS)
            rows.append(np.where(base > 1e-6, np.log(np.maximum(seconds, 1e-6) / np.maximum(base, 1e-6)), 0.0))
        return np.array(rows)

    pull_mm_s = prepare(job).plan.retraction_speed_mm_s
    most = job.printer.max_speed_mm_s
    pulled = [
        job.printer
        if share == 1.0
        else job.printer.model_copy(
            update={"max_speed_mm_s": most.model_copy(update={"e": min(most.e, share * pull_mm_s)})}
        )
        for share in PULLS
    ]
    found: dict[str, Floats] = {
        way: over([job.printer if share == 1.0 else weaker(job.printer, way, share) for share in ACCELERATIONS])
        for way in WAYS
    }
    found["corners"] = over([job.printer if share == 1.0 else weaker(job.printer, corner=share) for share in CORNERS])
    found["pulls"] = over(pulled)
    return found


def _held() -> tuple[Floats, Floats]:
    """Means and widths of factors and offset where the limits are to explain ramps and travel."""
    held = ("ramps_and_corners", "travelling")
    # Pulls are to be judged as they are described, without leaning either way.
    even = (*held, "retracting")
    means = np.array([*(1.0 if factor.name in even else factor.mean for factor in FACTORS), OFFSET_MEAN_S])
    widths = np.array([*(_HELD_SD if factor.name in held else factor.sd for factor in FACTORS), OFFSET_SD_S])
    return means, widths


def _timed(runs: Sequence[LimitRun], seconds: Floats) -> list[TimedRun]:
    return [
        TimedRun(row, run.timed.real_s, run.timed.era, run.timed.reading_s)
        for run, row in zip(runs, seconds, strict=True)
    ]


def _evidence(runs: Sequence[LimitRun], seconds: Floats) -> float:
    """Logarithm of how likely the *times* are with these seconds (that of the ratio's, with its Jacobian)."""
    means, widths = _held()
    timed = _timed(runs, seconds)
    return fit_times(timed, means=means, widths=widths)[1] - float(np.log(seconds.sum(axis=1)).sum())


def _at(axis: Floats, table: Floats, place: float) -> Floats:
    from scipy.interpolate import PchipInterpolator

    found: Floats = PchipInterpolator(axis, table, axis=0)(place)
    return found


def _ends(axis: Floats, mass: Floats) -> tuple[float, float, float]:
    share = np.cumsum(mass) / mass.sum()
    middle, low, high = (float(np.interp(at, share, axis)) for at in (0.5, 0.05, 0.95))
    return middle, low, high


def _pulls(runs: Sequence[LimitRun], seconds: Floats, table: Floats) -> tuple[tuple[float, float, float], Floats, bool]:
    """Logarithm of the share of the pull speed that explains the factor on pulls, with its ends; what it makes of the
    seconds; and whether it is told. Pulls depend on nothing else, so their factor is turned into a speed once the rest is settled."""
    place = next(k for k, factor in enumerate(FACTORS) if factor.name == "retracting")
    means, widths = _held()
    posterior = fit_times(_timed(runs, seconds), means=means, widths=widths)[0]
    pulled = seconds[:, place]
    if pulled.sum() <= 0:
        return (0.0, -1.0, 1.0), np.zeros_like(seconds), False
    weight = pulled / pulled.sum()
    curve = np.log(np.array([float(weight @ np.exp(row[:, place])) for row in table]))  # falls with the share
    shares = np.log(np.array(PULLS))

    def share_for(factor: float) -> float:
        wanted = np.log(max(factor, 1e-3))
        if wanted <= 0:  # quicker than described: by as much as the curve falls at its end
            slope = (curve[-1] - curve[-2]) / (shares[-1] - shares[-2])
            return float(wanted / slope) if slope < 0 else 0.0
        return float(np.interp(wanted, curve[::-1], shares[::-1]))

    value, low, high = posterior.factor(place)
    found = (share_for(value), share_for(high), share_for(low))
    # No evidence ratio stands behind pulls, so more than a 90 % interval has to speak for another speed.
    sure = low * (low / max(value, 1e-3)) ** _SURER > 1.0
    told = high / max(low, 1e-3) < _TOLD_SPAN and sure
    change = _at(shares, table, max(min(found[0], 0.0), float(shares[0]))) if told else np.zeros_like(seconds)
    return found, change, told


def _told(
    runs: Sequence[LimitRun],
    way: Way,
    acceleration: tuple[float, float, float],
    corner: tuple[float, float, float],
    pull: tuple[float, float, float],
    odds: float,
    described: Floats,
    explained: Floats,
    slower_pulls: bool,
) -> InferredLimits:
    job = runs[-1].job
    printer, law = job.printer, job.printer.corner
    jerk = law.law == "jerk"
    corner_value = law.jerk.x if jerk else law.deviation_mm or 0.0
    pull_mm_s = prepare(job).plan.retraction_speed_mm_s
    limits = [
        _limit("acceleration", "mm/s²", printer.acceleration_mm_s2.print, acceleration),
        _limit("corner", "mm/s" if jerk else "mm", corner_value, corner),
        _limit("pull_speed", "mm/s", pull_mm_s, pull).model_copy(update={"told": slower_pulls}),
    ]
    by_name = {limit.name: limit for limit in limits}
    change: dict[str, float] = {}
    if by_name["acceleration"].told and odds > _BETTER:
        change |= _accelerations(printer, way, by_name["acceleration"].value)
    if by_name["corner"].told and odds > _BETTER:
        value = by_name["corner"].value
        change |= {"corner.jerk_mm_s.x": value, "corner.jerk_mm_s.y": value} if jerk else {"corner.deviation_mm": value}
    slower = by_name["pull_speed"]
    if slower.told and slower.value < slower.described:
        change["max_speed_mm_s.e"] = slower.value
    real = np.array([run.timed.real_s for run in runs])
    off = [float(np.median(np.abs(real / seconds.sum(axis=1) - 1))) for seconds in (described, explained)]
    offered = bool(change) and off[1] < off[0]
    return InferredLimits(
        runs=len(runs),
        way=way,
        way_words=WAYS[way],
        limits=limits,
        off_before=off[0],
        off_after=off[1],
        odds=float(np.exp(min(max(odds, -14.0), 13.8))),
        offered=offered,
        says=_says(limits, way, off) if offered else _not_offered(limits),
        change=change if offered else {},
        untold=[limit.name for limit in limits if limit.high / max(limit.low, 1e-9) > _TOLD_SPAN],
    )


def _accelerations(printer: Printer, way: Way, value: float) -> dict[str, float]:
    if way == "cap":
        return {"max_acceleration_mm_s2.x": value, "max_acceleration_mm_s2.y": value}
    asked, most = printer.acceleration_mm_s2, printer.max_acceleration_mm_s2
    changed = {"acceleration_mm_s2.print": value}
    if way == "all":
        changed["acceleration_mm_s2.travel"] = asked.travel * value / asked.print
    least = max(changed.values())
    return changed | {f"max_acceleration_mm_s2.{axis}": least for axis in ("x", "y") if getattr(most, axis) < least}


def _limit(name: str, unit: str, described: float, share: tuple[float, float, float]) -> InferredLimit:
    value, low, high = (described * float(np.exp(at)) for at in share)
    narrow = high / max(low, 1e-9) <= _TOLD_SPAN
    return InferredLimit(
        name=name,
        label=LIMITS[name],
        unit=unit,
        described=described,
        value=_round(value),
        low=_round(low),
        high=_round(high),
        told=narrow and not low <= described <= high,
    )


def _round(value: float) -> float:
    """To three digits: more is not known."""
    return float(f"{value:.3g}")


def _says(limits: list[InferredLimit], way: Way, off: list[float]) -> str:
    places = {"acceleration": WAYS[way], "corner": "at corners", "pull_speed": "in its pulls"}
    parts = [
        f"like {limit.value:g} {limit.unit}, not {limit.described:g} ({places[limit.name]})"
        for limit in limits
        if limit.told
    ]
    return (
        f"This machine behaves {' and '.join(parts)}. With that, its runs typically differ by {100 * off[1]:.1f} % "
        f"from what is computed, instead of {100 * off[0]:.1f} %."
    )


def _not_offered(limits: list[InferredLimit]) -> str:
    untold = [limit for limit in limits if limit.high / max(limit.low, 1e-9) > _TOLD_SPAN]
    if not untold:
        return "Its runs fit the limits as they are described."
    names = " and ".join(f"{limit.label.lower()} ({limit.low:g} to {limit.high:g} {limit.unit})" for limit in untold)
    return f"These runs cannot tell its {names}: other limits would explain them as well."
