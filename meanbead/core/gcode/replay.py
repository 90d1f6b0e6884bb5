"""Replay G-code through the same motion model as a planned part: time, filament, both ledgers, broken limits.

The text is read in pieces. Look-ahead works on a window that is cut only where nothing that follows can change what
lies before (:attr:`~meanbead.core.motion.lookahead.Profile.settled`), so the pieces' size changes no figure, and
memory stays bounded by a piece and one unbroken run of speed.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import BinaryIO, Literal

import numpy as np
from numpy.typing import NDArray

from meanbead.core.errors import MeanBeadError
from meanbead.core.estimate.ledger import CAUSES, sum_causes
from meanbead.core.estimate.moves import Kind
from meanbead.core.formulas.bead import filament_area_mm2, filament_mass_g
from meanbead.core.formulas.melt import MeltCeiling, melt_ceiling
from meanbead.core.gcode import parser as gc
from meanbead.core.gcode.beside import BEGINS, ENDS
from meanbead.core.gcode.extended import with_limits
from meanbead.core.gcode.filament import FilamentAccount, Turns
from meanbead.core.gcode.firmware import apply_settings
from meanbead.core.model.base import Provenance
from meanbead.core.model.estimate import Result
from meanbead.core.model.material import Material
from meanbead.core.model.nozzle import Nozzle
from meanbead.core.model.printer import Printer
from meanbead.core.motion.limits import path_limits
from meanbead.core.motion.lookahead import Moves, Profile, plan_speeds

__all__ = ["FEATURE_PATTERN", "Mark", "MarkKind", "Replay", "ReplayCauses", "ReplayedFeature", "Settled", "replay"]

FEATURE_PATTERN = r"(?i)^\s*feature\s*[:=]\s*(?P<feature>.+?)\s*$"
"""Comments that name the feature of the strokes after them; the group ``feature`` is the name. Users may change it."""

PIECE_BYTES = 4 * 1024 * 1024
TOLD_LINES = 20
TOLD_MARKS = 1000

_OUTSIDE_MM = 0.5
"""So far beyond the bed still counts as its edge."""

_PURGED = -2
_BEGINS, _ENDS = BEGINS.removeprefix("; "), ENDS.removeprefix("; ")

Floats = NDArray[np.float64]


class ReplayedFeature(Result):
    """One feature's part of a replayed file."""

    time_s: float
    filament_mm: float
    filament_g: float
    length_mm: float
    peak_flow_mm3_s: float


class ReplayCauses(Result):
    """Each second by what held it; the sum is ``print_time_s``."""

    at_set_speed_s: float
    ramps_s: float
    corners_s: float
    travelling_s: float
    retracting_s: float
    z_and_layer_change_s: float
    waiting_s: float


MarkKind = Literal["axis_speed", "melt_ceiling", "outside", "temperature"]


class Mark(Result):
    """Something that a file does beyond the machine: what, in which line, how much it asks for and how much there is."""

    kind: MarkKind
    line: int
    value: float
    limit: float


class Replay(Result):
    """What a G-code file does on a machine. Homing and heating are not counted.

    Printing is what stands between the marks of printing, as in files that are written here; without marks it begins with the
    first plastic. ``before_s`` are the moves and waits around it: the way to the first stroke, a purge before the mark.
    ``filament_mm`` is what leaves the nozzle: laid while it moves across, and purged in one place. What is pulled back and
    pushed forward again is neither. ``marks`` are the first :data:`TOLD_MARKS` places where it goes beyond the machine.
    """

    print_time_s: float
    before_s: float = 0.0
    filament_mm: float
    laid_mm: float
    purged_mm: float
    retracted_mm: float
    primed_mm: float
    height_mm: float
    marks: list[Mark]
    filament_g: float
    layers: int
    travel_mm: float
    retractions: int
    by_feature: dict[str, ReplayedFeature]
    by_cause: ReplayCauses
    peak_flow_mm3_s: float
    melt_ceiling_mm3_s: float
    melt_ceiling_source: Provenance
    melt_basis: str
    over_ceiling_s: float
    over_ceiling_first_line: int | None
    over_speed_moves: int
    over_speed_first_line: int | None
    nozzle_temp_c: float | None
    moves: int
    lines: int
    unknown_commands: int
    malformed_lines: list[int]
    malformed_count: int
    feature_names: list[str]


