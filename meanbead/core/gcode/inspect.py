"""Look a file over before it goes to a machine, whoever wrote it: what it would do there, by replaying the very bytes.

Found are the ways in which a file hurts a machine or wastes a night: outside its room, cold, too hot, too fast, more than melts,
left hot at its end. With them comes the file's *track*: how much of the print is done at which byte, so that a machine that
says how far it has read can be held against the plan.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import BinaryIO, Literal

import numpy as np
from numpy.typing import NDArray

from meanbead.core.estimate.ledger import CAUSES, Cause, sum_causes
from meanbead.core.estimate.moves import Kind
from meanbead.core.formulas.bead import filament_area_mm2, filament_mass_g
from meanbead.core.formulas.melt import melt_ceiling
from meanbead.core.gcode.beside import Beside, read_beside
from meanbead.core.gcode.replay import FEATURE_PATTERN, Settled, replay
from meanbead.core.model.base import Result
from meanbead.core.model.material import Material
from meanbead.core.model.nozzle import Nozzle
from meanbead.core.model.printer import Printer

__all__ = ["FileCheck", "Inspection", "Promise", "TrackPoint", "inspect_file"]

TIME_SHARE, PLASTIC_SHARE = 0.003, 0.001
"""So far a file that is written here may be off what the estimate says."""

TRACK_POINTS = 400
_BLOCK_MOVES, _MANY_LINES = 40, 100_000
_HIGHEST_BED_C = 130.0
"""A bed hotter than that is a slip of the pen on any hobby machine."""

_COLD_C = 170.0
"""Below this no filament is fed by firmware with its protection on; plastics that melt lower count by their own least."""

_OUTSIDE_MM = 0.5
_SAME_BORE_MM = 0.021
"""Bores that differ by less are the same nozzle, measured."""
_ROUNDED_E_MM, _ROUNDED_WAY_MM, _FLOW_SHARE = 2e-5, 2e-3, 1.003
"""What rounding in the text may make of a short stroke's flow."""

CheckName = Literal[
    "inside",
    "cold",
    "temperature",
    "bed_temperature",
    "speed",
    "acceleration",
    "flow",
    "heaters_off",
    "nozzle",
    "readable",
    "time",
    "plastic",
]

Floats = NDArray[np.float64]


class FileCheck(Result):
    """One thing that was looked at: whether it is as it should be, and in words; ``line`` is the first that is not."""

    name: CheckName
    ok: bool
    says: str
    line: int | None = None


class TrackPoint(Result):
    """So many bytes of the file read: seconds of printing done, by cause in the order of the ledger, and the height, mm, and
    layer that are being printed."""

    byte: int
    time_s: float
    by_cause_s: list[float]
    height_mm: float
    layer: int


class Promise(Result):
    """What an estimate says of a file that was written from its plan."""

    print_time_s: float
    filament_mm: float


class Inspection(Result):
    """What a file does. ``print_time_s`` and ``filament_mm`` are those between the marks of printing where it has them, else of
    all of it; ``start_s`` and ``end_s`` are what stands around them, without heating. ``track`` goes from where printing begins
    to where it ends."""

    size_bytes: int
    checks: list[FileCheck]
    print_time_s: float
    filament_mm: float
    filament_g: float
    layers: int
    height_mm: float
    start_s: float
    end_s: float
    nozzle_temp_c: float | None = None
    bed_temp_c: float | None = None
    unknown_commands: int
    track: list[TrackPoint]

    @property
    def wrong(self) -> list[FileCheck]:
        """What is not as it should be."""
        return [check for check in self.checks if not check.ok]


