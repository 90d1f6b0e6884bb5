"""A whole file that prints a plan on a machine: its own start text, every move, fan and temperatures, its own end text.

Written in pieces from the moves of the estimate itself, so that what is printed is what was promised; the text as a whole is
never held. Between ``; print begins`` and ``; print ends`` stands what the estimate counts as printing.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from meanbead.core.errors import MeanBeadError
from meanbead.core.estimate.cooling import ASIDE_LIFT_MM, ASIDE_MM
from meanbead.core.estimate.moves import CLEAR_MM, Kind
from meanbead.core.estimate.summary import Run
from meanbead.core.estimate.timing import requests_of
from meanbead.core.formulas.bead import filament_area_mm2
from meanbead.core.gcode.arcs import fit_arcs
from meanbead.core.gcode.beside import BEGINS, ENDS
from meanbead.core.gcode.inspect import Promise
from meanbead.core.gcode.lines import ACCELERATIONS, E_UNIT, F_UNIT, XY_UNIT, Z_UNIT, Batch, LineWriter
from meanbead.core.gcode.pace import Pace, pace_of
from meanbead.core.gcode.placeholders import fill_in
from meanbead.core.model.machine_file import FileOptions
from meanbead.core.model.plan import Plan
from meanbead.core.model.printer import Printer
from meanbead.core.motion.limits import path_limits
from meanbead.core.motion.lookahead import Moves, plan_speeds
from meanbead.core.strokes.features import FEATURES, Feature

__all__ = ["placeholder_values", "plan_as_filed", "promise_of", "write_program"]

PIECE_MOVES = 100_000

_ARC_SHARE = 0.01
"""An arc leaves its strokes by no more than this share of a line's width."""

_PLAIN_TEXT = 120

Floats = NDArray[np.float64]


def plan_as_filed(plan: Plan, printer: Printer, options: FileOptions) -> Plan:
    """The plan as a file can say it: where the machine takes no accelerations from files, with its own."""
    if options.accelerations != "own":
        return plan
    own = printer.acceleration_mm_s2
    return replace(
        plan,
        outer_wall_acceleration_mm_s2=own.print,
        infill_acceleration_mm_s2=own.print,
        print_acceleration_mm_s2=own.print,
        travel_acceleration_mm_s2=own.travel,
    )


def placeholder_values(run: Run, middle_mm: tuple[float, float]) -> dict[str, float]:
    """What the words of start and end text stand for in a print whose middle stands at ``middle_mm`` of the bed."""
    plan, strokes, job = run.plan, run.strokes, run.prepared.job
    laid = ~strokes.is_travel
    first = laid & (strokes.layer == strokes.layer[np.flatnonzero(laid)[0]])
    half = strokes.width_mm[first][:, None] / 2
    low = np.minimum(strokes.start_xy[first] - half, strokes.end_xy[first] - half).min(axis=0)
    high = np.maximum(strokes.start_xy[first] + half, strokes.end_xy[first] + half).max(axis=0)
    bed, grams = job.printer.bed_mm, float(np.sum(np.where(laid, strokes.area_mm2 * strokes.length_mm, 0.0)))
    wide, deep = strokes.extent_mm
    return {
        "first_layer_nozzle_temp_c": plan.first_layer_nozzle_temp_c,
        "nozzle_temp_c": plan.nozzle_temp_c,
        "first_layer_bed_temp_c": plan.first_layer_bed_temp_c,
        "bed_temp_c": plan.bed_temp_c,
        "first_layer_left_mm": float(low[0]) + middle_mm[0],
        "first_layer_right_mm": float(high[0]) + middle_mm[0],
        "first_layer_front_mm": float(low[1]) + middle_mm[1],
        "first_layer_back_mm": float(high[1]) + middle_mm[1],
        "size_x_mm": wide,
        "size_y_mm": deep,
        "size_z_mm": float(strokes.layers.top_mm.max()),
        "bed_x_mm": bed.x,
        "bed_y_mm": bed.y,
        "bed_z_mm": bed.z,
        "layer_height_mm": plan.shape.layer_height_mm,
        "layers": float(len(strokes.layers)),
        "bore_mm": job.nozzle.bore_mm,
        "print_time_s": round(run.timing.print_time_s),
        "filament_g": grams * plan.flow_ratio * job.material.density_g_cm3 / 1000,
        "retraction_mm": plan.retraction_mm,
        "travel_mm_s": plan.speed_mm_s.travel,
    }


