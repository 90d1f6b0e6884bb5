"""Files that print a plan: read back they are what was promised, whatever the recipe; and nothing that hurts a machine passes."""

import io
import math
import re
import unittest

import numpy as np
import trimesh
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from meanbead.core.errors import MeanBeadError
from meanbead.core.estimate.engine import Engine
from meanbead.core.estimate.job import PrintJob, prepare
from meanbead.core.estimate.moves import Kind
from meanbead.core.estimate.summary import Run
from meanbead.core.estimate.timing import requests_of
from meanbead.core.gcode.arcs import fit_arcs
from meanbead.core.gcode.beside import BEGINS, ENDS, read_beside
from meanbead.core.gcode.file_names import file_name
from meanbead.core.gcode.inspect import Inspection, inspect_file
from meanbead.core.gcode.pace import pace_of
from meanbead.core.gcode.placeholders import PLACEHOLDERS, SIMPLE_END, SIMPLE_START, fill_in, unknown_words
from meanbead.core.gcode.program import placeholder_values, plan_as_filed, promise_of, write_program
from meanbead.core.gcode.replay import replay
from meanbead.core.model import Material, Nozzle, Printer, Recipe
from meanbead.core.model.machine_file import FileOptions
from meanbead.core.part.solid import Solid
from tests.running.effort import cases
from tests.support.solids import cylinder, sound, sphere, table

TEXTS = {"start_gcode": SIMPLE_START, "end_gcode": SIMPLE_END}


def written(solid: Solid, keys: dict, printer_keys: dict | None = None, **options) -> tuple[Run, bytes, Inspection]:
    """A recipe's file for a part, and what is found in it."""
    printer = Printer.model_validate(TEXTS | (printer_keys or {}))
    job = PrintJob(solid, Recipe.model_validate(keys), printer)
    run = Engine().run(job)
    made = FileOptions.model_validate(options)
    text = b"".join(write_program(run, made, "a part"))
    return run, text, looked_over(run, text)


def looked_over(run: Run, text: bytes) -> Inspection:
    job = run.prepared.job
    return inspect_file(
        lambda: io.BytesIO(text),
        job.printer,
        job.nozzle,
        job.material,
        promise=promise_of(run),
        may_skip=run.plan.above_melt == "run_on",
    )


def parts() -> st.SearchStrategy[Solid]:
    box = st.tuples(st.floats(3, 40), st.floats(3, 40), st.floats(0.6, 9))
    ring = st.tuples(st.floats(4, 14), st.floats(0.4, 3), st.floats(0.8, 5))
    return st.one_of(
        box.map(lambda size: sound(trimesh.creation.box(size))),
        ring.map(lambda it: sound(trimesh.creation.annulus(max(0.5, it[0] - it[1]), it[0], it[2]))),
        st.floats(3, 8).map(lambda radius: sphere(radius, 2)),
    )