def inspect_file(
    opened: Callable[[], BinaryIO],
    printer: Printer,
    nozzle: Nozzle | None,
    material: Material,
    *,
    promise: Promise | None = None,
    may_skip: bool = False,
    pattern: str = FEATURE_PATTERN,
    progress: Callable[[float], None] | None = None,
) -> Inspection:
    """Look a file over. ``opened`` opens it from its start, twice; ``nozzle`` is the one that is fitted, None for whatever the
    file's head names; ``promise`` is what its estimate says, for a file that was
    written from a plan; ``may_skip`` lets any flow pass, as a recipe that runs on beyond the ceiling
    asks for. ``progress`` is told the share done, and may raise to end it.

    Raises :class:`MeanBeadError` for a file without moves.
    """
    with opened() as stream:
        beside = read_beside(stream)
    fitted = nozzle
    if nozzle is None:
        nozzle = Nozzle() if beside.bore_mm is None else Nozzle(bore_mm=beside.bore_mm)
    looker = _Looker(beside, printer, nozzle, material, may_skip=may_skip, progress=progress)
    with opened() as stream:
        told = replay(stream, printer, nozzle=nozzle, material=material, pattern=pattern, progress=looker.take)
    looker.finish()
    area = filament_area_mm2(printer.filament_diameter_mm)
    checks = looker.checks()
    checks.append(
        FileCheck(
            name="readable",
            ok=not told.malformed_count,
            says=f"{told.malformed_count:,} lines cannot be read."
            if told.malformed_count
            else "Every line can be read.",
            line=told.malformed_lines[0] if told.malformed_lines else None,
        )
    )
    # What is written here is for its own nozzle, whatever the words of a start text say.
    if beside.bore_mm is not None and promise is None:
        checks.append(_made_for(beside.bore_mm, fitted))
    checks += _kept(promise, looker)
    return Inspection(
        size_bytes=beside.size_bytes,
        checks=checks,
        print_time_s=looker.printing_s,
        filament_mm=looker.laid_mm,
        filament_g=filament_mass_g(looker.laid_mm * area, material.density_g_cm3),
        layers=told.layers,
        height_mm=told.height_mm,
        start_s=looker.before_s,
        end_s=looker.after_s,
        nozzle_temp_c=max((target for _, target, _ in beside.nozzle if target > 0), default=None),
        bed_temp_c=max((target for _, target, _ in beside.bed if target > 0), default=None),
        unknown_commands=told.unknown_commands,
        track=looker.track(),
    )


def _made_for(bore_mm: float, fitted: Nozzle | None) -> FileCheck:
    """Whether the file was made for the nozzle that is fitted."""
    same = fitted is None or abs(fitted.bore_mm - bore_mm) <= _SAME_BORE_MM
    says = f"The comments at its head name a {bore_mm:g} mm nozzle."
    if fitted is not None and not same:
        says = f"The comments at its head name a {bore_mm:g} mm nozzle; a {fitted.bore_mm:g} mm nozzle is fitted."
    return FileCheck(name="nozzle", ok=same, says=says)


def _kept(promise: Promise | None, looker: _Looker) -> list[FileCheck]:
    """Whether the file is what was promised."""
    if promise is None:
        return []
    off_s = looker.printing_s / max(promise.print_time_s, 1e-9) - 1
    off_mm = looker.laid_mm / max(promise.filament_mm, 1e-9) - 1
    return [
        FileCheck(
            name="time",
            ok=abs(off_s) <= TIME_SHARE,
            says=f"Read back, its time is {abs(off_s):.2%} off the estimate's; {TIME_SHARE:.1%} are allowed.",
        ),
        FileCheck(
            name="plastic",
            ok=abs(off_mm) <= PLASTIC_SHARE,
            says=f"Read back, its plastic is {abs(off_mm):.3%} off the estimate's; {PLASTIC_SHARE:.1%} are allowed.",
        ),
    ]


@dataclass
class _Worst:
    """The first line that breaks something, and the most that is asked for anywhere."""

    line: int | None = None
    value: float = 0.0
    moves: int = 0

    def take(self, lines: NDArray[np.int64], values: Floats) -> None:
        if len(lines):
            self.moves += len(lines)
            self.line = int(lines.min()) if self.line is None else min(self.line, int(lines.min()))
            worst = float(values[np.argmax(np.abs(values))])
            self.value = worst if abs(worst) > abs(self.value) else self.value


@dataclass
class _Heat:
    """The nozzle's target and whether it may feed, from line to line."""

    lines: NDArray[np.int64] = field(default_factory=lambda: np.zeros(1, np.int64))
    targets: Floats = field(default_factory=lambda: np.zeros(1))
    may_feed: NDArray[np.bool_] = field(default_factory=lambda: np.zeros(1, dtype=bool))

    @classmethod
    def of(cls, beside: Beside, cold_c: float) -> _Heat:
        lines, targets, may = [0], [0.0], [False]
        waited = False
        for line, target, waits in beside.nozzle:
            waited = (waited or waits) and target >= cold_c
            lines.append(line)
            targets.append(target)
            may.append(waited)
        return cls(np.array(lines), np.array(targets), np.array(may))

    def at(self, line: NDArray[np.int64]) -> NDArray[np.int64]:
        place: NDArray[np.int64] = np.searchsorted(self.lines, line, side="right") - 1
        return place


