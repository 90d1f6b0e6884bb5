"""What an experiment says: effects, the knee, which differences are real, and what is still missing.

Differences of measured values are judged by Tukey's and Kramer's test over all pairs of cells (C. Y. Kramer, Extension of
Multiple Range Tests to Group Means with Unequal Numbers of Replications, Biometrics 12, 1956): with five per cent at most
is any of them false. A difference within the gauge's step is none, however often it was read; and scatter is never taken
to be less than what that step alone makes, ``g^2 / 12``. Effects are those of a linear model of all factors side by side,
without their interplay, by ordinary least squares.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from itertools import combinations, product
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtr, stdtrit

from meanbead.core.errors import MeanBeadError
from meanbead.core.learn.experiments.ranking import Ranking, rank_pairs
from meanbead.core.model.base import Result
from meanbead.core.model.experiment import CellLevels, Level

__all__ = [
    "CellData",
    "Knee",
    "LevelEffect",
    "Need",
    "Proposal",
    "RealDifference",
    "Table",
    "Verdict",
    "judge",
    "pieces_for",
]

Floats = NDArray[np.float64]
Response = Literal["time_s", "measured"]

FALSE = 0.05
"""Share of experiments without any difference in which one is claimed all the same, at most."""

POWER = 0.8
_MOST_PIECES = 500


@dataclass(frozen=True)
class CellData:
    """A cell with what came of it: seconds of its prints, measurements of its pieces, and whether somebody faulted it."""

    levels: CellLevels
    time_s: Sequence[float] = ()
    measured: Sequence[float] = ()
    faulted: bool = False


class LevelEffect(Result):
    """What a level makes of times or measurements: the mean over the other factors, and how it differs from the first
    level, with its 90 % interval where there is more than the bare minimum to tell (None else)."""

    level: Level
    mean: float
    change: float
    low: float | None
    high: float | None


class Knee(Result):
    """Where a factor's saving of time is mostly had: the first ``level`` that has the wanted share of all that its levels
    save, between levels at ``at``. From there the ``next_level`` saves ``next_saves_s`` more, ``next_share`` of the whole."""

    level: float
    at: float
    share: float
    had: float
    saves_s: float
    next_level: float | None
    next_saves_s: float
    next_share: float
    says: str


class RealDifference(Result):
    """Two cells that differ: by how much the second has more than the first, with the interval of all such claims together;
    ``better`` is the place of the better one where that is known."""

    pair: tuple[int, int]
    of: Literal["measured", "time_s", "ranks"]
    value: float
    low: float
    high: float
    better: int | None


class Need(Result):
    """Two cells that cannot be told apart yet, and how many pieces of each would do in all (with 80 %), if they differ by as
    much as they seem to; None where no number would, because that lies within the gauge."""

    pair: tuple[int, int]
    value: float
    pieces: int | None
    because: str


class Table(Result):
    """Means over two factors: a row for each level of the first, a column for each of the second; None where nothing is."""

    rows: str
    columns: str
    of: Response
    values: list[list[float | None]]


class Proposal(Result):
    """A cell between two: its levels, and why."""

    levels: CellLevels
    because: str


class Verdict(Result):
    """All that an experiment says. ``scatter`` is the standard deviation of like pieces' measurements; None where no cell has
    two. ``fastest`` is the place of the fastest cell that nobody faulted, None where all were."""

    effects: dict[str, dict[str, list[LevelEffect]]]
    tables: list[Table]
    knee: dict[str, Knee]
    differences: list[RealDifference]
    need: list[Need]
    ranking: Ranking | None
    scatter: float | None
    gauge: float
    fastest: int | None
    between: Proposal | None
    notes: list[str] = field(default_factory=list)


def judge(
    factors: Mapping[str, Sequence[Level]],
    cells: Sequence[CellData],
    *,
    ranks: Sequence[tuple[int, int]] = (),
    evens: Sequence[tuple[int, int]] = (),
    gauge: float = 0.0,
    share: float = 0.8,
    more_is_better: bool = True,
) -> Verdict:
    """What cells, compared pairs (better, worse) and measurements come to.

    Raises :class:`MeanBeadError` for cells that name other levels than the factors have, and pairs of no cells.
    """
    _check(factors, cells, [*ranks, *evens])
    ranking = rank_pairs(len(cells), ranks, evens) if ranks or evens else None
    scatter = _scatter(cells, gauge)
    differences, need, notes = _pairs(cells, scatter, gauge, more_is_better)
    if ranking is not None:
        differences += _ranked(ranking)
    times = _timed(cells)
    effects: dict[str, dict[str, list[LevelEffect]]] = {}
    for name, levels in factors.items():
        of = {
            response: found
            for response in ("time_s", "measured")
            if (found := _effects(name, levels, factors, cells, response, gauge))
        }
        effects[name] = of
    fastest = _fastest(cells, times)
    return Verdict(
        effects=effects,
        tables=_tables(factors, cells),
        knee=_knees(effects, share),
        differences=differences,
        need=need,
        ranking=ranking,
        scatter=None if scatter is None else scatter.sd,
        gauge=gauge,
        fastest=fastest,
        between=_between(factors, cells, times, fastest),
        notes=notes,
    )


def _check(factors: Mapping[str, Sequence[Level]], cells: Sequence[CellData], pairs: Sequence[tuple[int, int]]) -> None:
    if not factors:
        raise MeanBeadError("factors: there are none.", field="factors", remedy="Name at least one with its levels.")
    for place, cell in enumerate(cells):
        for name in factors:
            if name not in cell.levels:
                raise MeanBeadError(f"cells[{place}].levels: {name} is missing.", field=f"cells[{place}].levels")
            if cell.levels[name] not in factors[name]:
                raise MeanBeadError(
                    f"cells[{place}].levels.{name}: {cell.levels[name]!r} is no level of it.",
                    field=f"cells[{place}].levels.{name}",
                    remedy=f"They are {', '.join(str(level) for level in factors[name])}.",
                )
        extra = set(cell.levels) - set(factors)
        if extra:
            raise MeanBeadError(f"cells[{place}].levels.{min(extra)}: there is no such factor.")
    for one, other in pairs:
        if one == other or not (0 <= one < len(cells) and 0 <= other < len(cells)):
            raise MeanBeadError(
                f"ranks: there is no pair {one}, {other} among {len(cells)} cells.",
                field="ranks",
                remedy="Give numbers of two cells, counted from 0.",
            )


@dataclass(frozen=True)
class _Scatter:
    """Standard deviation of like pieces, and the degrees of freedom that it is known by."""

    sd: float
    freedom: int


def _scatter(cells: Sequence[CellData], gauge: float) -> _Scatter | None:
    freedom = sum(len(cell.measured) - 1 for cell in cells if len(cell.measured) > 1)
    if freedom == 0:
        return None
    squares = sum(float(np.var(cell.measured)) * len(cell.measured) for cell in cells if len(cell.measured) > 1)
    return _Scatter(math.sqrt(max(squares / freedom, gauge**2 / 12)), freedom)


def _pairs(
    cells: Sequence[CellData], scatter: _Scatter | None, gauge: float, more_is_better: bool
) -> tuple[list[RealDifference], list[Need], list[str]]:
    places = [place for place, cell in enumerate(cells) if cell.measured]
    if len(places) < 2:
        return [], [], []
    if scatter is None:
        note = (
            "Only one piece of each was measured: how far like pieces differ is not known, so no difference can be called "
            "real. Two pieces of at least one cell would tell."
        )
        return [], [], [note]
    reach = _reach(len(places), scatter.freedom)
    real, need = [], []
    for one, other in combinations(places, 2):
        counts = len(cells[one].measured), len(cells[other].measured)
        value = float(np.mean(cells[other].measured) - np.mean(cells[one].measured))
        half = reach / math.sqrt(2) * scatter.sd * math.sqrt(1 / counts[0] + 1 / counts[1])
        within_gauge = abs(value) <= gauge * (1 + 1e-9)
        if abs(value) > half and not within_gauge:
            better = other if (value > 0) == more_is_better else one
            real.append(
                RealDifference(
                    pair=(one, other), of="measured", value=value, low=value - half, high=value + half, better=better
                )
            )
        else:
            need.append(_need((one, other), value, scatter, reach, within_gauge, gauge))
    return real, need, []


@lru_cache(maxsize=256)
def _reach(groups: int, freedom: int) -> float:
    """Tukey's studentized range; kept, for it takes a fifth of a second."""
    from scipy.stats import studentized_range  # imported here: it takes a second

    return float(studentized_range.ppf(1 - FALSE, groups, freedom))