RECIPES = st.fixed_dictionaries(
    {},
    optional={
        "layer_height_mm": st.floats(0.1, 0.32),
        "walls": st.integers(1, 5),
        "infill": st.fixed_dictionaries(
            {"density": st.floats(0, 0.6)},
            optional={"pattern": st.sampled_from(["grid", "gyroid", "honeycomb", "concentric", "lines"])},
        ),
        "speed_mm_s": st.fixed_dictionaries(
            {}, optional={"outer_wall": st.floats(8, 180), "infill": st.floats(20, 300), "travel": st.floats(40, 400)}
        ),
        "acceleration_mm_s2": st.fixed_dictionaries(
            {},
            optional={
                "print": st.floats(200, 9000),
                "outer_wall": st.floats(100, 3000),
                "travel": st.floats(300, 9000),
            },
        ),
        "retraction": st.fixed_dictionaries(
            {},
            optional={
                "length_mm": st.one_of(st.just(0.0), st.floats(0.05, 6)),
                "z_hop_mm": st.sampled_from([0.0, 0.2, 0.6]),
                "wipe_mm": st.sampled_from([0.0, 1.0, 3.0]),
                "min_travel_mm": st.floats(0.5, 5),
            },
        ),
        "cooling": st.fixed_dictionaries(
            {},
            optional={
                "min_layer_time_s": st.floats(0, 25),
                "min_speed_mm_s": st.floats(4, 30),
                "short_layers": st.sampled_from(["slow", "wait", "lift_and_wait"]),
            },
        ),
        "adhesion": st.fixed_dictionaries({"kind": st.sampled_from(["skirt", "brim", "raft", "none"])}),
        "supports": st.fixed_dictionaries({"kind": st.sampled_from(["none", "columns", "trees"])}),
        "ironing": st.fixed_dictionaries({"kind": st.sampled_from(["none", "topmost"])}),
        "copies": st.fixed_dictionaries(
            {"count": st.integers(1, 3), "order": st.sampled_from(["by_layer", "one_by_one"])}
        ),
        "above_melt": st.sampled_from(["slow_down", "run_on"]),
        "seam": st.sampled_from(["back", "nearest", "scattered"]),
        "flow_ratio": st.floats(0.85, 1.1),
        "first_layer_nozzle_temp_c": st.sampled_from([215.0, 225.0]),
    },
)

MACHINES = st.sampled_from(
    [
        {},
        {"corner": {"law": "junction_deviation", "deviation_mm": 0.02}},
        {"kinematics": "coupled_gantry", "max_acceleration_mm_s2": {"x": 9000, "y": 8000, "z": 300, "e": 6000}},
        {
            "filament_diameter_mm": 2.85,
            "acceleration_mm_s2": {"print": 700, "travel": 900, "retract": 800, "wipe": "travel"},
        },
    ]
)


class AnyRecipe(unittest.TestCase):
    @settings(
        max_examples=cases(7, 300),
        deadline=None,
        suppress_health_check=[HealthCheck.too_slow, HealthCheck.data_too_large],
    )
    @given(
        parts(),
        RECIPES,
        MACHINES,
        st.sampled_from(["by_kind", "one"]),
        st.sampled_from(["percent", "message", "none"]),
        st.booleans(),
    )
    def test_what_is_read_back_is_what_was_promised(
        self, solid: Solid, keys: dict, machine: dict, accelerations: str, progress: str, arcs: bool
    ) -> None:
        try:
            _, text, seen = written(
                solid,
                keys,
                machine,
                accelerations=accelerations,
                progress=progress,
                curves="arcs" if arcs else "segments",
            )
        except MeanBeadError as problem:
            self.assertTrue(problem.field)
            return
        self.assertEqual([(check.name, check.says, check.line) for check in seen.wrong], [], keys)
        self.assertEqual(seen.unknown_commands, 0)
        self.assertEqual(seen.size_bytes, len(text))
        # The track runs to the end of the print, and never back.
        times = [point.time_s for point in seen.track]
        places = [point.byte for point in seen.track]
        self.assertEqual((times, places), (sorted(times), sorted(places)))
        self.assertAlmostEqual(times[-1], seen.print_time_s, delta=0.02 * seen.print_time_s + 2)
        self.assertLessEqual(places[-1], len(text))