@dataclass(frozen=True)
class Settled:
    """Moves whose times nothing that follows can change, arrays of length n: ``delta`` and the ``place`` where each ends,
    mm; what each ``laid``, mm of filament; seconds with and without corners; speed asked for within the axes, and flow
    reached; number of the feature; the file's ``line``; whether it lays plastic, what it goes beyond, and whether it
    counts as printing."""

    delta: Floats
    place: Floats
    laid: Floats
    time_s: Floats
    free_s: Floats
    speed_mm_s: Floats
    flow_mm3_s: Floats
    feature: NDArray[np.int64]
    line: NDArray[np.int64]
    plastic: NDArray[np.bool_]
    too_fast: NDArray[np.bool_]
    over_ceiling: NDArray[np.bool_]
    outside: NDArray[np.bool_]
    counted: NDArray[np.bool_]


@dataclass
class _Pending:
    """Moves whose speeds are not settled yet."""

    delta: Floats = field(default_factory=lambda: np.empty((0, 4)))
    speed: Floats = field(default_factory=lambda: np.empty(0))
    acceleration: Floats = field(default_factory=lambda: np.empty(0))
    corner: Floats = field(default_factory=lambda: np.empty(0))
    stop: Floats = field(default_factory=lambda: np.empty(0))
    asked: Floats = field(default_factory=lambda: np.empty(0))
    halt: NDArray[np.bool_] = field(default_factory=lambda: np.empty(0, dtype=bool))
    feature: NDArray[np.int64] = field(default_factory=lambda: np.empty(0, np.int64))
    line: NDArray[np.int64] = field(default_factory=lambda: np.empty(0, np.int64))
    start: float = -1.0
    free_start: float = -1.0

    def extend(self, others: list[_Pending]) -> None:
        """Append other stretches."""
        for name in _PENDING_ARRAYS:
            setattr(self, name, np.concatenate([getattr(self, name), *(getattr(other, name) for other in others)]))

    def drop(self, count: int, start: float, free_start: float) -> None:
        """Forget moves that are settled; the rest begins at a known speed, with corners and without."""
        for name in _PENDING_ARRAYS:
            setattr(self, name, getattr(self, name)[count:])
        self.start, self.free_start = start, free_start


_PENDING_ARRAYS = ("delta", "speed", "acceleration", "corner", "stop", "asked", "halt", "feature", "line")


def replay(
    stream: BinaryIO,
    printer: Printer | None = None,
    *,
    nozzle: Nozzle | None = None,
    material: Material | None = None,
    pattern: str = FEATURE_PATTERN,
    limits_pattern: str | None = None,
    piece_bytes: int = PIECE_BYTES,
    progress: Callable[[Settled], None] | None = None,
) -> Replay:
    """Replay a file. Raises :class:`MeanBeadError` for a pattern that is none, or a file without moves.

    ``limits_pattern`` matches whole lines of extended commands that set limits: its groups ``acceleration`` (mm/s2) and
    ``corner`` (speed through a square corner, mm/s), of which it needs one, then count from there. ``progress`` is given the
    moves as they settle; what it raises ends the replay.
    """
    player = _Player(printer or Printer(), nozzle or Nozzle(), material or Material(), pattern)
    player.progress = progress
    pieces = _pieces(stream, piece_bytes)
    if limits_pattern is not None:
        pieces = with_limits(pieces, limits_pattern, player.printer)
    return player.play(pieces)


def _pieces(stream: BinaryIO, size: int) -> Iterable[bytes]:
    """Whole lines, about ``size`` bytes at a time."""
    rest = b""
    while block := stream.read(size):
        block = rest + block
        cut = block.rfind(b"\n") + 1
        rest = block[cut:]
        if len(rest) > 1_000_000:
            raise MeanBeadError("A line is longer than a megabyte: this is no G-code.", field="file", code="over_limit")
        if cut:
            yield block[:cut]
    if rest:
        yield rest


