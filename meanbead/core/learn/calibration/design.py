"""Which two short prints would tell a machine's acceleration: small and detailed against large and plain.

For every candidate the engine says how its time moves with acceleration and corner value. All runs so far and two more make a
linear model with those two beside factors and offset; the pair is taken that leaves acceleration known best (D. V. Lindley,
Bayesian Statistics, A Review, 1972; for one coefficient this is c-optimality).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np
from manifold3d import CrossSection, Manifold, OpType
from numpy.typing import NDArray

from meanbead.core.errors import RecipeError
from meanbead.core.estimate.engine import Engine
from meanbead.core.estimate.factors import FACTORS, OFFSET_SD_S
from meanbead.core.estimate.interval import Z_90
from meanbead.core.estimate.job import PrintJob
from meanbead.core.learn.calibration.limits import limit_factors, weaker
from meanbead.core.model.base import Result
from meanbead.core.part.read import RawMesh
from meanbead.core.part.solid import Solid, make_solid

__all__ = ["CANDIDATES", "Candidate", "TestPrint", "TwoPrints", "candidate_solid", "two_prints"]

Floats = NDArray[np.float64]

_STEP = 1.2
"""Limits are moved by this factor either way to see how times answer."""
_LIMIT_SD = 0.45
_HELD_SD = 0.03
_SCATTER = 0.015
_ADD = OpType.Add


def _block(x: float, y: float, z: float) -> Manifold:
    return Manifold.cube((x, y, z), False)


def _sieve() -> Manifold:
    hole = Manifold.cylinder(8, 1.5, 1.5, 24)
    holes = [hole.translate((4.5 + 4.5 * i, 4.5 + 4.5 * j, -1)) for i in range(9) for j in range(9)]
    return _block(45, 45, 4) - Manifold.batch_boolean(holes, _ADD)


def _gear() -> Manifold:
    turn = np.linspace(0, 2 * np.pi, 4 * 80, endpoint=False)
    out = np.where((np.arange(len(turn)) // 2) % 2 == 0, 42.0, 39.8)
    outline = CrossSection([[(float(r * np.cos(a)), float(r * np.sin(a))) for r, a in zip(out, turn, strict=True)]])
    return outline.extrude(14) - Manifold.cylinder(16, 37, 37, 128).translate((0, 0, -1))


def _comb() -> Manifold:
    teeth = [_block(1.8, 24, 6).translate((3.6 * i, 0, 0)) for i in range(12)]
    return _block(41.4, 6, 6) + Manifold.batch_boolean(teeth, _ADD)


def _slab() -> Manifold:
    return _block(90, 90, 5)


def _ring() -> Manifold:
    return Manifold.cylinder(14, 40, 40, 128) - Manifold.cylinder(16, 36, 36, 128).translate((0, 0, -1))


def _tray() -> Manifold:
    outline = CrossSection.square((110, 70), True)
    return outline.extrude(12) - outline.offset(-2.4).extrude(12).translate((0, 0, 1.6))


@dataclass(frozen=True)
class Candidate:
    """A test print: its name, what kind it is, and its shape."""

    name: str
    kind: str
    make: Callable[[], Manifold]


CANDIDATES: tuple[Candidate, ...] = (
    Candidate("Sieve", "full of detail", _sieve),
    Candidate("Gear", "full of detail", _gear),
    Candidate("Comb", "full of detail", _comb),
    Candidate("Slab", "large and plain", _slab),
    Candidate("Ring", "large and plain", _ring),
    Candidate("Tray", "large and plain", _tray),
)


class TestPrint(Result):
    """A print of the pair: which candidate, how long it takes, and by how many percent its time moves for a tenth of
    acceleration."""

    name: str
    kind: str
    print_time_s: float
    percent_a_tenth: float


class TwoPrints(Result):
    """The pair that tells most. ``known_before`` and ``known_after`` are the factors within which acceleration is known with
    90 % (1.1 is a tenth either way); ``says`` it in a sentence."""

    prints: list[TestPrint]
    known_before: float
    known_after: float
    says: str


def candidate_solid(candidate: Candidate) -> Solid:
    """A candidate's shape as a sound solid."""
    mesh = candidate.make().to_mesh()
    vertices = np.asarray(mesh.vert_properties, dtype=float)[:, :3]
    return make_solid(RawMesh(vertices, np.asarray(mesh.tri_verts, dtype=int)), "mm")