def promise_of(run: Run) -> Promise:
    """What a run's estimate says of a file that is written from it."""
    strokes = run.strokes
    mm3 = float(np.sum(np.where(strokes.is_travel, 0.0, strokes.area_mm2 * strokes.length_mm))) * run.plan.flow_ratio
    area = filament_area_mm2(run.prepared.job.printer.filament_diameter_mm)
    return Promise(print_time_s=run.timing.print_time_s, filament_mm=mm3 / area)


def write_program(
    run: Run, options: FileOptions, title: str, middle_mm: tuple[float, float] | None = None
) -> Iterator[bytes]:
    """A file in pieces of whole lines. ``run`` is of all layers; ``middle_mm`` is where on the bed the strokes' own origin stands,
    the bed's middle where None.

    Raises :class:`MeanBeadError` where the machine has no start or end text, or these hold a word that stands for nothing.
    """
    printer = run.prepared.job.printer
    for text, field, which in ((printer.start_gcode, "start_gcode", "start"), (printer.end_gcode, "end_gcode", "end")):
        if not text.strip():
            raise MeanBeadError(
                f"The machine has no {which} text of its own.",
                field=field,
                remedy="Give it one on the shelf, as the maker has it: how to home, heat and prime differs from machine to machine.",
            )
    middle = middle_mm or _middle_of_bed(run)
    values = placeholder_values(run, middle)
    start = fill_in(printer.start_gcode, values, "start_gcode")
    end = fill_in(printer.end_gcode, values, "end_gcode")
    return _written(run, options, _plain(title), middle, start, end)


def _written(
    run: Run, options: FileOptions, title: str, middle: tuple[float, float], start: str, end: str
) -> Iterator[bytes]:
    writer = _Program(run, options, middle)
    yield _lines([f"; {title}", *writer.head(), "", start, "", *writer.approach(), BEGINS])
    yield from writer.moves()
    yield _lines([ENDS, *(["M73 P100 R0"] if options.progress == "percent" else []), end])


def _middle_of_bed(run: Run) -> tuple[float, float]:
    """Where the strokes' origin stands so that all plastic has its middle on the bed's."""
    strokes = run.strokes
    laid = ~strokes.is_travel
    half = strokes.width_mm[laid][:, None] / 2
    low = np.minimum(strokes.start_xy[laid] - half, strokes.end_xy[laid] - half).min(axis=0)
    high = np.maximum(strokes.start_xy[laid] + half, strokes.end_xy[laid] + half).max(axis=0)
    bed = run.prepared.job.printer.bed_mm
    return float(bed.x / 2 - (low[0] + high[0]) / 2), float(bed.y / 2 - (low[1] + high[1]) / 2)


def _lines(lines: list[str]) -> bytes:
    return ("\n".join(lines) + "\n").encode("utf-8", "replace")


def _plain(text: str) -> str:
    """A text as it may stand in a comment."""
    return " ".join("".join(letter if letter.isprintable() else " " for letter in text).split())[:_PLAIN_TEXT]


@dataclass
class _Clock:
    """Seconds so far, and the last mark that was written."""

    passed_s: float = 0.0
    percent: int = -1


