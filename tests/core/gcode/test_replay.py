import io
import math
import random
import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from meanbead.core.errors import MeanBeadError
from meanbead.core.estimate.engine import Engine
from meanbead.core.estimate.job import PrintJob
from meanbead.core.estimate.timing import time_strokes
from meanbead.core.gcode import printer_from_report, replay
from meanbead.core.gcode.as_estimate import replayed_estimate
from meanbead.core.gcode.replay import Replay
from meanbead.core.gcode.write import write_gcode
from meanbead.core.model import Material, Nozzle, Printer, Recipe
from meanbead.core.part.solid import Solid
from meanbead.core.recipe.resolve import resolve
from meanbead.core.strokes import FEATURES, Feature, plan_strokes
from tests.running.effort import cases
from tests.support.solids import cylinder, sphere

REPORT = """
echo:; Steps per unit:
echo: M92 X80.00 Y80.00 Z400.00 E415.00
echo:; Maximum feedrates (units/s):
echo:  M203 X500.00 Y450.00 Z12.00 E60.00
\x00\xff noise on the line  M2
echo:  M201 X3000.00 Y2500.00 Z100.00 E10000.00
echo:  M204 P900.00 R1400.00 T1600.00
echo:  M205 B20000.00 S0.00 T0.00 J0.03
"""


def play(text: str, printer: Printer | None = None, **keys) -> Replay:
    return replay(io.BytesIO(text.encode()), printer, **keys)


class Words(unittest.TestCase):
    def test_a_straight_move_by_hand(self) -> None:
        # Jerk 8 from and to rest, 1500 mm/s2 for travel, 100 mm/s, 100 mm.
        ramp = (100**2 - 8**2) / 3000
        expected = 2 * (100 - 8) / 1500 + (100 - 2 * ramp) / 100
        self.assertAlmostEqual(play("G1 X100 F6000\n").print_time_s, expected)

    def test_absolute_and_relative_say_the_same(self) -> None:
        absolute = "G90\nM82\nG1 X10 Y5 E1 F3000\nG1 X20 Y5 E2\nG92 E0\nG1 X20 Y15 E.5\n"
        relative = "G91\nM83\nG1 X10 Y5 E1 F3000\nG1 X10 E1\nG1 Y10 E.5\n"
        first, second = play(absolute), play(relative)
        self.assertAlmostEqual(first.print_time_s, second.print_time_s, places=9)
        self.assertAlmostEqual(first.filament_mm, 2.5)
        self.assertAlmostEqual(second.filament_mm, 2.5)

    def test_arcs_have_the_length_of_their_circle(self) -> None:
        half = play("G1 X10 F600\nM83\nG3 X-10 Y0 I-10 J0 E1\n").by_feature["unlabelled"]
        self.assertAlmostEqual(half.length_mm / (math.pi * 10), 1, places=4)
        by_radius = play("G1 X10 F600\nM83\nG3 X0 Y10 R10 E1\n").by_feature["unlabelled"]
        self.assertAlmostEqual(by_radius.length_mm / (math.pi * 5), 1, places=4)
        other_way = play("G1 X10 F600\nM83\nG2 X0 Y10 I-10 E1\n").by_feature["unlabelled"]
        self.assertAlmostEqual(other_way.length_mm / (math.pi * 15), 1, places=4)
        full = play("G1 X10 F600\nM83\nG2 X10 Y0 I-10 J0 E1\n").by_feature["unlabelled"]
        self.assertAlmostEqual(full.length_mm / (math.pi * 20), 1, places=4)

    def test_short_tight_arcs_are_no_shorter_than_they_are(self) -> None:
        for radius in (0.1, 0.2, 0.3, 0.5):
            turn = 0.28 / radius
            x, y = radius * math.cos(turn), radius * math.sin(turn)
            found = play(f"G1 X{radius} F600\nM83\nG3 X{x:.6f} Y{y:.6f} I-{radius} J0 E1\n").by_feature["unlabelled"]
            self.assertAlmostEqual(found.length_mm / 0.28, 1, delta=0.001)

    def test_dwells_add_up(self) -> None:
        result = play("G1 X1\nG4 P250\nG4 S2\n")
        self.assertAlmostEqual(result.by_cause.waiting_s, 2.25)

    def test_percentages_scale_speed_and_flow(self) -> None:
        plain = play("M83\nG1 X200 E5 F1200\n")
        scaled = play("M83\nM220 S50\nM221 S90\nG1 X200 E5 F1200\n")
        self.assertAlmostEqual(scaled.print_time_s / plain.print_time_s, 2, delta=0.01)
        self.assertAlmostEqual(scaled.filament_mm, 4.5)

    def test_firmware_retraction_pulls_once(self) -> None:
        result = play("M207 S2 F1800\nG10\nG10\nG1 X50 F6000\nG11\n")
        self.assertEqual(result.retractions, 1)
        self.assertAlmostEqual(result.filament_mm, 0)

    def test_settings_in_the_file_count(self) -> None:
        text = "G1 X100 F6000\nG1 X0\n"
        self.assertGreater(play("M203 X20\n" + text).print_time_s, 9)
        self.assertGreater(play("M201 X50\n" + text).print_time_s, play(text).print_time_s)
        self.assertGreater(play("M204 T100\n" + text).print_time_s, play(text).print_time_s)

    def test_odd_lines(self) -> None:
        text = "N1 G1 X10 F6000*55\n(a note) g1 y5\nM117 Hello X5\nG1 X\n!!\nM999\nG999 X3\n\nG1 X20 ; feature: none\n"
        result = play(text)
        self.assertEqual((result.malformed_lines, result.malformed_count), ([4, 5], 2))
        self.assertEqual((result.unknown_commands, result.lines, result.moves), (2, 9, 3))

    def test_limits_that_the_file_breaks_are_told_with_their_line(self) -> None:
        result = play("M83\nG1 X10 E0.3 F1200\nG1 X60 E9 F4000\nG1 Z20 F6000\n")
        self.assertEqual(result.over_ceiling_first_line, 3)
        self.assertGreater(result.over_ceiling_s, 0.5)
        self.assertEqual((result.over_speed_moves, result.over_speed_first_line), (1, 4))

    def test_features_by_a_pattern_of_ones_own(self) -> None:
        text = "M83\n;** Outer Skin **\nG1 X10 E1 F1200\n;** fill **\nG1 X30 E1\n"
        own = play(text, pattern=r"\*\* (?P<feature>.+) \*\*")
        self.assertEqual(set(own.by_feature), {"outer_skin", "fill"})
        self.assertEqual(set(play(text).by_feature), {"unlabelled"})
        for bad in ("(", "no group"):
            with self.assertRaises(MeanBeadError):
                play(text, pattern=bad)

    def test_what_is_no_gcode_is_refused(self) -> None:
        with self.assertRaises(MeanBeadError):
            play("Dear reader,\nthis is a letter.\n")