def _need(
    pair: tuple[int, int], value: float, scatter: _Scatter, reach: float, within_gauge: bool, gauge: float
) -> Need:
    if within_gauge:
        because = f"their difference lies within the gauge's step of {gauge:g}: no number of pieces tells it"
        return Need(pair=pair, value=value, pieces=None, because=because)
    # What one pair is tested at, so that all of them together are tested at five per cent.
    alpha = 2 * float(ndtr(-reach / math.sqrt(2)))
    pieces = pieces_for(abs(value) / scatter.sd, alpha)
    if pieces is None:
        because = f"so small a difference would take more than {_MOST_PIECES} pieces of each"
    else:
        because = f"{pieces} pieces of each would show it, if it is as large as it seems"
    return Need(pair=pair, value=value, pieces=pieces, because=because)


def pieces_for(difference_sd: float, alpha: float = FALSE, power: float = POWER) -> int | None:
    """Pieces of each of two settings that show a difference of so many standard deviations with this power, by the t test; None
    beyond :data:`_MOST_PIECES`. (J. Cohen, Statistical Power Analysis for the Behavioral Sciences, 1988; by statsmodels.)"""
    from statsmodels.stats.power import TTestIndPower  # imported here: it takes a second

    if difference_sd <= 0:
        return None
    test = TTestIndPower()

    def shows(pieces: int) -> bool:
        # Far out the noncentral distribution is no number any more: there it is certain.
        found = float(test.power(difference_sd, pieces, alpha))
        return math.isnan(found) or found >= power

    if not shows(_MOST_PIECES):
        return None
    low, high = 2, _MOST_PIECES
    while low < high:
        middle = (low + high) // 2
        if shows(middle):
            high = middle
        else:
            low = middle + 1
    return low