class _Looker:
    def __init__(
        self,
        beside: Beside,
        printer: Printer,
        nozzle: Nozzle,
        material: Material,
        *,
        may_skip: bool,
        progress: Callable[[float], None] | None,
    ) -> None:
        self.beside, self.printer, self.material, self.progress = beside, printer, material, progress
        self.heat = _Heat.of(beside, min(_COLD_C, material.nozzle_temp_min_c))
        caps = [
            melt_ceiling(printer, nozzle, material, target if target > 0 else material.nozzle_temp_c)
            for target in self.heat.targets.tolist()
        ]
        self.caps = np.array([np.inf if may_skip else cap.plan_mm3_s for cap in caps])
        self.area = filament_area_mm2(printer.filament_diameter_mm)
        self.outside, self.cold, self.fast, self.over = _Worst(), _Worst(), _Worst(), _Worst()
        self.before_s = self.printing_s = self.after_s = self.laid_mm = 0.0
        self.heights: set[float] = set()
        self.points: list[tuple[int, Floats, float, int]] = []  # line, seconds by cause so far, height, layer
        self.causes = np.zeros(len(CAUSES))
        self.height = 0.0
        self.dwells = list(beside.dwells)

    def take(self, moves: Settled) -> None:
        """Moves as they settle."""
        beside, line = self.beside, moves.line
        printing = beside.inside(line)
        self._look(moves, printing)
        after = ~printing & (line > (beside.begins or 0))
        self.before_s += float(moves.time_s[~printing & ~after].sum())
        self.after_s += float(moves.time_s[after].sum())
        self.laid_mm += float(moves.laid[printing].sum())
        rows = np.flatnonzero(printing)
        size = _BLOCK_MOVES if beside.lines < _MANY_LINES else 10 * _BLOCK_MOVES
        for first in range(0, len(rows), size):
            self._block(moves, rows[first : first + size])
        if self.progress is not None:
            self.progress(min(1.0, float(line[-1]) / max(1, beside.lines)))

    def _look(self, moves: Settled, printing: NDArray[np.bool_]) -> None:
        line, plastic = moves.line, moves.plastic
        room = np.array([self.printer.bed_mm.x, self.printer.bed_mm.y, self.printer.bed_mm.z])
        # Where a file has no marks of printing only plastic is held to the room: homing and wiping may go beyond it.
        held = printing if self.beside.begins is not None else plastic
        beyond = np.maximum(moves.place - room, -moves.place)
        far = held & (beyond.max(axis=1) > _OUTSIDE_MM)
        self.outside.take(line[far], beyond.max(axis=1)[far])
        at = self.heat.at(line)
        fed = moves.delta[:, 3]
        cold = (fed > 0) & ~self.heat.may_feed[at]
        self.cold.take(line[cold], fed[cold])
        fast = moves.too_fast & printing
        self.fast.take(line[fast], moves.speed_mm_s[fast])
        way = np.sqrt(np.sum(moves.delta[:, :3] ** 2, axis=1))
        laid = np.flatnonzero(plastic & printing & (fed > _ROUNDED_E_MM))
        # What the rounding of the text may have added is taken off before it is held against what melts.
        least = (fed[laid] - _ROUNDED_E_MM) / fed[laid] * way[laid] / (way[laid] + _ROUNDED_WAY_MM)
        flow = moves.flow_mm3_s[laid]
        over = flow * least > _FLOW_SHARE * self.caps[at[laid]]
        self.over.take(line[laid][over], flow[over])

    def _block(self, moves: Settled, rows: NDArray[np.int64]) -> None:
        delta, plastic = moves.delta[rows], moves.plastic[rows]
        path = np.sqrt(np.sum(delta[:, :3] ** 2, axis=1))
        pulled = path == 0
        lift = ~pulled & ~plastic & (delta[:, 0] == 0) & (delta[:, 1] == 0)
        kinds = np.select([plastic, pulled, lift], [Kind.PLASTIC, Kind.RETRACT, Kind.LIFT], Kind.TRAVEL)
        self.causes = self.causes + sum_causes(
            kinds.astype(np.uint8),
            np.where(pulled, np.abs(delta[:, 3]), path),
            moves.speed_mm_s[rows],
            np.full(len(rows), np.inf),
            moves.time_s[rows],
            moves.free_s[rows],
        )
        last = int(moves.line[rows[-1]])
        self._wait_until(last)
        self.printing_s = float(self.causes.sum())
        if plastic.any():
            heights = moves.place[rows][plastic, 2]
            self.height = float(heights[-1])
            self.heights.update(np.unique(np.round(heights, 2)).tolist())
        self.points.append((last, self.causes, self.height, len(self.heights)))

    def _wait_until(self, line: int) -> None:
        while self.dwells and self.dwells[0][0] <= line:
            at, seconds = self.dwells.pop(0)
            if bool(self.beside.inside(np.array([at]))[0]):
                self.causes = self.causes.copy()
                self.causes[Cause.LAYER_COOLING] += seconds
            elif self.beside.begins is not None and at < self.beside.begins:
                self.before_s += seconds
            else:
                self.after_s += seconds

    def finish(self) -> None:
        """What is left after the last move."""
        self._wait_until(self.beside.lines + 1)
        self.printing_s = float(self.causes.sum())

    def checks(self) -> list[FileCheck]:
        """What was found, in the order in which it matters."""
        printer, room = self.printer, self.printer.bed_mm
        nozzle_c = max((target for _, target, _ in self.beside.nozzle), default=0.0)
        bed_c = max((target for _, target, _ in self.beside.bed), default=0.0)
        too_hot = next((line for line, target, _ in self.beside.nozzle if target > printer.highest_nozzle_c), None)
        bed_hot = next((line for line, target, _ in self.beside.bed if target > _HIGHEST_BED_C), None)
        left = [
            name
            for name, targets in (("nozzle", self.beside.nozzle), ("bed", self.beside.bed))
            if targets and targets[-1][1] > 0
        ]
        most, asked = self._accelerations()
        return [
            self._check(
                "inside",
                self.outside,
                f"Everything stays within {room.x:g} x {room.y:g} x {room.z:g} mm.",
                f"It goes up to {self.outside.value:.1f} mm beyond the {room.x:g} x {room.y:g} x {room.z:g} mm of the machine.",
            ),
            self._check(
                "cold",
                self.cold,
                "Filament is fed only when the nozzle was waited for.",
                "Filament is fed before the nozzle was waited for (M109), or after it was switched off.",
            ),
            FileCheck(
                name="temperature",
                ok=too_hot is None,
                says=f"The nozzle is set to {nozzle_c:g} °C at most; the hot end stands {printer.highest_nozzle_c:g}.",
                line=too_hot,
            ),
            FileCheck(
                name="bed_temperature",
                ok=bed_hot is None,
                says=f"The bed is set to {bed_c:g} °C at most." if bed_c else "The bed is not heated.",
                line=bed_hot,
            ),
            self._check(
                "speed",
                self.fast,
                "No axis is asked for more speed than it has.",
                f"{self.fast.moves:,} moves ask for more speed than an axis has.",
            ),
            FileCheck(
                name="acceleration",
                ok=most is None,
                says=asked,
                line=most,
            ),
            self._check(
                "flow",
                self.over,
                f"No more is asked for than {self.caps.max():.1f} mm³/s, which melts.",
                f"Up to {self.over.value:.1f} mm³/s are asked for; {self.caps.max():.1f} melt.",
            ),
            FileCheck(
                name="heaters_off",
                ok=not left,
                says=f"At its end {' and '.join(left)} stay{'s' if len(left) == 1 else ''} hot."
                if left
                else "At its end every heater is off.",
            ),
        ]

    def _check(self, name: CheckName, worst: _Worst, fine: str, wrong: str) -> FileCheck:
        return FileCheck(name=name, ok=worst.line is None, says=fine if worst.line is None else wrong, line=worst.line)

    def _accelerations(self) -> tuple[int | None, str]:
        top = self.printer.max_acceleration_mm_s2
        across, pull = float(np.hypot(top.x, top.y)), top.e
        beyond = [
            (line, value)
            for line, letter, value in self.beside.accelerations
            if value > (pull if letter == "R" else across) * 1.001
        ]
        if not beyond:
            return None, "No acceleration beyond the axes is asked for."
        return beyond[0][0], f"Up to {max(value for _, value in beyond):.0f} mm/s² are asked for; the axes have less."

    def track(self) -> list[TrackPoint]:
        """The track, thinned to some hundred points that are as far apart in time as they can be."""
        if not self.points:
            return []
        times = np.array([causes.sum() for _, causes, _, _ in self.points])
        wanted = np.linspace(0, times[-1], min(TRACK_POINTS, len(times)))
        chosen = np.unique(np.searchsorted(times, wanted).clip(max=len(times) - 1))
        first = self.beside.begins or 0
        found = [
            TrackPoint(
                byte=self.beside.byte_of(first),
                time_s=0.0,
                by_cause_s=[0.0] * len(CAUSES),
                height_mm=0.0,
                layer=0,
            )
        ]
        for place in chosen.tolist():
            line, causes, height, layer = self.points[place]
            found.append(
                TrackPoint(
                    byte=max(found[-1].byte, self.beside.byte_of(line + 1)),
                    time_s=round(float(causes.sum()), 3),
                    by_cause_s=[round(value, 3) for value in causes.tolist()],
                    height_mm=round(height, 3),
                    layer=layer,
                )
            )
        return found
