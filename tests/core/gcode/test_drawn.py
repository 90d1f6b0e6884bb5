"""What single words of G-code do, each by hand; and files as they are drawn."""

import io
import math
import unittest

import numpy as np

from meanbead.core.errors import MeanBeadError
from meanbead.core.gcode import replay
from meanbead.core.gcode.drawn import AXIS_SPEED, MELT_CEILING, OUTSIDE, DrawnFile, drawn_file
from meanbead.core.gcode.replay import Replay
from meanbead.core.gcode.write import write_gcode
from meanbead.core.model import Material, Nozzle, Printer, Recipe
from meanbead.core.recipe.resolve import resolve
from meanbead.core.strokes import FEATURES, plan_strokes
from tests.support.solids import cylinder

QUICK = Printer.model_validate({"acceleration_mm_s2": {"print": 5000, "travel": 5000}, "corner": {"law": "jerk"}})


def play(text: str, printer: Printer = QUICK, **keys: str) -> Replay:
    return replay(io.BytesIO(text.encode()), printer, **keys)  # type: ignore[arg-type]


class Words(unittest.TestCase):
    def test_at_no_speed_the_last_one_stands(self) -> None:
        self.assertEqual(play("G1 X50 F3000\nG1 X0 F0\n").print_time_s, play("G1 X50 F3000\nG1 X0\n").print_time_s)

    def test_filament_is_what_leaves_the_nozzle(self) -> None:
        unloaded = play("M83\nG1 X50 E10 F1200\nG1 E-20 F1200\n")
        self.assertAlmostEqual(unloaded.filament_mm, 10)
        self.assertAlmostEqual(unloaded.retracted_mm, 20)
        pulled = play("M83\nG1 X50 E10 F1200\nG1 E-2 F1200\nG0 X60\nG1 E2.5 F1200\nG1 X80 E4\nG1 E3\n")
        self.assertAlmostEqual(pulled.laid_mm, 14)
        self.assertAlmostEqual(pulled.primed_mm, 2)
        self.assertAlmostEqual(pulled.purged_mm, 3.5)
        self.assertAlmostEqual(pulled.filament_mm, 17.5)
        for file in (unloaded, pulled):
            shares = file.by_feature.values()
            self.assertAlmostEqual(sum(share.filament_mm for share in shares), file.filament_mm)
            self.assertAlmostEqual(sum(share.time_s for share in shares), file.print_time_s)
        self.assertAlmostEqual(pulled.by_feature["purge"].filament_mm, 3.5)

    def test_a_stroke_first_pays_back_what_was_pulled(self) -> None:
        owed = play("M83\nG1 E-2 F1200\nG1 X50 E10 F1200\n")
        self.assertAlmostEqual(owed.laid_mm, 8)
        self.assertAlmostEqual(owed.primed_mm, 2)

    def test_inches(self) -> None:
        inches = play("M83\nG20\nG1 X2 E0.1 F50\nG21\nG1 X0 E1 F1270\n")
        same = play("M83\nG1 X50.8 E2.54 F1270\nG1 X0 E1 F1270\n")
        self.assertAlmostEqual(inches.print_time_s, same.print_time_s, places=9)
        self.assertAlmostEqual(inches.filament_mm, same.filament_mm, places=9)
        arcs = play("G20\nG2 X1 Y0 I0.5 J0 F50\nG92 X0\nG3 X1 Y0 R0.5\n")
        self.assertAlmostEqual(arcs.travel_mm, math.pi * 25.4, delta=0.01)

    def test_turns_of_a_wall_that_climbs_are_layers(self) -> None:
        for turns, sides, star in ((100, 64, 0.0), (12, 360, 0.0), (30, 80, 0.25)):
            lines = ["M83", "G1 Z0.2 F600", "G1 X10 Y0 F3000"]
            lines += [f"G1 X{10 * math.cos(a):.4f} Y{10 * math.sin(a):.4f} E0.03" for a in angles(1, sides)]
            for k, a in enumerate(angles(turns, sides)):
                radius = 10 * (1 + star * math.sin(5 * a))
                z = 0.2 + 0.2 * (k + 1) / sides
                lines.append(f"G1 X{radius * math.cos(a):.4f} Y{radius * math.sin(a):.4f} Z{z:.4f} E0.03")
            self.assertEqual(play("\n".join(lines)).layers, turns + 1)

    def test_offsets_are_no_retraction(self) -> None:
        self.assertEqual(play("G10 P0 X1 Y2\nG10 L2 P1 Z0\nG1 X5 F600\n").retractions, 0)
        self.assertEqual(play("G1 X5 F600\nG10\nG1 X9\nG11\n").retractions, 1)

    def test_an_arc_whose_radius_is_a_hair_too_small_is_half_a_circle(self) -> None:
        for radius in (5.0, 4.9999, 4.99, 4.5):
            self.assertAlmostEqual(play(f"G1 X0 F3000\nG2 X10 Y0 R{radius}\n").travel_mm, math.pi * 5, delta=0.02)

    def test_a_bare_g92_zeroes_all(self) -> None:
        self.assertAlmostEqual(play("G1 X10 Y10 E5 F3000\nG92\nG1 X3 Y4 E1\n").laid_mm, 6)
        self.assertAlmostEqual(play("G1 X10 F3000\nG92\nG1 X10\n").travel_mm, 20)

    def test_m400_comes_to_a_halt(self) -> None:
        through, halted = play("G1 X50 F6000\nG1 X100\n"), play("G1 X50 F6000\nM400\nG1 X100\n")
        self.assertGreater(halted.print_time_s, through.print_time_s + 0.01)
        self.assertEqual(halted.unknown_commands, 0)

    def test_m220_stores_and_restores(self) -> None:
        stored = play("M220 S50\nM220 B\nM220 S200\nG1 X50 F3000\nM220 R\nG1 X0\n")
        same = play("M220 S200\nG1 X50 F3000\nM220 S50\nG1 X0\n")
        self.assertEqual((stored.print_time_s, stored.malformed_count), (same.print_time_s, 0))

    def test_extended_commands_are_unknown_never_malformed(self) -> None:
        text = "SET_SOMETHING ACCEL=3000\nBED_MESH_LOAD PROFILE='a b'\nSTART_IT\nG1 X50 F6000\n"
        result = play(text)
        self.assertEqual((result.unknown_commands, result.malformed_count, result.lines), (3, 0, 4))

    def test_limits_are_read_by_a_pattern_of_ones_own(self) -> None:
        text = "SET_LIMIT A=400 V=3\nG1 X20 F6000\nG1 Y20\nG1 X0\nM204 S5000\nG1 Y0\n"
        pattern = r"SET_LIMIT A=(?P<acceleration>[\d.]+) V=(?P<corner>[\d.]+)"
        same = "M204 S400\nM205 X3 Y3\nG1 X20 F6000\nG1 Y20\nG1 X0\nM204 S5000\nG1 Y0\n"
        matched = play(text, limits_pattern=pattern)
        self.assertAlmostEqual(matched.print_time_s, play(same).print_time_s, places=9)
        self.assertEqual((matched.unknown_commands, matched.lines), (0, 6))
        self.assertLess(play(text).print_time_s, matched.print_time_s)
        law = Printer.model_validate({"corner": {"law": "junction_deviation", "deviation_mm": 0.02}})
        # A speed through a square corner, and the deviation that gives it: v^2 (sqrt 2 - 1) / a.
        by_angle = play("SET_LIMIT A=1000 V=5\nG1 X20 F6000\nG1 Y20\n", law, limits_pattern=pattern)
        deviation = 25 * (math.sqrt(2) - 1) / 1000
        j = play(f"M204 S1000\nM205 J{deviation:.7f}\nG1 X20 F6000\nG1 Y20\n", law)
        self.assertAlmostEqual(by_angle.print_time_s, j.print_time_s, places=9)
        for bad in ("(", "no groups"):
            with self.assertRaises(MeanBeadError) as caught:
                play(text, limits_pattern=bad)
            self.assertEqual(caught.exception.field, "limits_pattern")

    def test_wipes_that_pull_run_as_the_firmware_says(self) -> None:
        text = "M83\nG1 X50 E2 F6000\nG1 X20 E-1\nG0 X90\n"
        times = {}
        for wipe in ("print", "travel"):
            limits = {"print": 300, "travel": 3000, "wipe": wipe}
            times[wipe] = play(text, Printer.model_validate({"acceleration_mm_s2": limits})).print_time_s
        self.assertGreater(times["print"], times["travel"] + 0.05)