def two_prints(
    engine: Engine,
    like: PrintJob,
    runs: Sequence[PrintJob] = (),
    *,
    most_s: float = 3 * 3600.0,
    progress: Callable[[float, str], None] = lambda fraction, message: None,
) -> TwoPrints:
    """The two prints that would tell acceleration best, after the ``runs`` that are known. ``like`` gives machine, nozzle and
    plastic; both together take at most ``most_s``. Raises :class:`RecipeError` where none can be printed."""
    prior = np.array([1 / sd**2 for sd in _widths()])
    known = np.diag(prior)
    for job in dict.fromkeys(runs):
        try:
            known = known + _information(_row(engine, job))
        except RecipeError:
            continue
    rows = []
    for number, candidate in enumerate(CANDIDATES):
        progress(number / len(CANDIDATES), candidate.name)
        job = PrintJob(
            candidate_solid(candidate), like.recipe, like.printer, like.nozzle, like.material, like.standards
        )
        try:
            rows.append((candidate, _row(engine, job)))
        except RecipeError:
            continue
    pairs = [pair for pair in combinations(rows, 2) if sum(row.time_s for _, row in pair) <= most_s]
    if not pairs:
        raise RecipeError(
            "No pair of test prints fits this machine.", remedy="Choose a smaller nozzle or another plastic."
        )

    def left(pair: Sequence[tuple[Candidate, _Row]]) -> float:
        return _known(known + sum(_information(row) for _, row in pair))

    best = min(pairs, key=left)
    before, after = (float(np.exp(Z_90 * at)) for at in (_known(known), left(best)))
    prints = [
        TestPrint(
            name=candidate.name,
            kind=candidate.kind,
            print_time_s=row.time_s,
            percent_a_tenth=float(-10 * row.values[-2]),
        )
        for candidate, row in best
    ]
    names = " and ".join(f"{one.name.lower()} ({one.kind})" for one in prints)
    return TwoPrints(
        prints=prints,
        known_before=before,
        known_after=after,
        says=f"One {names} would tell its acceleration within {100 * (after - 1):.0f} % either way, now {100 * (before - 1):.0f} %.",
    )


@dataclass(frozen=True)
class _Row:
    """A print in the linear model: shares by factor, the offset's, and how the logarithm of its time moves with that of
    acceleration and of the corner value."""

    values: Floats
    time_s: float


def _widths() -> list[float]:
    held = ("ramps_and_corners", "travelling")
    return [*(_HELD_SD if one.name in held else one.sd for one in FACTORS), OFFSET_SD_S, _LIMIT_SD, _LIMIT_SD]


def _row(engine: Engine, job: PrintJob) -> _Row:
    seconds = limit_factors(engine, job, job.printer)
    total = float(seconds.sum())

    def answer(**limit: float) -> float:
        high, low = (
            limit_factors(
                engine, job, weaker(job.printer, "print", **{name: share**sign for name, share in limit.items()})
            )
            for sign in (1, -1)
        )
        return float(np.log(high.sum() / low.sum()) / (2 * np.log(_STEP)))

    moves = [answer(acceleration=_STEP), answer(corner=_STEP)]
    return _Row(np.array([*(seconds / total), 1 / total, *moves]), total)


def _information(row: _Row) -> Floats:
    found: Floats = np.outer(row.values, row.values) / (_SCATTER**2 + (60**2 / 12) / row.time_s**2)
    return found


def _known(precision: Floats) -> float:
    """Standard error of the logarithm of acceleration."""
    return float(np.sqrt(np.linalg.inv(precision)[-2, -2]))