class Program(unittest.TestCase):
    def test_it_stands_in_the_middle_of_the_bed_or_where_it_is_put(self) -> None:
        run, text, _ = written(sound(trimesh.creation.box((20, 10, 3))), {"adhesion": {"kind": "none"}})
        x, y = placed(text)
        self.assertAlmostEqual((x.min() + x.max()) / 2, 110, delta=0.3)
        self.assertAlmostEqual((y.min() + y.max()) / 2, 110, delta=0.3)
        moved = b"".join(write_program(run, FileOptions(), "a part", (50.0, 60.0)))
        x, y = placed(moved)
        self.assertAlmostEqual((x.min() + x.max()) / 2, 50, delta=0.3)
        self.assertAlmostEqual((y.min() + y.max()) / 2, 60, delta=0.3)

    def test_the_promise_is_the_estimate(self) -> None:
        job = PrintJob(sphere(7, 3), Recipe.model_validate({"flow_ratio": 0.93}), Printer())
        engine = Engine()
        promise, estimate = promise_of(engine.run(job)), engine.estimate(job)
        self.assertAlmostEqual(promise.print_time_s, estimate.print_time_s, places=6)
        self.assertAlmostEqual(promise.filament_mm, estimate.filament_mm, places=6)

    def test_a_part_beyond_the_bed_is_refused(self) -> None:
        run, _, _ = written(sound(trimesh.creation.box((20, 10, 3))), {})
        text = b"".join(write_program(run, FileOptions(), "a part", (4.0, 60.0)))
        self.assertEqual([check.name for check in looked_over(run, text).wrong], ["inside"])

    def test_temperatures_fan_and_marks(self) -> None:
        keys = {
            "first_layer_nozzle_temp_c": 222,
            "nozzle_temp_c": 208,
            "first_layer_bed_temp_c": 66,
            "bed_temp_c": 58,
            "cooling": {"fan": 0.8, "bridge_fan": 1.0, "fan_off_layers": 2},
        }
        _, text, _ = written(cylinder(9, 4), keys)
        lines = text.decode().splitlines()
        self.assertLess(lines.index("M109 S222"), lines.index(BEGINS))
        second, third = (next(k for k, line in enumerate(lines) if line.startswith(f"; layer {n} ")) for n in (2, 3))
        self.assertIn("M104 S208", lines[second:third])
        self.assertIn("M140 S58", lines[second:third])
        fans = [k for k, line in enumerate(lines) if line == "M106 S204"]
        self.assertTrue(third <= fans[0] <= third + 8, (third, fans[:2]))
        marks = [re.match(r"M73 P(\d+) R(\d+)", line) for line in lines]
        percents = [int(mark[1]) for mark in marks if mark]
        left = [int(mark[2]) for mark in marks if mark]
        self.assertEqual((percents[0], percents[-1]), (0, 100))
        self.assertEqual((percents, left), (sorted(set(percents)), sorted(left, reverse=True)))
        self.assertEqual(lines[-1], "M84")

    def test_marks_keep_pace_with_the_time(self) -> None:
        run, text, seen = written(sphere(9, 3), {})
        shares = []
        for found in re.finditer(rb"^M73 P(\d+)", text, re.MULTILINE):
            at = found.start()
            point = min(seen.track, key=lambda one: abs(one.byte - at))
            shares.append((int(found[1]) / 100, point.time_s / run.timing.print_time_s))
        for told, real in shares[1:-1]:
            self.assertAlmostEqual(told, real, delta=0.04)

    def test_fans_come_on_for_bridges(self) -> None:
        keys = {"cooling": {"fan": 0.5, "bridge_fan": 1.0}}
        _, text, seen = written(table(14), keys)
        self.assertEqual(seen.wrong, [])
        feature, fan = "", 0
        bridged = 0
        for line in text.decode().split(BEGINS)[1].splitlines():
            if line.startswith("; feature: "):
                feature = line[11:]
            elif line.startswith("M106"):
                fan = int(line[6:])
            elif line == "M107":
                fan = 0
            elif line.startswith("G1") and " E" in line and " X" in line and feature == "bridge":
                bridged += 1
                self.assertEqual(fan, 255)
        self.assertGreater(bridged, 5)

    def test_without_texts_or_with_a_word_for_nothing_nothing_is_written(self) -> None:
        job = PrintJob(cylinder(9, 2), Recipe(), Printer())
        run = Engine().run(job)
        with self.assertRaises(MeanBeadError) as refused:
            write_program(run, FileOptions(), "a part")
        self.assertEqual(refused.exception.field, "start_gcode")
        for word in ("{nozle}", "{}", "{nozzle_temp_c }"):
            with self.assertRaises(MeanBeadError):
                fill_in(f"M104 S{word}", {}, "start_gcode")

    def test_every_word_is_filled_in_and_comments_are_left(self) -> None:
        run, _, _ = written(cylinder(9, 2), {})
        values = placeholder_values(run, (110, 110))
        self.assertEqual(set(values), {one.word for one in PLACEHOLDERS})
        text = "\n".join(f"M117 {{{one.word}}} ; {{{one.word}}}" for one in PLACEHOLDERS)
        for line in fill_in(text, values, "start_gcode").splitlines():
            told, _, comment = line.partition(";")
            self.assertRegex(told, r"^M117 -?[\d.]+ $")
            self.assertIn("{", comment)
        self.assertEqual(unknown_words("G1 ; {anything}"), [])
        # Of a cylinder of 18 mm with its skirt, in the middle of the bed.
        self.assertAlmostEqual((values["first_layer_left_mm"] + values["first_layer_right_mm"]) / 2, 110, delta=0.2)
        self.assertGreater(values["first_layer_right_mm"] - values["first_layer_left_mm"], 18)

    def test_a_machine_with_accelerations_of_its_own(self) -> None:
        printer = Printer.model_validate(TEXTS | {"acceleration_mm_s2": {"print": 500, "travel": 600, "retract": 900}})
        job = PrintJob(cylinder(12, 3, 64), Recipe.model_validate({"acceleration_mm_s2": {"print": 1900}}), printer)
        options = FileOptions(accelerations="own")
        prepared = prepare(job)
        plan = plan_as_filed(prepared.plan, printer, options)
        own = Engine().run(type(prepared)(job, plan, prepared.ceiling, prepared.first_ceiling))
        text = b"".join(write_program(own, options, "a part"))
        self.assertNotIn(b"M204", text)
        self.assertEqual(looked_over(own, text).wrong, [])
        self.assertGreater(own.timing.print_time_s, Engine().run(job).timing.print_time_s)

    def test_memory_stays_that_of_a_piece(self) -> None:
        run, text, _ = written(sphere(9, 3), {"layer_height_mm": 0.1})
        pieces = [len(piece) for piece in write_program(run, FileOptions(), "a part")]
        self.assertEqual(sum(pieces), len(text))
        self.assertLess(max(pieces), 0.2 * len(text))