def angles(turns: int, sides: int) -> list[float]:
    return [2 * math.pi * (k + 1) / sides for k in range(turns * sides)]


def drawn(text: str, printer: Printer = QUICK) -> DrawnFile:
    return drawn_file(io.BytesIO(text.encode()), printer, Nozzle(), Material())


class Drawn(unittest.TestCase):
    def test_a_written_plan_is_drawn_as_it_was_planned(self) -> None:
        keys = {"copies": {"count": 2}, "retraction": {"z_hop_mm": 0.2}, "skins": {"over_sparse": "solid"}}
        plan = resolve(Recipe.model_validate(keys), Printer(), Nozzle(), Material())
        strokes = plan_strokes(cylinder(7, 3, 48), plan.shape)
        found = drawn("\n".join(write_gcode(strokes, plan, Printer(), 9.0)), Printer())
        made = found.detail.strokes
        np.testing.assert_allclose(made.layers.top_mm, strokes.layers.top_mm, atol=1e-9)
        np.testing.assert_allclose(made.layers.height_mm, strokes.layers.height_mm, atol=1e-9)
        self.assertAlmostEqual(float(found.detail.time_s.sum()), found.replay.print_time_s, places=6)
        for code, name in enumerate(FEATURES):
            mine, its = (float(item.length_mm[item.feature == code].sum()) for item in (made, strokes))
            if name != "travel":
                self.assertAlmostEqual(mine, its, delta=0.006 * its + 1e-6, msg=name)
        laid = ~made.is_travel
        wide = np.average(made.width_mm[laid], weights=made.length_mm[laid])
        its = np.average(strokes.width_mm[~strokes.is_travel], weights=strokes.length_mm[~strokes.is_travel])
        self.assertAlmostEqual(wide / its, 1, delta=0.005)

    def test_what_goes_beyond_the_machine_is_marked_where_it_happens(self) -> None:
        printer = Printer.model_validate({"max_speed_mm_s": {"x": 100, "y": 100}, "hotend": {"max_temp_c": 250}})
        text = (
            "M83\nG28\nM104 S300\nG1 Z0.2 F600\nG1 X50 E2 F1200\nG1 X100 E2 F18000\nG1 Z0.4 F600\n"
            "G1 X150 E40 F1200\nG1 X230 E3\n; a note\nG1 X100 E3\n"
        )
        found = drawn(text, printer)
        told = [(mark.mark.kind, mark.mark.line, mark.layer) for mark in found.marks]
        self.assertEqual(
            told,
            [
                ("temperature", 3, 0),
                ("axis_speed", 6, 0),
                ("melt_ceiling", 8, 1),
                ("outside", 9, 1),
            ],
        )
        by_line = dict(zip(found.line.tolist(), found.beyond.tolist(), strict=True))
        self.assertEqual(
            (by_line[5], by_line[6] & AXIS_SPEED, by_line[8] & MELT_CEILING), (0, AXIS_SPEED, MELT_CEILING)
        )
        self.assertEqual((by_line[9] & OUTSIDE, by_line[11]), (OUTSIDE, 0))
        speed = next(mark.mark for mark in found.marks if mark.mark.kind == "axis_speed")
        self.assertEqual((speed.value, speed.limit), (300, 100))
        edge = next(mark.mark for mark in found.marks if mark.mark.kind == "outside")
        self.assertEqual((edge.value, edge.limit), (230, 220))

    def test_without_homing_nobody_knows_where_the_bed_is(self) -> None:
        self.assertEqual(drawn("M83\nG1 X-50 E2 F1200\n").marks, ())

    def test_the_layers_of_a_climbing_wall_are_its_turns(self) -> None:
        lines = ["M83", "G1 X10 Y0 F3000"]
        lines += [
            f"G1 X{10 * math.cos(a):.4f} Y{10 * math.sin(a):.4f} Z{0.3 * (k + 1) / 48:.5f} E0.03"
            for k, a in enumerate(angles(20, 48))
        ]
        layers = drawn("\n".join(lines)).detail.strokes.layers
        self.assertEqual(len(layers), 20)
        np.testing.assert_allclose(layers.height_mm[2:], 0.3, atol=0.02)

    def test_a_file_without_moves_across_says_so(self) -> None:
        with self.assertRaises(MeanBeadError):
            drawn("G1 Z5 F600\n")