class _Program:
    def __init__(self, run: Run, options: FileOptions, middle: tuple[float, float]) -> None:
        self.run, self.options = run, options
        self.plan, self.printer, self.strokes = run.plan, run.prepared.job.printer, run.strokes
        self.table, self.cooling = run.timing.moves, run.timing.cooling
        self.middle = np.array(middle)
        above, first = run.prepared.flow_caps_mm3_s
        self.requests = requests_of(self.strokes, self.table, self.plan, self.printer, above, first)
        self.pace: Pace = pace_of(run.timing, self.requests, self.plan, self.printer)
        layer = self.strokes.layer[self.table.stroke]
        self.layer = layer
        waits = self.cooling.wait_s + self.cooling.aside_s.sum(axis=1)
        self.whole_s = float(self.pace.profile.time_s.sum() + waits.sum())
        self.clock = _Clock()
        self.lines = LineWriter(FEATURES, ACCELERATIONS[options.accelerations])
        top = self.printer.max_acceleration_mm_s2
        # Along no direction do the axes allow more than this, so that asking for it is as good as asking for more.
        self.most_mm_s2 = float(np.hypot(top.x, top.y))

    def head(self) -> list[str]:
        """What the file says of itself."""
        job, plan = self.run.prepared.job, self.plan
        minutes = round(self.whole_s / 60)
        return [
            f"; {len(self.strokes.layers)} layers of about {plan.shape.layer_height_mm:g} mm, nozzle {job.nozzle.bore_mm:g} mm, "
            f"{_plain(job.material.name)}",
            f"; printing takes about {minutes // 60}:{minutes % 60:02d}, without heating",
            "; stay with it while it prints for the first time, and follow the maker's instructions",
        ]

    def approach(self) -> list[str]:
        """To the first stroke, and what holds from the beginning."""
        speeds = self.printer.max_speed_mm_s
        x, y = self.strokes.start_xy[0] + self.middle
        z = float(self.strokes.layers.top_mm[self.strokes.layer[0]])
        self.place = np.array([x, y, z])
        self.lines.at(np.round(self.place / [XY_UNIT, XY_UNIT, Z_UNIT]).astype(np.int64), 0)
        lift = f"F{min(speeds.z, 10.0) * 60:.1f}"
        wanted = [] if self.options.accelerations != "by_kind" else [f"M204 R{self._retract():.0f}"]
        return [
            "G21",
            "G90",
            "M83",
            "G92 E0",
            *wanted,
            f"G1 Z{z + CLEAR_MM:.4f} {lift}",
            f"G0 X{x:.4f} Y{y:.4f} F{min(self.plan.speed_mm_s.travel, speeds.x, speeds.y) * 60:.1f}",
            f"G1 Z{z:.4f} {lift}",
            "M400",
            self._fan(0),
        ]

    def _retract(self) -> float:
        return min(self.printer.acceleration_mm_s2.retract, self.printer.max_acceleration_mm_s2.e)

    def _fan(self, stroke: int) -> str:
        share = float(self.fan_of[stroke])
        return f"M106 S{round(255 * share)}" if share > 0 else "M107"

    @cached_property
    def fan_of(self) -> Floats:
        """The fan on each stroke, 0 to 1, (strokes,)."""
        strokes, plan = self.strokes, self.plan
        # Each copy begins on the bed anew.
        numbers, beds = np.arange(len(strokes.layers)), strokes.layers.on_bed
        begins = beds & np.concatenate([[True], ~beds[:-1]])
        own = numbers - np.maximum.accumulate(np.where(begins, numbers, 0))
        off = own[strokes.layer] < plan.fan_off_layers
        fans = np.where(off, 0.0, np.where(strokes.feature == Feature.BRIDGE, plan.bridge_fan, plan.fan))
        # A travel keeps what blows, so that hops between bridges do not switch it to and fro.
        laid = np.flatnonzero(~strokes.is_travel)
        last = np.clip(np.searchsorted(laid, np.arange(len(off)), side="right") - 1, 0, None)
        kept: Floats = np.where(strokes.is_travel & ~off, fans[laid[last]], fans)
        return kept

    def moves(self) -> Iterator[bytes]:
        """Every move, and between them what changes from layer to layer."""
        events = self._events()
        marks = sorted(events)
        filament, next_mark = 0.0, 0
        count = len(self.table)
        for low in range(0, count, PIECE_MOVES):
            high = min(count, low + PIECE_MOVES)
            batch, filament, times = self._batch(low, high, filament)
            first = low
            while next_mark < len(marks) and marks[next_mark] < high:
                at = marks[next_mark]
                if at > first:
                    yield self.lines.write(batch, first - low, at - low)
                    first = at
                yield from self._event(events[at], at, times[at - low], self.before[at - low])
                next_mark += 1
            yield self.lines.write(batch, first - low, high - low)
            self.clock.passed_s += float(self.pace.profile.time_s[low:high].sum())
        yield from self._after_layer(int(self.layer[-1]), self.place)

    def _event(self, what: list[str], at: int, time_s: float, place: Floats) -> Iterator[bytes]:
        layer = int(self.layer[at])
        if "layer" in what:
            if at > 0:
                yield from self._after_layer(int(self.layer[at - 1]), place)
            number = layer + 1
            lines = [f"; layer {number} of {len(self.strokes.layers)}, {self.strokes.layers.top_mm[layer]:.3f} mm"]
            if at > 0 and self.strokes.layers.on_bed[self.layer[at - 1]] != self.strokes.layers.on_bed[layer]:
                lines += self._temperatures(first=bool(self.strokes.layers.on_bed[layer]))
            yield _lines(lines)
        if "fan" in what:
            yield _lines([self._fan(int(self.table.stroke[at]))])
        if "mark" in what:
            yield from self._mark(time_s)

    def _temperatures(self, *, first: bool) -> list[str]:
        plan = self.plan
        pairs = (
            ("M104", plan.first_layer_nozzle_temp_c, plan.nozzle_temp_c),
            ("M140", plan.first_layer_bed_temp_c, plan.bed_temp_c),
        )
        return [f"{code} S{one if first else other:g}" for code, one, other in pairs if one != other]

    def _mark(self, time_s: float) -> Iterator[bytes]:
        share = min(1.0, time_s / max(self.whole_s, 1e-9))
        percent, left = int(100 * share), max(0, round((self.whole_s - time_s) / 60))
        if percent == self.clock.percent:
            return
        self.clock.percent = percent
        if self.options.progress == "percent":
            yield _lines([f"M73 P{percent} R{left}"])
        elif self.options.progress == "message":
            yield _lines([f"M117 {percent} percent, {left // 60}:{left % 60:02d} left"])

    def _after_layer(self, layer: int, place: Floats) -> Iterator[bytes]:
        """Waiting for a layer to cool: where it ended, or aside."""
        wait = float(self.cooling.wait_s[layer])
        goes_aside = bool(self.cooling.aside[layer])
        if wait <= 1e-3 and not goes_aside:
            return
        lines = ["; waiting for the layer to cool"]
        if goes_aside:
            lines += self._aside(wait, place)
            self.lines.forget()
        else:
            lines.append(f"G4 P{round(1000 * wait)}")
        self.clock.passed_s += wait + float(self.cooling.aside_s[layer].sum())
        yield _lines(lines)

    def _aside(self, wait_s: float, place: Floats) -> list[str]:
        plan, top = self.plan, self.printer.max_speed_mm_s
        x, _, z = place
        towards = -1.0 if x > self.printer.bed_mm.x / 2 else 1.0
        lift = max(ASIDE_LIFT_MM, plan.z_hop_mm)
        pull = f"F{min(plan.retraction_speed_mm_s, top.e) * 60:.1f}"
        travel = f"F{min(plan.speed_mm_s.travel, top.x, top.y) * 60:.1f}"
        z_feed = f"F{top.z * 60:.1f}"
        wanted = {"by_kind": "M204 T", "one": "M204 S"}.get(self.options.accelerations)
        acceleration = min(plan.travel_acceleration_mm_s2, self.most_mm_s2)
        # What the machine takes less than is counted is waited, too.
        wait_s += max(0.0, float(self.cooling.aside_s.sum(axis=1).max()) - self._aside_takes_s(lift))
        pulls = plan.retraction_mm > 0
        moves = [
            *([f"G1 E{-plan.retraction_mm:g} {pull}"] if pulls else []),
            f"G1 Z{z + lift:.4f} {z_feed}",
            f"G0 X{x + towards * ASIDE_MM:.4f} {travel}",
            f"G4 P{round(1000 * wait_s)}",
            f"G0 X{x:.4f} {travel}",
            f"G1 Z{z:.4f} {z_feed}",
            *([f"G1 E{plan.retraction_mm:g} {pull}"] if pulls else []),
        ]
        # From rest to rest, as it is counted.
        halted = [line for move in moves for line in (move, "M400")]
        return [*([] if wanted is None else [f"{wanted}{acceleration:.0f}"]), *halted]

    def _aside_takes_s(self, lift_mm: float) -> float:
        """Seconds that the way aside and back takes, each move from halt to halt."""
        plan, printer = self.plan, self.printer
        pull = plan.retraction_mm
        ways = [(0, 0, 0, -pull), (0, 0, lift_mm, 0), (ASIDE_MM, 0, 0, 0)]
        delta = np.array([way for way in ways if any(way)], dtype=float)
        travels = delta[:, 0] != 0
        asked = np.where(
            travels, plan.speed_mm_s.travel, np.where(delta[:, 3] != 0, plan.retraction_speed_mm_s, np.inf)
        )
        requested = np.where(
            travels,
            min(plan.travel_acceleration_mm_s2, self.most_mm_s2),
            np.where(delta[:, 3] != 0, printer.acceleration_mm_s2.retract, np.inf),
        )
        limits = path_limits(delta, asked, requested, printer)
        moves = Moves(
            limits.length_mm, delta, limits.speed_mm_s, limits.acceleration_mm_s2, np.ones(len(delta), dtype=bool)
        )
        # From a halt a machine steps off at the speed that it may stop from.
        return 2 * float(plan_speeds(moves, limits.stop_mm_s, limits.stop_mm_s).time_s.sum())

    def _events(self) -> dict[int, list[str]]:
        """What is written before which move."""
        events: dict[int, list[str]] = defaultdict(list)
        changes = np.flatnonzero(np.diff(self.layer)) + 1
        for at in [0, *changes.tolist()]:
            events[at].append("layer")
        fans = self.fan_of[self.table.stroke]
        for at in (np.flatnonzero(np.diff(fans)) + 1).tolist():
            events[at].append("fan")
        if self.options.progress != "none":
            # Where about every half percent begins; waits shift it by little.
            passed = np.cumsum(self.pace.profile.time_s)
            steps = np.searchsorted(passed, np.linspace(0, passed[-1], 201)[:-1])
            for at in np.unique(steps).tolist():
                events[at].append("mark")
        return events

    def _batch(self, low: int, high: int, filament: float) -> tuple[Batch, float, Floats]:
        """Some moves in the writer's units; the filament fed until their end; and the seconds passed before each."""
        table, profile = self.table, self.pace.profile
        rows = slice(low, high)
        delta, kind, stroke = table.delta[rows], table.kind[rows], table.stroke[rows]
        place = self.place + np.cumsum(delta[:, :3], axis=0)
        fed = filament + np.cumsum(delta[:, 3])
        self.before = before = np.vstack([self.place, place[:-1]])
        self.place = place[-1].copy()
        plastic, travels = kind == Kind.PLASTIC, kind == Kind.TRAVEL
        wipes = (kind == Kind.RETRACT) & (np.hypot(delta[:, 0], delta[:, 1]) > 0)
        requested = self.requests.acceleration_mm_s2[rows]
        asked = np.where(plastic | travels | wipes, np.minimum(requested, self.most_mm_s2), 0.0)
        # Rounded down, and where an axis bounds it by as much as rounded places may turn its direction, so that no axis is asked for
        # more than it has.
        turned = 1 - np.minimum(0.5, 2 * XY_UNIT / np.maximum(self.pace.limits.length_mm[rows], 1e-9))
        bound = self.pace.limits.speed_mm_s[rows] < self.requests.speed_mm_s[rows]
        speed = self.pace.speed_mm_s[rows] * np.where(bound & (plastic | travels | wipes), turned, 1.0)
        feed = np.maximum(1, np.floor(speed * 60 / F_UNIT + 1e-6)).astype(np.int64)
        arcs = np.zeros(high - low, np.int64)
        centre, arc_feed = np.zeros((high - low, 2)), np.zeros(high - low)
        if self.options.curves == "arcs":
            arcs, centre, arc_feed = self._arcs(rows, np.vstack([before[:1], place])[:, :2], plastic)
            centre = centre - before[:, :2]
        passed = self.clock.passed_s + np.concatenate([[0.0], np.cumsum(profile.time_s[rows])[:-1]])
        as_travel = travels | (wipes & (self.printer.acceleration_mm_s2.wipe == "travel"))
        batch = Batch(
            place=np.round(place / [XY_UNIT, XY_UNIT, Z_UNIT]).astype(np.int64),
            filament=np.round(fed / E_UNIT).astype(np.int64),
            feed=feed,
            acceleration=np.floor(asked).astype(np.int64),
            travels=as_travel & ~plastic,
            laid=plastic,
            dry=~plastic & (delta[:, 3] == 0),
            feature=np.where(plastic, self.strokes.feature[stroke], -1).astype(np.int64),
            arc=arcs,
            centre=np.round(centre / XY_UNIT).astype(np.int64),
            arc_feed=np.maximum(1, np.floor(arc_feed * 60 / F_UNIT)).astype(np.int64),
        )
        return batch, float(fed[-1]), passed

    def _arcs(self, rows: slice, xy: Floats, plastic: NDArray[np.bool_]) -> tuple[NDArray[np.int64], Floats, Floats]:
        table, profile, stroke = self.table, self.pace.profile, self.table.stroke[rows]
        level = plastic & (table.delta[rows, 2] == 0)
        # Strokes of one feature, layer and speed may join; an event between them ends the run.
        layer, feature = self.layer[rows], self.strokes.feature[stroke]
        changed = np.concatenate(
            [[False], (np.diff(layer) != 0) | (np.diff(feature.astype(np.int64)) != 0) | ~level[1:]]
        )
        group = np.where(level, 1 + np.cumsum(changed), 0)
        return fit_arcs(
            xy,
            group,
            table.delta[rows, 3],
            self.pace.speed_mm_s[rows],
            profile.entry_mm_s[rows],
            profile.exit_mm_s[rows],
            self.pace.limits.acceleration_mm_s2[rows],
            profile.time_s[rows],
            _ARC_SHARE * self.strokes.width_mm[stroke],
        )
