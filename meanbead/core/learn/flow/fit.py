"""What a flow test says: knee, limits of the strand, the drive's calibration, and what to run next."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from meanbead.core.formulas.bead import filament_area_mm2
from meanbead.core.learn.flow.posterior import DRIVE_SD, KneePosterior, Weighings, knee_posterior, mean_shape
from meanbead.core.learn.flow.proposal import ENOUGH, next_flow
from meanbead.core.learn.flow.sharing import share_slope
from meanbead.core.learn.flow.strands import StrandLimit, strand_limit
from meanbead.core.model.flow_test import FlowAtTemp, FlowCurve, FlowFit, FlowPoint, FlowTest, Range, Ratio

__all__ = ["KNEE_SEEN", "expected_mass_g", "fit_flow_test", "grouped", "posteriors"]

SAME_TEMP_C = 3.0
"""Strands within so many degrees count as of one temperature: blocks swing by a degree or two."""

KNEE_SEEN = 0.95
"""A knee is told once it lies within the flows that were weighed with this probability."""

FAR_BEYOND = 0.35
USUAL_FALL = 0.6
MOST_MM3_S = 500.0
"""No flow beyond what a strand may have is proposed."""
_Z90 = 1.645


@dataclass(frozen=True)
class Group:
    """Strands of one temperature, with or without the fan, and the numbers they have in the test."""

    temp_c: float
    fan: bool
    points: tuple[FlowPoint, ...]
    numbers: tuple[int, ...]


def expected_mass_g(length_mm: float, diameter_mm: float, density_g_cm3: float) -> float:
    """``length x pi D^2/4 x density``, g."""
    return length_mm * filament_area_mm2(diameter_mm) * density_g_cm3 / 1000


def fit_flow_test(test: FlowTest) -> FlowFit:
    """Fit a test. Any number of strands will do: what they cannot tell is None, and ``next_flow_mm3_s`` says what would."""
    groups = grouped(test.points)
    found = posteriors(test, groups)
    answers, notes = [], []
    for group in groups:
        answer, told = _answer(test, group, found.get((group.temp_c, group.fan)))
        answers.append(answer)
        notes += told
    ratio = _drive(list(found.values()))
    left_out = sorted(number for one in found.values() for number in one.gross)
    scatter = float(np.mean([one.tau for one in found.values()])) if found else 0.0
    notes = [*_about_weighings(test, left_out), *_about_drive(ratio), *notes]
    pending = [answer for answer in answers if not answer.enough]
    # Where enough is known everywhere, more would narrow the least known one still.
    first = max(pending or answers, key=_unknown, default=None)
    return FlowFit(
        by_temp=answers,
        drive_ratio=ratio,
        scatter=scatter,
        next_flow_mm3_s=None if first is None else first.next_flow_mm3_s,
        next_temp_c=None if first is None else first.temp_c,
        enough=bool(answers) and not pending,
        left_out=left_out,
        notes=notes,
    )


def grouped(points: Sequence[FlowPoint]) -> list[Group]:
    """Strands by temperature and fan, coldest first; those left out by hand are not among them."""
    groups = []
    for fan in (False, True):
        its = sorted(
            ((point, number) for number, point in enumerate(points) if point.used and point.with_fan is fan),
            key=lambda pair: pair[0].temp_c,
        )
        while its:
            start = its[0][0].temp_c
            near = [pair for pair in its if pair[0].temp_c <= start + SAME_TEMP_C]
            its = its[len(near) :]
            temp = float(np.median([point.temp_c for point, _ in near]))
            near.sort(key=lambda pair: pair[0].flow_mm3_s)
            groups.append(Group(temp, fan, tuple(p for p, _ in near), tuple(n for _, n in near)))
    return sorted(groups, key=lambda group: (group.temp_c, group.fan))


def posteriors(test: FlowTest, groups: Sequence[Group]) -> dict[tuple[float, bool], KneePosterior]:
    """Probabilities of each group's knee, where at least three strands were weighed: with the drive that all share, and the
    slope against temperature where they agree on one."""
    weighed = {}
    for group in groups:
        data = _weighings(test, group)
        if len(data.ratio) >= 3 and np.ptp(data.flow_mm3_s) > 0:
            weighed[group.temp_c, group.fan] = data
    found = {key: knee_posterior(data) for key, data in weighed.items()}
    if len(found) > 1:
        found = {key: knee_posterior(weighed[key], _drive_by_others(key, found)) for key in found}
        for fan in (False, True):
            keys = [key for key in found if key[1] is fan]
            shared, agreed = share_slope([temp for temp, _ in keys], [found[key] for key in keys])
            if agreed:
                found |= dict(zip(keys, shared, strict=True))
    return found


def _weighings(test: FlowTest, group: Group) -> Weighings:
    rows = [
        (
            point.flow_mm3_s,
            point.mass_g,
            expected_mass_g(point.length_mm, test.filament_diameter_mm, test.density_g_cm3),
            n,
        )
        for point, n in zip(group.points, group.numbers, strict=True)
        if point.mass_g is not None and point.length_mm is not None
    ]
    flow, mass, expected = (np.array([row[i] for row in rows], dtype=float) for i in range(3))
    typical = float(np.median(expected)) if rows else 1.0
    near = _near_the_knee(flow, mass / expected)
    flow, mass, expected = flow[near], mass[near], expected[near]
    rows = [row for row, keep in zip(rows, near, strict=True) if keep]
    return Weighings(
        flow_mm3_s=flow,
        ratio=mass / expected,
        scale_sd=test.scale_g / math.sqrt(12) / expected,
        spread=0.5 + 0.5 * (typical / expected) ** 2,
        number=np.array([row[3] for row in rows], dtype=np.int64),
    )


def _near_the_knee(flow: NDArray[np.float64], ratio: NDArray[np.float64]) -> NDArray[np.bool_]:
    """False for strands beyond the first that gave hardly a third of what low flows give, (n,): where the drive grinds or
    skips, the output no longer falls in a line, and that says nothing of where it began to."""
    if len(ratio) < 4:
        return np.ones(len(ratio), dtype=bool)
    order = np.argsort(flow, kind="stable")
    usual = float(np.median(ratio[order[: max(3, len(ratio) // 3)]]))
    poor = flow[ratio < FAR_BEYOND * usual]
    # A single one between good ones is a bad weighing, which is told apart later.
    first = next((one for one in np.sort(poor) if (ratio[flow > one] < 0.75 * usual).all()), np.inf)
    return flow <= first


def _drive_by_others(key: tuple[float, bool], found: dict[tuple[float, bool], KneePosterior]) -> tuple[float, float]:
    """What the other temperatures say of the drive, as the prior of this one. Each one's own prior is taken out first."""
    precision, weighted = 1 / DRIVE_SD**2, 1 / DRIVE_SD**2
    for other, one in found.items():
        if other != key:
            mean, sd = one.drive
            own = 1 / (sd**2 + 0.003**2)
            precision += max(own - 1 / DRIVE_SD**2, 0.0)
            weighted += max(own - 1 / DRIVE_SD**2, 0.0) * mean
    return weighted / precision, precision**-0.5