def placed(text: bytes) -> tuple[np.ndarray, np.ndarray]:
    """Where plastic is laid, x and y, with what axes keep from line to line."""
    x = y = math.nan
    found = []
    printing = False
    for line in text.decode().splitlines():
        printing = (printing or line == BEGINS) and line != ENDS
        for letter, value in re.findall(r"([XY])(-?[\d.]+)", line.partition(";")[0]):
            x, y = (float(value), y) if letter == "X" else (x, float(value))
        if printing and line.startswith("G1") and " E" in line and (" X" in line or " Y" in line):
            found.append((x, y))
    places = np.array(found)
    return places[:, 0], places[:, 1]


class Slowing(unittest.TestCase):
    def test_a_short_layer_lasts_as_long_as_was_estimated(self) -> None:
        for keys in ({"cooling": {"min_layer_time_s": 12}}, {"cooling": {"min_layer_time_s": 30, "min_speed_mm_s": 3}}):
            job = PrintJob(cylinder(4, 3, 32), Recipe.model_validate(keys), Printer())
            run = Engine().run(job)
            above, first = run.prepared.flow_caps_mm3_s
            asks = requests_of(run.strokes, run.timing.moves, run.plan, job.printer, above, first)
            pace = pace_of(run.timing, asks, run.plan, job.printer)
            layer = run.strokes.layer[run.timing.moves.stroke]
            took = np.bincount(layer, weights=pace.profile.time_s)
            planned = run.timing.layer_s - run.timing.cooling.wait_s
            np.testing.assert_allclose(took, planned, rtol=2e-3)
            plastic = run.timing.moves.kind == Kind.PLASTIC
            least = np.minimum(pace.limits.speed_mm_s, run.plan.min_speed_mm_s)
            self.assertTrue(np.all(pace.speed_mm_s[plastic] >= least[plastic] - 1e-9))
            self.assertTrue(np.all(pace.speed_mm_s <= np.minimum(pace.limits.speed_mm_s, asks.melt_mm_s) + 1e-9))