class Streaming(unittest.TestCase):
    @settings(max_examples=cases(7, 300), deadline=None)
    @given(st.integers(0, 10_000), st.sampled_from([40, 333, 5000]))
    def test_pieces_of_any_size_give_the_same_figures(self, seed: int, size: int) -> None:
        rng = random.Random(seed)
        lines = ["M83"]
        for k in range(200):
            choice = rng.random()
            if choice < 0.85:
                lines.append(
                    f"G1 X{rng.uniform(0, 9):.3f} Y{rng.uniform(0, 9):.3f} E{rng.uniform(0, 0.2):.4f} F{3000 + 20 * k}"
                )
            elif choice < 0.9:
                lines.append(f"G2 X{rng.uniform(0, 9):.3f} Y{rng.uniform(0, 9):.3f} I3 J1 E0.2")
            elif choice < 0.95:
                lines.append(f"; feature: kind {k % 3}")
            else:
                lines.append(rng.choice(["G1 E-1 F1800", "G4 P20", "M204 P700", "M203 X60"]))
        text = "\n".join(lines)
        whole, cut = play(text), play(text, piece_bytes=size)
        self.assertAlmostEqual(whole.print_time_s, cut.print_time_s, places=6)
        self.assertAlmostEqual(sum(whole.by_cause.model_dump().values()), whole.print_time_s, places=6)
        self.assertAlmostEqual(sum(layer.time_s for layer in whole.by_feature.values()), whole.print_time_s, places=6)
        for name, one in whole.by_feature.items():
            self.assertAlmostEqual(one.time_s, cut.by_feature[name].time_s, places=6)