def _drive(found: list[KneePosterior]) -> Ratio | None:
    """Output over input at low flows; the drive was shared already, so the sharpest says it."""
    if not found:
        return None
    mean, sd = min((one.drive for one in found), key=lambda drive: drive[1])
    return Ratio(value=mean, low=mean - _Z90 * sd, high=mean + _Z90 * sd)


def _answer(test: FlowTest, group: Group, found: KneePosterior | None) -> tuple[FlowAtTemp, list[str]]:
    """One temperature's limits, and what has to be said of them."""
    curl, skip = (strand_limit(group.points, sign) for sign in ("curl", "skips"))
    tested = max(point.flow_mm3_s for point in group.points)
    knee, above = None, None
    if found is not None and found.inside >= KNEE_SEEN:
        knee = Range(value=found.quantile(0.5), low=found.quantile(0.05), high=found.quantile(0.95))
    elif found is not None:
        above = min(found.quantile(0.05), tested)
    limits = {"knee": knee.low if knee else above, "curl": _good(group, curl)}
    known = {name: value for name, value in limits.items() if value is not None}
    bound = min(known, key=lambda name: known[name]) if known else None
    limit = known[bound] if bound else None
    if skip.bad_mm3_s is not None and limit is not None:
        limit = min(limit, skip.good_mm3_s if skip.good_mm3_s is not None else 0.9 * skip.bad_mm3_s)
    if bound == "knee" and knee is None:
        bound = "untested"
    enough = limit is not None and _enough(limit, knee, above, curl, found)
    answer = FlowAtTemp(
        temp_c=group.temp_c,
        fan=group.fan,
        weighed=sum(point.mass_g is not None for point in group.points),
        knee_mm3_s=knee,
        above_mm3_s=above,
        curl_mm3_s=curl.good_mm3_s if curl.bad_mm3_s is not None else None,
        curl_seen_mm3_s=curl.bad_mm3_s,
        skip_mm3_s=skip.good_mm3_s if skip.bad_mm3_s is not None else None,
        skip_seen_mm3_s=skip.bad_mm3_s,
        limit_mm3_s=limit,
        plan_mm3_s=None if limit is None else limit * (1 - test.margin),
        bound=bound,
        fall=_fall(found),
        enough=enough,
        next_flow_mm3_s=_next(test, group, found, knee, curl, skip),
        curve=None if found is None else _curve(found, tested),
    )
    return answer, _about_looks(group, curl, skip)


def _good(group: Group, curl: StrandLimit) -> float | None:
    """The largest flow known to come out straight; where even the least curled, a tenth below that."""
    if curl.bad_mm3_s is None:
        return None
    return curl.good_mm3_s if curl.good_mm3_s is not None else 0.9 * curl.bad_mm3_s