class Arcs(unittest.TestCase):
    def fit(self, xy: np.ndarray, tolerance: float = 0.004):
        n = len(xy) - 1
        length = np.hypot(*np.diff(xy, axis=0).T)
        return fit_arcs(
            xy,
            np.ones(n, np.int64),
            0.03 * length,
            np.full(n, 50.0),
            np.full(n, 50.0),
            np.full(n, 50.0),
            np.full(n, 1000.0),
            length / 50,
            np.full(n, tolerance),
        )

    def test_a_fine_circle_becomes_one_or_two(self) -> None:
        turn = np.linspace(0, 2 * math.pi, 181)
        for sign in (1, -1):
            xy = np.column_stack([5 + 8 * np.cos(turn), 3 + sign * 8 * np.sin(turn)])
            count, centre, pace = self.fit(xy)
            begins = np.flatnonzero(count)
            self.assertLessEqual(len(begins), 2)
            self.assertEqual(np.abs(count).sum(), 180)
            self.assertTrue((np.sign(count[begins]) == sign).all())
            np.testing.assert_allclose(centre[begins], [[5, 3]] * len(begins), atol=1e-6)
            # As long as before, on a way that is longer by a hair.
            np.testing.assert_allclose(pace[begins], 50, rtol=1e-3)

    def test_what_is_no_arc_stays(self) -> None:
        coarse = np.linspace(0, 2 * math.pi, 25)
        self.assertFalse(self.fit(np.column_stack([9 * np.cos(coarse), 9 * np.sin(coarse)]))[0].any())
        straight = np.column_stack([np.linspace(0, 20, 40), np.zeros(40)])
        self.assertFalse(self.fit(straight)[0].any())
        rng = np.random.default_rng(4)
        self.assertFalse(self.fit(np.cumsum(rng.normal(size=(60, 2)), axis=0))[0].any())

    @settings(max_examples=cases(30, 1200), deadline=None)
    @given(st.floats(0.5, 60), st.floats(0.05, 0.6), st.floats(0, 0.01), st.integers(0, 10_000))
    def test_no_arc_leaves_its_strokes_by_more_than_is_allowed(
        self, radius: float, chord: float, noise: float, seed: int
    ) -> None:
        rng = np.random.default_rng(seed)
        turn = np.arange(0, 4, chord / radius)[:80]
        xy = np.column_stack([radius * np.cos(turn), radius * np.sin(turn)]) + rng.uniform(
            -noise, noise, (len(turn), 2)
        )
        if len(xy) < 6:
            return
        count, centre, _ = self.fit(xy)
        for k in np.flatnonzero(count):
            places = xy[k : k + abs(count[k]) + 1]
            middles = (places[1:] + places[:-1]) / 2
            r = np.hypot(*(places[0] - centre[k]))
            for points in (places, middles):
                self.assertLess(np.abs(np.hypot(*(points - centre[k]).T) - r).max(), 0.0041)

    def test_files_with_arcs_are_smaller_and_take_as_long(self) -> None:
        solid = cylinder(10, 4, 240)
        _, straight, seen = written(solid, {})
        _, curved, as_arcs = written(solid, {}, curves="arcs")
        self.assertLess(len(curved), 0.95 * len(straight))
        self.assertEqual(as_arcs.wrong, [])
        self.assertAlmostEqual(as_arcs.print_time_s / seen.print_time_s, 1, delta=0.003)
        self.assertRegex(curved.decode(), r"\nG[23] X[\d.]+ Y[\d.]+ I-?[\d.]+ J-?[\d.]+ E[\d.]+")