def _ranked(ranking: Ranking) -> list[RealDifference]:
    found = []
    for better, worse in ranking.sure:
        first, second = min(better, worse), max(better, worse)
        one, other = ranking.strengths[first], ranking.strengths[second]
        value = other.value - one.value
        half = math.hypot(one.high - one.value, other.high - other.value)
        found.append(
            RealDifference(
                pair=(first, second), of="ranks", value=value, low=value - half, high=value + half, better=better
            )
        )
    return found


def _timed(cells: Sequence[CellData]) -> list[float | None]:
    return [float(np.mean(cell.time_s)) if cell.time_s else None for cell in cells]


def _effects(
    name: str,
    levels: Sequence[Level],
    factors: Mapping[str, Sequence[Level]],
    cells: Sequence[CellData],
    response: Response,
    gauge: float,
) -> list[LevelEffect]:
    """Means by level over the other factors, and their differences from the first that there is."""
    from statsmodels.regression.linear_model import OLS  # imported here: it takes a second

    rows = [(cell, value) for cell in cells for value in getattr(cell, response)]
    if not rows:
        return []
    seen = {
        other: [level for level in of if any(cell.levels[other] == level for cell, _ in rows)]
        for other, of in factors.items()
    }
    columns = [(other, level) for other, of in seen.items() for level in of[1:]]
    design = np.array([[1.0, *(float(cell.levels[other] == level) for other, level in columns)] for cell, _ in rows])
    values = np.array([value for _, value in rows])
    fit = OLS(values, design).fit()
    freedom = len(values) - int(np.linalg.matrix_rank(design))
    # A gauge's own step is scatter, too.
    floor = gauge**2 / 12 if response == "measured" else 0.0
    noise = max(float(fit.ssr) / freedom, floor) if freedom > 0 else 0.0
    known = np.linalg.pinv(design.T @ design) * noise
    width = float(stdtrit(freedom, 0.95)) if freedom > 0 else 0.0

    def middle(level: Level) -> Floats:
        """The row of a level with the others' means."""
        return np.array(
            [1.0, *((float(level == at) if other == name else 1.0 / len(seen[other])) for other, at in columns)]
        )

    first = middle(seen[name][0])
    found = []
    for level in levels:
        if level not in seen[name]:
            continue
        row = middle(level)
        change = row - first
        value = float(change @ fit.params)
        half = width * math.sqrt(max(float(change @ known @ change), 0.0))
        told = freedom > 0
        found.append(
            LevelEffect(
                level=level,
                mean=float(row @ fit.params),
                change=value,
                low=value - half if told else None,
                high=value + half if told else None,
            )
        )
    return found