class RoundTrip(unittest.TestCase):
    def check(self, keys: dict, printer_keys: dict, within: float, *solids: Solid) -> None:
        printer, nozzle, material = Printer.model_validate(printer_keys), Nozzle(), Material()
        free = {"cooling": {"min_layer_time_s": 0}, "seam": "nearest"}
        plan = resolve(Recipe.model_validate(free | keys), printer, nozzle, material)
        for solid in solids:
            strokes = plan_strokes(solid, plan.shape)
            timing = time_strokes(strokes, plan, printer, 9.0)
            text = "\n".join(write_gcode(strokes, plan, printer, 9.0))
            result = play(text, printer)
            self.assertAlmostEqual(result.print_time_s / timing.print_time_s, 1, delta=within)
            laid = float((strokes.length_mm * strokes.area_mm2).sum()) / (math.pi * 1.75**2 / 4)
            self.assertAlmostEqual(result.filament_mm / laid, 1, places=4)
            self.assertEqual(result.layers, len(strokes.layers))
            self.assertEqual(result.retractions, len(timing.pulled_strokes))
            for feature in Feature:
                if feature != Feature.TRAVEL and (strokes.feature == feature).any():
                    length = float(strokes.length_mm[strokes.feature == feature].sum())
                    self.assertAlmostEqual(result.by_feature[FEATURES[feature]].length_mm / length, 1, delta=0.006)

    def test_what_the_planner_times_the_reader_times_alike(self) -> None:
        deviation = {"corner": {"law": "junction_deviation", "deviation_mm": 0.03}}
        flat, tall = cylinder(12, 0.2, 48), (cylinder(12, 3, 48), sphere(8, 3))
        self.check({}, deviation, 0.003, flat)
        self.check({}, deviation, 0.003, *tall)
        self.check({"retraction": {"z_hop_mm": 0.3}}, {}, 0.003, *tall)
        self.check({}, {"kinematics": "coupled_gantry"}, 0.003, *tall)

    def test_all_that_a_recipe_can_ask_for_survives_the_round_trip(self) -> None:
        everything = {
            "ironing": {"kind": "all_tops"},
            "supports": {"kind": "columns"},
            "adhesion": {"kind": "raft"},
            "skins": {"pattern": "zigzag"},
            "copies": {"count": 2},
        }
        self.check(everything, {}, 0.003, sphere(7, 3))

    def test_a_spiral_climbs_along_its_way(self) -> None:
        strokes_keys = {"spiral": True, "bottom_layers": 1, "cooling": {"min_layer_time_s": 0}}
        printer = Printer()
        plan = resolve(Recipe.model_validate(strokes_keys), printer, Nozzle(), Material())
        strokes = plan_strokes(cylinder(10, 4), plan.shape)
        timing = time_strokes(strokes, plan, printer, 9.0)
        text = list(write_gcode(strokes, plan, printer, 9.0))
        result = play("\n".join(text), printer)
        self.assertAlmostEqual(result.print_time_s / timing.print_time_s, 1, delta=0.006)
        heights = [float(line.split("Z")[1].split()[0]) for line in text if "Z" in line]
        self.assertEqual(heights, sorted(heights))
        self.assertAlmostEqual(heights[-1], 4, delta=0.01)


class Approach(unittest.TestCase):
    STROKES = "G1 X80 E2 F1800\nG1 X80 Y60 E2\n"

    def test_the_way_to_the_first_stroke_is_no_printing(self) -> None:
        bare = play("M83\n" + self.STROKES)
        led = play("M83\nG1 Z5 F600\nG1 X0 Y0 F6000\nG4 S2\nG1 X40 Y30 F6000\nG1 X0 Y0\nG4 S3\nM400\n" + self.STROKES)
        self.assertAlmostEqual(led.print_time_s, bare.print_time_s, places=6)
        self.assertAlmostEqual(sum(led.by_cause.model_dump().values()), led.print_time_s, places=9)
        self.assertEqual(bare.before_s, 0)
        self.assertGreater(led.before_s, 5 + 2 * 50 / 100)
        self.assertEqual((led.travel_mm, led.layers), (bare.travel_mm, bare.layers))

    def test_marks_say_what_is_printing_and_what_is_laid_before_is_a_purge(self) -> None:
        purge = "M83\nG1 X10 E5 F1200\nG1 E3 F120\nG1 X0 Y0 F6000\nM400\n"
        bare = play("M83\n" + self.STROKES)
        told = play(purge + "; print begins\n" + self.STROKES + "M400\n; print ends\nG1 X0 Y200 E1 F3000\n")
        self.assertAlmostEqual(told.print_time_s, bare.print_time_s, places=6)
        self.assertAlmostEqual(told.laid_mm, 4)
        self.assertAlmostEqual(told.purged_mm, 5 + 3 + 1)
        self.assertAlmostEqual(sum(share.filament_mm for share in told.by_feature.values()), told.filament_mm)
        self.assertAlmostEqual(sum(share.time_s for share in told.by_feature.values()), told.print_time_s, places=6)

    def test_the_first_mark_counts_as_for_the_look_over(self) -> None:
        once = play("M83\n; print begins\n" + self.STROKES + self.STROKES + "; print ends\n")
        twice = play("M83\n; print begins\n" + self.STROKES + "; print begins\n" + self.STROKES + "; print ends\n")
        self.assertEqual(twice.print_time_s, once.print_time_s)
        self.assertEqual(twice.laid_mm, once.laid_mm)

    def test_a_file_of_travel_alone_is_timed_as_before(self) -> None:
        self.assertGreater(play("G1 X100 F6000\n").print_time_s, 1)