def _fall(found: KneePosterior | None) -> float:
    """Share of the output lost per knee's worth of flow beyond the knee."""
    if found is None or found.inside < KNEE_SEEN:
        return USUAL_FALL
    return float((found.mass * found.fall_at / found.drive_at).sum())


def _enough(
    limit: float, knee: Range | None, above: float | None, curl: StrandLimit, found: KneePosterior | None
) -> bool:
    """Whether knowing more could raise the limit by :data:`ENOUGH` at most."""
    best = []
    if curl.good_mm3_s is not None and curl.bad_mm3_s is not None:
        best.append((curl.good_mm3_s + curl.bad_mm3_s) / 2)
    if knee is not None:
        best.append(knee.value)
    if not best or (knee is None and above is None):
        return False
    return limit >= min(best) * (1 - ENOUGH)


def _next(
    test: FlowTest,
    group: Group,
    found: KneePosterior | None,
    knee: Range | None,
    curl: StrandLimit,
    skip: StrandLimit,
) -> float:
    """The flow that would tell most here; never one at which the drive was heard to skip."""
    flows = [point.flow_mm3_s for point in group.points]
    lowest, highest = min(flows), max(flows)
    # Far beyond the knee the drive only grinds; what is learnt there is the fall, not the knee.
    top = min(1.6 * highest if knee is None else 1.5 * knee.high, skip.bad_mm3_s or math.inf, MOST_MM3_S)
    if found is None:
        return round(min(1.2 * highest, 0.98 * top), 1)
    if curl.good_mm3_s is not None and curl.bad_mm3_s is not None and (knee is None or curl.good_mm3_s < knee.low):
        # The strand's limit binds: halve what lies between good and bad.
        return round((curl.good_mm3_s + curl.bad_mm3_s) / 2, 1)
    lengths = [point.length_mm for point in group.points if point.length_mm is not None]
    scale_sd = test.scale_g / math.sqrt(12)
    scale_sd /= expected_mass_g(float(np.median(lengths)), test.filament_diameter_mm, test.density_g_cm3)
    return next_flow(found, lowest, max(top, 1.05 * lowest), scale_sd)


def _unknown(answer: FlowAtTemp) -> float:
    """How little is known at a temperature, as a share of its knee."""
    if answer.knee_mm3_s is None:
        return math.inf
    return (answer.knee_mm3_s.high - answer.knee_mm3_s.low) / answer.knee_mm3_s.value


def _curve(found: KneePosterior, tested_mm3_s: float) -> FlowCurve:
    """The fitted line with its band: mean, and deviation from the knee's, the line's and the shape's uncertainty."""
    flows = np.linspace(0.0, 1.15 * tested_mm3_s, 70)
    knees = np.exp(found.log_knee)
    bend = mean_shape(flows, knees, found.elbow)
    lines = np.maximum(found.drive_at[:, None] - found.fall_at[:, None] * bend, 0.0)
    mean = found.mass @ lines
    cov = found.line_cov
    own = cov[:, :1] - 2 * cov[:, 1:2] * bend + cov[:, 2:3] * bend**2
    sd = np.sqrt(np.maximum(found.mass @ ((lines - mean) ** 2 + own), 0))
    low, high = np.maximum(mean - _Z90 * sd, 0), mean + _Z90 * sd
    return FlowCurve(
        flow_mm3_s=[round(value, 3) for value in flows.tolist()],
        ratio=[round(value, 5) for value in mean.tolist()],
        low=[round(value, 5) for value in low.tolist()],
        high=[round(value, 5) for value in high.tolist()],
    )


def _about_weighings(test: FlowTest, left_out: list[int]) -> list[str]:
    return [
        f"The weight at {test.points[number].flow_mm3_s:g} mm³/s ({test.points[number].mass_g:g} g) does not fit the others "
        "and is left out: weigh it again."
        for number in left_out
    ]


def _about_drive(ratio: Ratio | None) -> list[str]:
    if ratio is None or ratio.low <= 1 <= ratio.high or abs(ratio.value - 1) < 0.01:
        return []
    word = "less" if ratio.value < 1 else "more"
    return [
        f"{100 * abs(1 - ratio.value):.1f} % {word} comes out than is asked for even at low flows: that is the drive's "
        f"calibration, not melting. Multiply its steps per mm by {1 / ratio.value:.4f}."
    ]


def _about_looks(group: Group, curl: StrandLimit, skip: StrandLimit) -> list[str]:
    notes = []
    where = f"At {group.temp_c:g} °C{' with the fan' if group.fan else ''}"
    if curl.doubtful or skip.doubtful:
        notes.append(
            f"{where} looks contradict each other: a higher flow was seen better than a lower one. Repeat those."
        )
    if curl.bad_mm3_s is not None and curl.good_mm3_s is None:
        notes.append(f"{where} no strand came out straight: begin lower.")
    return notes