class _Player:
    def __init__(self, printer: Printer, nozzle: Nozzle, material: Material, pattern: str) -> None:
        self.printer, self.nozzle, self.material = printer, nozzle, material
        try:
            self.pattern = re.compile(pattern)
        except re.error as problem:
            raise MeanBeadError(f"The feature pattern is no regular expression: {problem}.", field="pattern") from None
        if "feature" not in self.pattern.groupindex:
            raise MeanBeadError(
                "The feature pattern has no group named feature.", field="pattern", remedy="Write (?P<feature>...)."
            )
        requested = printer.acceleration_mm_s2
        self.state = gc.new_state(
            requested.print, requested.travel, requested.retract, wipes_print=requested.wipe == "print"
        )
        self.names: dict[str, int] = {"unlabelled": 0}
        self.current = 0
        self.halt_next = True
        self.last_delta, self.last_requested = np.zeros(4), np.inf
        self.pending = _Pending()
        self.queued: list[_Pending] = []
        self.time: dict[int, float] = {}
        self.filament: dict[int, float] = {}
        self.length: dict[int, float] = {}
        self.peak: dict[int, float] = {}
        self.causes = dict.fromkeys(ReplayCauses.model_fields, 0.0)
        self.place = np.zeros(3)
        self.homed = False
        self.top_mm = 0.0
        self.used = FilamentAccount()
        self.turns = Turns()
        self.begins, self.ends, self.laying, self.marked = 0, np.iinfo(np.int64).max, False, False
        self.before_s = 0.0
        self.marks: list[Mark] = []
        self.moves = self.retractions = self.over_speed = 0
        self.over_speed_line: int | None = None
        self.over_ceiling_s = 0.0
        self.over_ceiling_line: int | None = None
        self.travel_mm = 0.0
        self.malformed: list[int] = []
        self.malformed_count = 0
        self.temp_c: float | None = None
        self.progress: Callable[[Settled], None] | None = None

    def play(self, pieces: Iterable[bytes]) -> Replay:
        for text, rows in self._scanned(pieces):
            self._take(text, rows)
            self._settle(everything=False)
        self._settle(everything=True)
        if not self.moves:
            raise MeanBeadError(
                "The file holds no moves.", field="file", remedy="Choose a G-code file, as text, not an archive."
            )
        return self._result()

    def _scanned(self, pieces: Iterable[bytes]) -> Iterator[tuple[bytes, gc.Rows]]:
        """Pieces with their rows, each scanned while the one before it is being planned."""
        with ThreadPoolExecutor(1) as pool:
            ahead: tuple[bytes, Future[gc.Rows]] | None = None
            for text in pieces:
                job = (text, pool.submit(gc.scan, text, self.state))
                if ahead is not None:
                    yield ahead[0], ahead[1].result()
                ahead = job
            if ahead is not None:
                yield ahead[0], ahead[1].result()

    def _take(self, text: bytes, rows: gc.Rows) -> None:
        """Cut a piece where the machine stops or its settings change, and queue the moves between."""
        begin = 0
        feature = np.empty(len(rows.kind), dtype=np.int64)
        named = 0
        for index in np.flatnonzero(rows.kind != gc.MOVE).tolist():
            feature[named:index] = self.current
            named = index
            if rows.kind[index] not in (gc.COMMENT, gc.MALFORMED):
                self._queue(rows, feature, begin, index)
                begin = index + 1
            self._event(text, rows, index)
        feature[named:] = self.current
        self._queue(rows, feature, begin, len(rows.kind))

    def _event(self, text: bytes, rows: gc.Rows, index: int) -> None:
        kind = rows.kind[index]
        if kind == gc.COMMENT:
            said = text[rows.span[index, 0] : rows.span[index, 1]].decode("utf-8", "replace").strip("\r")
            if said.strip() == _BEGINS:
                if not self.marked:
                    self.marked = True
                    self._begin(int(rows.line[index]))
            elif said.strip() == _ENDS:
                self.ends = int(rows.line[index])
            elif found := self.pattern.match(said):
                name = re.sub(r"\W+", "_", found["feature"].strip().lower()).strip("_") or "unlabelled"
                self.current = self.names.setdefault(name, len(self.names))
        elif kind == gc.DWELL:
            if rows.line[index] < self.ends:
                self.causes["waiting_s"] += float(rows.delta[index, 0])
            else:
                self.before_s += float(rows.delta[index, 0])
            self.halt_next = True
        elif kind == gc.HOME:
            self.place = rows.delta[index, :3].copy()
            self.homed = True
            self.halt_next = True
        elif kind == gc.MALFORMED:
            self._malformed(rows.line[index])
        else:
            try:
                said = text[rows.span[index, 0] : rows.span[index, 1]].decode("ascii", "replace").upper()
                self._setting(said, int(rows.line[index]))
            except MeanBeadError:
                self._malformed(rows.line[index])  # a limit that no machine has

    def _begin(self, line: int) -> None:
        """Printing begins after this line: what was counted so far came before it, and what was laid was to purge."""
        self.begins, self.laying = line, True
        self.before_s += sum(self.causes.values())
        self.causes = dict.fromkeys(ReplayCauses.model_fields, 0.0)
        purged = sum(self.filament.values())
        self.time, self.length, self.peak, self.filament = {}, {}, {}, {}
        if purged > 0:
            self.time, self.length, self.filament = {_PURGED: 0.0}, {_PURGED: 0.0}, {_PURGED: purged}
        self.used.purged, self.used.laid = self.used.purged + self.used.laid, 0.0
        self.travel_mm, self.retractions, self.over_ceiling_s, self.turns = 0.0, 0, 0.0, Turns()

    def _malformed(self, line: int) -> None:
        self.malformed_count += 1
        if len(self.malformed) < TOLD_LINES:
            self.malformed.append(int(line))

    def _setting(self, line: str, number: int) -> None:
        words = {letter: float(value) for letter, value in re.findall(r"([A-Z])\s*(-?\d*\.?\d+)", line)}
        code = int(words.pop("M", 0))
        if code in (104, 109) and words.get("S", 0) > 0:
            self.temp_c = max(self.temp_c or 0.0, words["S"])
            if words["S"] > self.printer.hotend.max_temp_c:
                self._mark("temperature", number, words["S"], self.printer.hotend.max_temp_c)
        if code in (109, 190, 400):
            self.halt_next = True
        if code in (201, 203, 205):
            self.printer = apply_settings(self.printer, f"M{code}", words)

    def _queue(self, rows: gc.Rows, feature: NDArray[np.int64], begin: int, end: int) -> None:
        taken = begin + np.flatnonzero(rows.kind[begin:end] == gc.MOVE)
        # A chord of an arc without a radius goes nowhere: no direction can be told of it.
        taken = taken[np.any(rows.delta[taken] != 0, axis=1)]
        if not len(taken):
            return
        if not self.begins and not self.laying:
            plastic = (rows.delta[taken, 3] > 0) & np.any(rows.delta[taken, :2] != 0, axis=1)
            if plastic.any():
                self._begin(int(rows.line[taken[np.argmax(plastic)]]) - 1)
        delta, asked = rows.delta[taken], rows.speed_mm_s[taken]
        requested = rows.acceleration_mm_s2[taken]
        if self.halt_next:
            limits = path_limits(delta, asked, requested, self.printer)
        else:
            # The move before takes part in the first corner.
            limits = path_limits(
                np.vstack([self.last_delta, delta]),
                np.concatenate([asked[:1], asked]),
                np.concatenate([[self.last_requested], requested]),
                self.printer,
            ).after_first()
        self.queued.append(
            _Pending(
                delta=delta,
                speed=limits.speed_mm_s,
                acceleration=limits.acceleration_mm_s2,
                corner=limits.corner_mm_s,
                stop=limits.stop_mm_s,
                asked=asked,
                halt=limits.halt,
                feature=feature[taken],
                line=rows.line[taken],
            )
        )
        self.halt_next = False
        self.last_delta, self.last_requested = delta[-1], float(requested[-1])

    def _settle(self, *, everything: bool) -> None:
        """Plan what is pending, and account for the part that nothing can change any more."""
        waiting = self.pending
        waiting.extend(self.queued)
        self.queued = []
        if not len(waiting.speed):
            return
        path = np.sqrt(np.sum(waiting.delta[:, :3] ** 2, axis=1))
        length = np.where(path > 0, path, np.abs(waiting.delta[:, 3]))
        moves = Moves(length, waiting.delta / length[:, None], waiting.speed, waiting.acceleration, waiting.halt)
        profile = plan_speeds(moves, waiting.corner, waiting.stop, waiting.start)
        plastic = (path > 0) & (waiting.delta[:, 3] > 0) & np.any(waiting.delta[:, :2] != 0, axis=1)
        between_plastic = plastic.copy()
        between_plastic[1:] &= plastic[:-1]
        between_plastic[0] = False
        free_corner = np.where(between_plastic, np.inf, waiting.corner)
        free = plan_speeds(moves, free_corner, waiting.stop, waiting.free_start)
        done = len(length) if everything else min(profile.settled, free.settled)
        if done:
            self._account(waiting, path, length, profile, free.time_s, done)
            starts = (-1.0, -1.0)
            if done < len(length):
                starts = (float(profile.entry_mm_s[done]), float(free.entry_mm_s[done]))
            waiting.drop(done, *starts)

    def _account(
        self, waiting: _Pending, path: Floats, length: Floats, profile: Profile, free_s: Floats, done: int
    ) -> None:
        delta, path, length = waiting.delta[:done], path[:done], length[:done]
        time_s, asked, speed = profile.time_s[:done], waiting.asked[:done], waiting.speed[:done]
        pulled = path == 0
        plastic = ~pulled & (delta[:, 3] > 0) & ((delta[:, 0] != 0) | (delta[:, 1] != 0))
        lift = ~pulled & ~plastic & (delta[:, 0] == 0) & (delta[:, 1] == 0)
        travel = ~pulled & ~plastic & ~lift
        kinds = np.select([plastic, pulled, lift], [Kind.PLASTIC, Kind.RETRACT, Kind.LIFT], Kind.TRAVEL)
        kind = kinds.astype(np.uint8)
        # Nothing is held back by the melt ceiling: files are replayed as they are.
        counted = (waiting.line[:done] > self.begins) & (waiting.line[:done] < self.ends)
        self.before_s += float(time_s[~counted].sum())
        seconds = sum_causes(
            kind[counted],
            length[counted],
            speed[counted],
            np.full(int(counted.sum()), np.inf),
            time_s[counted],
            free_s[:done][counted],
        )
        for cause, total in zip(CAUSES, seconds.tolist(), strict=True):
            if f"{cause}_s" in self.causes:
                self.causes[f"{cause}_s"] += total
        self.moves += done
        self.travel_mm += float(path[travel & counted].sum())
        self.retractions += int(np.count_nonzero(pulled & counted & (delta[:, 3] < 0)))
        # Plastic outside of the marks is laid to purge.
        laid, purged = self.used.take(delta, plastic & counted)
        place = self.place + np.cumsum(delta[:, :3], axis=0)
        self.turns.take(delta, place[:, 2], plastic & counted)
        self.top_mm = max(self.top_mm, float(place[plastic, 2].max(initial=0.0)))
        outside = self._mark_outside(place, plastic, waiting.line[:done])
        self.place = place[-1]
        flow = profile.peak_mm_s[:done] * delta[:, 3] / length * filament_area_mm2(self.printer.filament_diameter_mm)
        ceiling = self._ceiling().plan_mm3_s
        fast = np.flatnonzero(asked > speed * (1 + 1e-9))
        self.over_speed += len(fast)
        if len(fast) and self.over_speed_line is None:
            self.over_speed_line = int(waiting.line[fast[0]])
        for k in fast[: TOLD_MARKS - len(self.marks)].tolist():
            self._mark("axis_speed", int(waiting.line[k]), float(asked[k]), float(speed[k]))
        over = np.flatnonzero(plastic & (flow > ceiling * (1 + 1e-9)))
        self.over_ceiling_s += float(time_s[over[counted[over]]].sum())
        if len(over) and self.over_ceiling_line is None:
            self.over_ceiling_line = int(waiting.line[over[0]])
        for k in over[: TOLD_MARKS - len(self.marks)].tolist():
            self._mark("melt_ceiling", int(waiting.line[k]), float(flow[k]), ceiling)
        if self.progress is not None:
            too_fast, over_ceiling = np.zeros(done, dtype=bool), np.zeros(done, dtype=bool)
            too_fast[fast], over_ceiling[over] = True, True
            self.progress(
                Settled(
                    delta,
                    place,
                    laid,
                    time_s,
                    free_s[:done],
                    speed,
                    np.where(plastic, flow, 0.0),
                    waiting.feature[:done],
                    waiting.line[:done],
                    plastic,
                    too_fast,
                    over_ceiling,
                    outside,
                    counted,
                )
            )
        # -1 stands for everything without plastic: travel, lifts, retraction.
        feature = np.where(plastic, waiting.feature[:done], -1)
        for number in np.unique(feature[counted]).tolist():
            rows = counted & (feature == number)
            self.time[number] = self.time.get(number, 0.0) + float(time_s[rows].sum())
            self.length[number] = self.length.get(number, 0.0) + float(path[rows].sum())
            if number >= 0:
                self.filament[number] = self.filament.get(number, 0.0) + float(laid[rows].sum())
                self.peak[number] = max(self.peak.get(number, 0.0), float(flow[rows].max()))

        # What is pushed out in one place has a name of its own, and of a push that also primes its share of the seconds.
        pushes = np.flatnonzero(purged > 0)
        if len(pushes):
            pushed_s = float((time_s * purged * counted)[pushes] @ (1 / delta[pushes, 3]))
            if pushed_s > 0:
                self.time[-1] -= pushed_s
            self.time[_PURGED] = self.time.get(_PURGED, 0.0) + pushed_s
            self.length.setdefault(_PURGED, 0.0)
            self.filament[_PURGED] = self.filament.get(_PURGED, 0.0) + float(purged.sum())

    def _mark(self, kind: MarkKind, line: int, value: float, limit: float) -> None:
        if len(self.marks) < TOLD_MARKS and (
            not self.marks or (self.marks[-1].kind, self.marks[-1].line) != (kind, line)
        ):
            self.marks.append(Mark(kind=kind, line=line, value=value, limit=limit))

    def _mark_outside(self, place: Floats, plastic: NDArray[np.bool_], line: NDArray[np.int64]) -> NDArray[np.bool_]:
        """Which plastic lies beyond the room to print in; only where the file homes, so that its zero is the machine's."""
        if not self.homed:
            return np.zeros(len(plastic), dtype=bool)
        room = np.array([self.printer.bed_mm.x, self.printer.bed_mm.y, self.printer.bed_mm.z])
        beyond = np.maximum(place - room, -place)
        outside: NDArray[np.bool_] = plastic & (beyond.max(axis=1) > _OUTSIDE_MM)
        for k in np.flatnonzero(outside)[: TOLD_MARKS - len(self.marks)].tolist():
            axis = int(np.argmax(beyond[k]))
            self._mark("outside", int(line[k]), float(place[k, axis]), float(room[axis]))
        return outside

    def _ceiling(self) -> MeltCeiling:
        temp = self.temp_c if self.temp_c is not None else self.material.nozzle_temp_c
        return melt_ceiling(self.printer, self.nozzle, self.material, temp)

    def _result(self) -> Replay:
        area, density = filament_area_mm2(self.printer.filament_diameter_mm), self.material.density_g_cm3
        names = {number: name for name, number in self.names.items()} | {-1: "travel", _PURGED: "purge"}
        by_feature = {
            names[entry]: ReplayedFeature(
                time_s=self.time[entry],
                filament_mm=self.filament.get(entry, 0.0),
                filament_g=filament_mass_g(self.filament.get(entry, 0.0) * area, density),
                length_mm=self.length[entry],
                peak_flow_mm3_s=self.peak.get(entry, 0.0),
            )
            for entry in sorted(self.time, key=lambda number: -self.time[number])
        }
        if self.causes["waiting_s"] > 0:
            by_feature["wait"] = ReplayedFeature(
                time_s=self.causes["waiting_s"], filament_mm=0, filament_g=0, length_mm=0, peak_flow_mm3_s=0
            )
        ceiling = self._ceiling()
        return Replay(
            print_time_s=sum(self.causes.values()),
            before_s=self.before_s,
            filament_mm=self.used.laid + self.used.purged,
            filament_g=filament_mass_g((self.used.laid + self.used.purged) * area, density),
            laid_mm=self.used.laid,
            purged_mm=self.used.purged,
            retracted_mm=self.used.retracted,
            primed_mm=self.used.primed,
            height_mm=self.top_mm,
            marks=sorted(self.marks, key=lambda mark: mark.line),
            layers=self.turns.layers,
            travel_mm=self.travel_mm,
            retractions=self.retractions,
            by_feature=by_feature,
            by_cause=ReplayCauses(**self.causes),
            peak_flow_mm3_s=max(self.peak.values(), default=0.0),
            melt_ceiling_mm3_s=ceiling.plan_mm3_s,
            melt_ceiling_source=ceiling.source,
            melt_basis=ceiling.basis,
            over_ceiling_s=self.over_ceiling_s,
            over_ceiling_first_line=self.over_ceiling_line,
            over_speed_moves=self.over_speed,
            over_speed_first_line=self.over_speed_line,
            nozzle_temp_c=self.temp_c,
            moves=self.moves,
            lines=int(self.state[gc.LINE]),
            unknown_commands=int(self.state[gc.UNKNOWN]),
            malformed_lines=self.malformed,
            malformed_count=self.malformed_count,
            feature_names=list(self.names),
        )