def _tables(factors: Mapping[str, Sequence[Level]], cells: Sequence[CellData]) -> list[Table]:
    found = []
    for first, second in combinations(factors, 2):
        for response in ("time_s", "measured"):
            values: list[list[float | None]] = []
            for row, column in product(factors[first], factors[second]):
                inside = [
                    value
                    for cell in cells
                    if cell.levels[first] == row and cell.levels[second] == column
                    for value in getattr(cell, response)
                ]
                if column == factors[second][0]:
                    values.append([])
                values[-1].append(float(np.mean(inside)) if inside else None)
            if any(value is not None for row_values in values for value in row_values):
                found.append(Table(rows=first, columns=second, of=response, values=values))
    return found


def _knees(effects: Mapping[str, Mapping[str, Sequence[LevelEffect]]], share: float) -> dict[str, Knee]:
    found = {}
    for name, of in effects.items():
        known = [
            (float(effect.level), effect.mean)
            for effect in of.get("time_s", ())
            if not isinstance(effect.level, str | bool)
        ]
        knee = _knee(sorted(known), share)
        if knee is not None:
            found[name] = knee
    return found


def _knee(known: list[tuple[float, float]], share: float) -> Knee | None:
    """The knee of mean times along a factor, from the slower end on to the fastest level."""
    if len(known) < 3:
        return None
    if known[0][1] < known[-1][1]:
        known = known[::-1]
    fastest = min(range(len(known)), key=lambda k: known[k][1])
    known = known[: fastest + 1]
    levels = np.array([level for level, _ in known])
    times = np.minimum.accumulate([seconds for _, seconds in known])
    whole = float(times[0] - times[-1])
    if len(known) < 2 or whole <= 1e-9 * float(times[0]):
        return None
    from scipy.interpolate import PchipInterpolator  # a quarter of a second to load

    had = (times[0] - times) / whole
    place = int(np.argmax(had >= share - 1e-9))
    rises = np.concatenate([[True], np.diff(had) > 1e-12])
    at = float(PchipInterpolator(had[rises], levels[rises])(share)) if rises.sum() > 1 else float(levels[place])
    following = place + 1 if place + 1 < len(known) else None
    saves = float(times[place] - times[following]) if following is not None else 0.0
    next_level = float(levels[following]) if following is not None else None
    last = f"; {next_level:g} saves {saves / 60:.0f} min more" if next_level is not None else ""
    return Knee(
        level=float(levels[place]),
        at=at,
        share=share,
        had=float(had[place]),
        saves_s=float(times[0] - times[place]),
        next_level=next_level,
        next_saves_s=saves,
        next_share=saves / whole,
        says=f"{100 * had[place]:.0f} % of the whole saving of {whole / 60:.0f} min is had at {levels[place]:g}{last}",
    )


def _fastest(cells: Sequence[CellData], times: Sequence[float | None]) -> int | None:
    good = [(seconds, place) for place, seconds in enumerate(times) if seconds is not None and not cells[place].faulted]
    return min(good)[1] if good else None


def _between(
    factors: Mapping[str, Sequence[Level]],
    cells: Sequence[CellData],
    times: Sequence[float | None],
    fastest: int | None,
) -> Proposal | None:
    """Between the fastest cell that nobody faulted and a faster neighbour that somebody did: where the limit lies."""
    if fastest is None:
        return None
    mine, my_time = cells[fastest], times[fastest]
    best: tuple[float, Proposal] | None = None
    for place, other in enumerate(cells):
        seconds = times[place]
        differs = [name for name in factors if mine.levels[name] != other.levels[name]]
        if not other.faulted or len(differs) != 1 or seconds is None or my_time is None or seconds >= my_time:
            continue
        name = differs[0]
        ends = mine.levels[name], other.levels[name]
        if any(isinstance(end, str | bool) for end in ends):
            continue
        low, high = sorted((float(ends[0]), float(ends[1])))
        if any(not isinstance(level, str | bool) and low < float(level) < high for level in factors[name]) or _steps(
            low, high
        ):
            continue
        middle = float(f"{(low + high) / 2:.3g}")
        because = (
            f"nobody faulted {float(ends[0]):g}, somebody did {float(ends[1]):g}: up to {(my_time - seconds) / 60:.0f} min "
            "lie between them"
        )
        if best is None or my_time - seconds > best[0]:
            best = my_time - seconds, Proposal(levels=mine.levels | {name: middle}, because=because)
    return None if best is None else best[1]


def _steps(low: float, high: float) -> bool:
    """Whether two levels are neighbours that have nothing between them: two counts."""
    return low == int(low) and high == int(high) and high - low == 1