class LookedOver(unittest.TestCase):
    def wrong(self, text: str, printer: Printer | None = None) -> dict[str, int | None]:
        seen = inspect_file(lambda: io.BytesIO(text.encode()), printer or Printer(), Nozzle(), Material())
        return {check.name: check.line for check in seen.wrong}

    FINE = "M104 S210\nM140 S60\nG28\nM109 S210\nM83\nG1 X50 Y50 Z0.2 F6000\nG1 X90 E1.5 F1500\n{}\nM104 S0\nM140 S0\n"

    def test_what_is_fine_passes(self) -> None:
        self.assertEqual(self.wrong(self.FINE.format("")), {})

    def test_each_way_to_hurt_a_machine_is_found_with_its_line(self) -> None:
        cases = {
            "G1 X240 E2 F1500": {"inside": 8},
            "G1 Z300 X50 E2 F300": {"inside": 8},
            "M104 S0\nG1 X10 E2 F1500": {"cold": 9},
            "M104 S150\nG1 E2 F100": {"cold": 9},
            "M109 S290": {"temperature": 8},
            "M140 S160": {"bed_temperature": 8},
            "G1 X10 E1 F99000": {"speed": 8},
            "M204 P99000": {"acceleration": 8},
            "M204 R99000": {"acceleration": 8},
            "G1 X10 E40 F3000": {"flow": 8},
            "G1 X": {"readable": 8},
        }
        for said, expected in cases.items():
            with self.subTest(said):
                self.assertEqual(self.wrong(self.FINE.format(said)), expected)

    def test_the_nozzle_is_the_one_that_the_head_names(self) -> None:
        run, text, _ = written(cylinder(9, 2), {"nozzle_diameter_mm": None})
        fitted = run.prepared.job.nozzle.bore_mm

        def seen(head: bytes, nozzle: Nozzle | None) -> Inspection:
            return inspect_file(lambda: io.BytesIO(head + text), run.prepared.job.printer, nozzle, Material())

        self.assertEqual([check.name for check in seen(b"", Nozzle(bore_mm=0.8)).wrong], ["nozzle"])
        self.assertEqual(seen(b"", Nozzle(bore_mm=fitted)).wrong, [])
        self.assertEqual(seen(b"", None).wrong, [])
        # A title may hold any words; what the head itself says comes after it.
        self.assertEqual(seen(b"; holder for a nozzle of 0.8 mm\n", Nozzle(bore_mm=fitted)).wrong, [])
        # A file from here is for its own nozzle, whatever comments its start text has.
        _, _, own = written(
            cylinder(9, 2), {}, {"start_gcode": "; nozzle 0.8 mm and up: prime longer\n" + SIMPLE_START}
        )
        self.assertEqual(own.wrong, [])
        # A wider nozzle melts more: without one given the head's counts.
        fast = b"; nozzle 0.6 mm\nM109 S215\nM83\nG28\nG1 Z1 F600\nG1 X60 Y50 E9 F600\nM104 S0\nM140 S0\n"
        told = inspect_file(lambda: io.BytesIO(fast), Printer(), None, Material())
        self.assertEqual(next(check for check in told.checks if check.name == "nozzle").ok, True)
        self.assertIsNone(read_beside(io.BytesIO(b"G28\n; nozzle 0.6 mm\n")).bore_mm)
        # No number that a nozzle cannot have is taken for one, however it is written.
        for odd in (b"210", b"2.5", b"0.06", b"0", b"9" * 150, b"nozzle " * 20 + b"3"):
            self.assertIsNone(read_beside(io.BytesIO(b"; nozzle " + odd + b" mm\nG28\n")).bore_mm, odd)

    def test_read_back_by_the_shells_reader_it_takes_what_the_estimate_says(self) -> None:
        for solid, keys in ((cylinder(9, 2), {}), (table(20), {"retraction": {"z_hop_mm": 0.3}})):
            run, text, _ = written(solid, keys)
            told = replay(io.BytesIO(text), run.prepared.job.printer)
            self.assertAlmostEqual(told.print_time_s / run.timing.print_time_s, 1, delta=0.003)
            self.assertGreater(told.before_s, 0.05)

    def test_never_waited_for_is_cold_and_left_hot_is_told(self) -> None:
        self.assertEqual(set(self.wrong("G28\nM104 S210\nM83\nG1 X50 E1 F900\n")), {"cold", "heaters_off"})
        self.assertEqual(set(self.wrong("M109 S210\nG28\nM83\nG1 X50 E1 F900\nM104 S0\nM190 S60\n")), {"heaters_off"})

    def test_a_file_that_is_changed_by_a_hair_is_not_what_was_promised(self) -> None:
        run, text, seen = written(cylinder(9, 3), {})
        self.assertEqual(seen.wrong, [])
        slower = re.sub(rb"F(\d+)", lambda found: b"F%d" % (int(found[1]) * 0.97), text)
        self.assertIn("time", {check.name for check in looked_over(run, slower).wrong})
        more = text.replace(b"; print begins\n", b"; print begins\nM221 S101\n")
        self.assertIn("plastic", {check.name for check in looked_over(run, more).wrong})
        cut = text[: len(text) * 2 // 3]
        self.assertLessEqual({"time", "plastic", "heaters_off"}, {check.name for check in looked_over(run, cut).wrong})

    def test_bytes_of_lines(self) -> None:
        text = "".join(f"G1 X{k} Y{k % 7}\n" for k in range(1000)).encode()
        beside = read_beside(io.BytesIO(text))
        starts = [0, *(place + 1 for place, letter in enumerate(text) if letter == 10)]
        for line in (1, 2, 63, 64, 65, 500, 999, 1000):
            self.assertAlmostEqual(beside.byte_of(line), starts[line - 1], delta=40)
        for exact in (1, 65, 129, 641):
            self.assertEqual(beside.byte_of(exact), starts[exact - 1])


class Names(unittest.TestCase):
    def test_long_and_short(self) -> None:
        self.assertEqual(file_name("Desk hook", 0.4, 0.2, 7500, "long"), "desk-hook-04n-020h-2h05.gcode")
        self.assertEqual(file_name("Desk hook", 0.4, 0.2, 7500, "short"), "DESK0420.GCO")
        self.assertEqual(file_name("Ärmel/../x", 0.6, 0.3, 60, "long"), "armel-x-06n-030h-0h01.gcode")
        self.assertEqual(file_name("Desk hook", 0.4, 0, 7500, "long"), "desk-hook-04n-2h05.gcode")
        self.assertEqual(file_name("Desk hook", 0.4, 0, 7500, "short"), "DESKHO04.GCO")
        self.assertEqual(file_name("漢字", 0.4, 0.2, 60, "short"), "PART0420.GCO")
        self.assertEqual(
            file_name("Desk hook", 0.4, 0.2, 7500, "short", ["desk0420.gco"]), "DESKH042.GCO"[:5] + "042.GCO"
        )

    @settings(max_examples=cases(50, 2000), deadline=None)
    @given(
        st.text(max_size=90),
        st.floats(0.1, 1.2),
        st.floats(0, 0.9),
        st.floats(0, 9e5),
        st.sampled_from(["long", "short"]),
    )
    def test_any_part_gives_a_name_that_a_card_takes(
        self, part: str, bore: float, height: float, time_s: float, kind
    ) -> None:
        taken: list[str] = []
        for _ in range(12):
            name = file_name(part, bore, height, time_s, kind, taken)
            self.assertNotIn(name.upper(), [one.upper() for one in taken])
            taken.append(name)
            self.assertRegex(name, r"^[A-Z0-9]{1,8}\.GCO$" if kind == "short" else r"^[a-z0-9][a-z0-9-]{0,70}\.gcode$")


if __name__ == "__main__":
    unittest.main()