class AsEstimate(unittest.TestCase):
    def test_a_written_plan_reads_as_the_plans_own_estimate(self) -> None:
        keys = {"cooling": {"min_layer_time_s": 0}, "nozzle_temp_c": 215}
        solid, printer = cylinder(12, 3, 48), Printer()
        job = PrintJob(solid, Recipe.model_validate(keys), printer)
        planned = Engine().estimate(job)
        plan = resolve(job.recipe, printer, Nozzle(), Material())
        lines = write_gcode(plan_strokes(solid, plan.shape), plan, printer, planned.melt_ceiling_mm3_s)
        text = "M104 S215\n" + "\n".join(lines)
        shown = replayed_estimate(lambda: io.BytesIO(text.encode()), printer, Nozzle(), Material())
        self.assertAlmostEqual(shown.print_time_s / planned.print_time_s, 1, delta=0.004)
        self.assertAlmostEqual(shown.filament_g / planned.filament_g, 1, places=3)
        self.assertAlmostEqual(shown.interval.low_s / planned.interval.low_s, 1, delta=0.05)
        self.assertAlmostEqual(sum(shown.by_cause.model_dump().values()), shown.print_time_s, places=6)
        self.assertEqual(shown.layers, planned.layers)
        self.assertEqual(shown.heat_up_s, planned.heat_up_s)

    def test_what_the_file_breaks_becomes_a_finding(self) -> None:
        text = b"M83\nG1 X80 E30 F6000\nG1 X0 F60000\nG1 X\n"
        shown = replayed_estimate(lambda: io.BytesIO(text), Printer(), Nozzle(), Material())
        rules = {finding.rule: finding for finding in shown.findings}
        self.assertEqual(set(rules), {"file_over_melt_ceiling", "file_over_axis_speed", "file_malformed"})
        self.assertIn("line 2", rules["file_over_melt_ceiling"].sentence)


class Firmware(unittest.TestCase):
    def test_a_report_becomes_a_printer(self) -> None:
        found = printer_from_report(REPORT)
        printer = found.printer
        self.assertEqual(found.commands, 5)
        self.assertEqual(found.steps_per_mm["E"], 415)
        self.assertEqual((printer.max_speed_mm_s.y, printer.max_acceleration_mm_s2.z), (450, 100))
        self.assertEqual(
            printer.acceleration_mm_s2.model_dump(), {"print": 900, "travel": 1600, "retract": 1400, "wipe": "print"}
        )
        self.assertEqual((printer.corner.law, printer.corner.deviation_mm), ("junction_deviation", 0.03))
        self.assertEqual(printer.limits_source, "set")

    def test_jerk_and_the_old_form_of_acceleration(self) -> None:
        printer = printer_from_report("M205 X9.5 Y9.5 Z0.3 E4\nM204 S1200\n").printer
        self.assertEqual((printer.corner.law, printer.corner.jerk.x, printer.corner.jerk.e), ("jerk", 9.5, 4))
        self.assertEqual((printer.acceleration_mm_s2.print, printer.acceleration_mm_s2.travel), (1200, 1200))

    def test_limits_that_no_machine_has_are_passed_over_and_told_by_line(self) -> None:
        report = printer_from_report("M205 J2\nM203 X99999\nM204 P800\n")
        self.assertEqual(report.printer.corner.law, "jerk")
        self.assertEqual((report.commands, report.printer.acceleration_mm_s2.print), (1, 800))
        result = play("M83\nM205 J2\nG1 X10 E1 F600\n", Printer())
        self.assertEqual(result.malformed_lines, [2])

    def test_damaged_lines_are_passed_over(self) -> None:
        text = "echo: M201 X26#0 Y2400\nM201 X2600 Y24\x000\nM204 P900\nM204 P9\xff0\nM203 X200 Y21.\n"
        printer = printer_from_report(text).printer
        self.assertEqual((printer.max_acceleration_mm_s2.x, printer.acceleration_mm_s2.print), (2000, 900))

    def test_the_rest_of_the_description_stays(self) -> None:
        base = Printer.model_validate({"bed_mm": {"x": 300}, "hotend": {"melt_zone_mm": 20}})
        printer = printer_from_report(REPORT, base).printer
        self.assertEqual((printer.bed_mm.x, printer.hotend.melt_zone_mm), (300, 20))

    def test_text_without_settings_is_refused_with_the_remedy(self) -> None:
        with self.assertRaises(MeanBeadError) as caught:
            printer_from_report("ok\nhello\n")
        self.assertIn("M503", str(caught.exception))
