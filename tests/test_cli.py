import contextlib
import io
import json
import tempfile
import threading
import unittest
from pathlib import Path
from typing import Any

import trimesh

from meanbead.cli import main
from meanbead.core.gcode.placeholders import SIMPLE_END, SIMPLE_START
from meanbead.core.model.day import Day, DayPlan
from meanbead.simulators.console import ConsoleServer
from tests.support.day_check import broken_rules
from tests.support.solids import stl_bytes


class Shell(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.part = self.file("box.stl", stl_bytes(trimesh.creation.box((20, 20, 10))))

    def file(self, name: str, content: bytes | str) -> str:
        path = self.folder / name
        path.write_bytes(content if isinstance(content, bytes) else content.encode())
        return str(path)

    def run_it(self, *words: str) -> tuple[int, str, str]:
        out, err = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            try:
                code = main(list(words))
            except SystemExit as leaving:
                code = int(leaving.code or 0)
        return code, out.getvalue(), err.getvalue()

    def test_facts(self) -> None:
        code, out, _ = self.run_it("facts", self.part, "--json")
        facts = json.loads(out)
        self.assertEqual(code, 0)
        self.assertAlmostEqual(facts["volume_mm3"], 4000)
        for key in ("surface_mm2", "extents_mm", "triangles", "sound", "footprint_mm2"):
            self.assertIn(key, facts)
        self.assertIn("20.00 x 20.00 x 10.00 mm", self.run_it("facts", self.part)[1])

    def test_a_day_is_planned_and_contradictions_are_one_line(self) -> None:
        day: dict[str, Any] = {
            "now": "2026-11-23T07:30:00+01:00",
            "horizon_h": 48,
            "attended": [
                {"from": f"2026-11-{day}T08:00:00+01:00", "to": f"2026-11-{day}T18:00:00+01:00"} for day in (23, 24)
            ],
            "machines": [
                {"id": "A", "material": "PLA", "free_at": "2026-11-23T09:00:00+01:00"},
                {"id": "B", "bed_mm": [100, 100, 90]},
            ],
            "jobs": [
                {
                    "id": "x",
                    "time_s": 7200.5,
                    "low_s": 7000,
                    "high_s": 8000,
                    "grams": 50,
                    "material": "PLA",
                    "copies": 3,
                },
                {"id": "y", "time_s": 60, "size_mm": [300, 10, 10]},
            ],
            "swap_min": {"plate": 10, "nozzle": 15, "spool": 5},
        }
        code, out, err = self.run_it("plan", self.file("day.json", json.dumps(day)), "--json", "--seconds", "1")
        self.assertEqual((code, err), (0, ""))
        told = json.loads(out)
        self.assertEqual(sorted((run["job"], run["copy"]) for run in told["runs"]), [("x", 1), ("x", 2), ("x", 3)])
        self.assertEqual(told["late"], [])
        self.assertLess(told["gap"], 0.05)
        self.assertEqual([(one["job"], one["copy"]) for one in told["unplaced"]], [("y", 1)])
        self.assertIn("do not fit on A", told["unplaced"][0]["why"])
        found = DayPlan.model_validate_json(out)
        self.assertEqual(broken_rules(Day.model_validate(day), found), [])
        shown = self.run_it("plan", self.file("day.json", json.dumps(day)), "--seconds", "0.2")[1]
        self.assertIn("no place     y 1", shown)
        for wrong, words in (
            ({"jobs": [day["jobs"][0] | {"low_s": 9000}]}, "low_s 9000 is more than time_s"),
            ({"attended": [{"from": "2026-11-23T18:00:00", "to": "2026-11-23T08:00:00"}]}, "is not before"),
            ({"machines": [{"id": "A"}, {"id": "A"}]}, "A is there twice"),
            ({"pinned": [{"job": "y", "machine": "A", "start": "2026-11-23T10:00:00+01:00"}]}, "pinned to A, but"),
        ):
            code, out, err = self.run_it("plan", self.file("bad.json", json.dumps(day | wrong)), "--json")
            self.assertEqual((code, out, err.count("\n")), (2, "", 1))
            self.assertIn(words, err)
        self.assertEqual(self.run_it("plan", self.file("empty.json", "{}"), "--json")[0], 0)
        self.assertIn("horizon_h", self.run_it("schema", "day")[1])

    def test_settings_tell_every_key_with_its_reason(self) -> None:
        recipe = self.file("r.json", '{"walls": 5, "nozzle_diameter_mm": 0.6}')
        printer = self.file("p.json", '{"z_screw": {"lead_mm": 8}}')
        material = self.file("m.json", '{"name": "Sticky", "top_speed_mm_s": 20}')
        house = self.file("h.json", '{"seam": "scattered"}')
        words = ("settings", "--recipe", recipe, "--printer", printer, "--material", material, "--house", house)
        code, out, _ = self.run_it(*words, "--json")
        self.assertEqual(code, 0)
        told = {row["key"]: row for row in json.loads(out)["settings"]}
        self.assertEqual((told["walls"]["value"], told["walls"]["by"]), (5, "choice"))
        self.assertEqual((told["seam"]["value"], told["seam"]["by"]), ("scattered", "house"))
        self.assertEqual((told["speed_mm_s.top"]["value"], told["speed_mm_s.top"]["by"]), (20, "plastic"))
        self.assertEqual((told["layer_height_mm"]["value"], told["layer_height_mm"]["unit"]), (0.32, "mm"))
        self.assertTrue(all(row["why"] for row in told.values()))
        self.assertIn("By house rule", self.run_it(*words)[1])
        code, _, said = self.run_it("settings", "--house", self.file("x.json", '{"seam": "inside"}'))
        self.assertEqual((code, said.count("\n")), (2, 1))

    def test_levers(self) -> None:
        limits = self.file("l.json", '{"shell_mm": 0.8, "flow_margin": 0.1}')
        code, out, _ = self.run_it(
            "levers", self.part, "--limits", limits, "--nozzles", "0.6", "--by", "grams", "--json"
        )
        advice = json.loads(out)
        self.assertEqual(code, 0)
        self.assertGreater(len(advice["levers"]), 10)
        self.assertIn("nozzle", {lever["group"] for lever in advice["levers"]})
        said = self.run_it("levers", self.part)[1].splitlines()
        self.assertIn("now", said[0])
        self.assertIn("takes nothing", "".join(said))

    def test_search(self) -> None:
        vary = self.file("v.json", '{"nozzle_diameter_mm": [0.4, 0.6], "walls": [1, 2], "infill.density": [0.1, 0.2]}')
        limits = self.file("l.json", '{"shell_mm": 0.8}')
        words = ["search", self.part, "--vary", vary, "--limits", limits, "--nozzles", "0.6"]
        code, out, _ = self.run_it(*words, "--json")
        found = json.loads(out)
        self.assertEqual((code, found["space"], found["complete"]), (0, 8, True))
        self.assertTrue(all(dot["measures"]["shell_mm"] >= 0.8 for dot in found["dots"]))
        self.assertIn("fastest", self.run_it(*words)[1])

    def test_what_cannot_be_searched_ends_in_one_line(self) -> None:
        for text, says in (
            ("not json", "not JSON"),
            ('{"walls": 3}', "list of values"),
            ('{"nozzle_diameter_mm": [0.9]}', "--nozzles"),
            ('{"no.such": [1, 2]}', "not a setting"),
        ):
            with self.subTest(text=text):
                code, _, err = self.run_it("search", self.part, "--vary", self.file("v.json", text))
                self.assertEqual(code, 2)
                self.assertIn(says, err)
                self.assertEqual(len(err.splitlines()), 1)
        self.assertEqual(self.run_it("levers", self.part, "--nozzles", "12")[0], 2)

    def test_estimate_with_all_files(self) -> None:
        recipe = self.file("r.json", '{"layer_height_mm": 0.3, "nozzle_diameter_mm": 0.6}')
        printer = self.file("p.json", '{"acceleration_mm_s2": {"print": 500}}')
        material = self.file("m.json", '{"name": "Test plastic", "price_per_kg": 50}')
        words = ["estimate", self.part, "--recipe", recipe, "--printer", printer, "--material", material, "--json"]
        code, out, _ = self.run_it(*words)
        result = json.loads(out)
        self.assertEqual(code, 0)
        self.assertEqual(result["layers"], 33)
        self.assertAlmostEqual(result["filament_cost"], result["filament_g"] * 0.05)
        self.assertEqual(
            set(result["by_feature"]) - {"wait"},
            {"outer_wall", "inner_wall", "infill", "solid", "top", "bottom", "bridge", "skirt", "travel"}
            & set(result["by_feature"]),
        )
        self.assertIn("printing", self.run_it(*words[:-1])[1])

    def test_an_estimate_has_measures_to_compare_by(self) -> None:
        def measures(keys: dict[str, Any]) -> dict[str, float]:
            recipe = self.file("keys.json", json.dumps(keys))
            found: dict[str, float] = json.loads(self.run_it("estimate", self.part, "--recipe", recipe, "--json")[1])[
                "measures"
            ]
            return found

        usual, narrow = measures({}), measures({"line_width_mm": {"outer_wall": 0.24}})
        self.assertEqual(set(usual), {"bond", "crush", "sideways", "bend", "clean_overhang_deg", "returns_mm"})
        self.assertLess(narrow["bond"], 0.5 * usual["bond"])
        self.assertEqual(usual["returns_mm"], 0)
        # A recipe of before skins had an order is read as what it meant.
        self.assertEqual(measures({"skins": {"one_way": True}})["returns_mm"], 0)
        rows = json.loads(self.run_it("settings", "--json")[1])["settings"]
        (order,) = [row for row in rows if row["key"] == "skins.order"]
        self.assertEqual(order["value"], "sweep")

    def test_gcode_and_firmware(self) -> None:
        printer = self.file("p.json", self.run_it("firmware", self.file("m503.txt", "M203 X20 Y20\n"))[1])
        lines = self.file("a.gcode", "M83\nG1 X100 E3 F6000\nG1 X\n")
        code, out, _ = self.run_it("gcode", lines, "--printer", printer, "--json")
        result = json.loads(out)
        self.assertEqual((code, result["malformed_lines"]), (0, [3]))
        self.assertGreater(result["print_time_s"], 5)
        self.assertIn("1 malformed", self.run_it("gcode", lines)[1])
        self.assertEqual(self.run_it("gcode", self.part)[0], 2)
        self.assertEqual(self.run_it("gcode", lines, "--pattern", "(")[0], 2)
        self.assertEqual(self.run_it("firmware", lines)[0], 2)

    def test_a_sample_of_layers_and_both_ledgers_layer_by_layer(self) -> None:
        tall = self.file("tall.stl", stl_bytes(trimesh.creation.cylinder(8, 40)))
        whole, sampled = (json.loads(self.run_it("estimate", tall, "--layers", n, "--json")[1]) for n in ("all", "12"))
        self.assertLess(sampled["layers_planned"], whole["layers_planned"])
        self.assertGreater(sampled["sampling_error"], 0)
        self.assertAlmostEqual(
            sampled["print_time_s"] / whole["print_time_s"], 1, delta=sampled["sampling_error"] + 0.01
        )
        self.assertIn("planned, within", self.run_it("estimate", tall, "--layers", "12")[1])
        ledger = json.loads(self.run_it("estimate", tall, "--per-layer")[1])
        self.assertAlmostEqual(sum(ledger["time_s"]), whole["print_time_s"], places=6)
        self.assertIn("number of layers", self.run_it("estimate", tall, "--layers", "some")[2])

    def test_a_console_is_asked_for_its_settings(self) -> None:
        with ConsoleServer() as server:
            threading.Thread(target=server.serve_forever, daemon=True).start()
            code, out, _ = self.run_it("firmware", "--console", server.address)
            server.shutdown()
        self.assertEqual((code, json.loads(out)["acceleration_mm_s2"]["print"]), (0, 1250))
        self.assertEqual(self.run_it("firmware")[0], 2)

    def test_schemas(self) -> None:
        for model in ("recipe", "printer", "material", "estimate"):
            code, out, _ = self.run_it("schema", model)
            self.assertEqual((code, json.loads(out)["type"]), (0, "object"))

    def runs_file(self, name: str, count: int, **more: object) -> str:
        """Runs of the box on a machine that takes a tenth longer; the last is still to come."""
        estimate = json.loads(self.run_it("estimate", self.part, "--json")[1])
        recipe = {"walls": 3}
        other = json.loads(
            self.run_it("estimate", self.part, "--recipe", self.file("w.json", json.dumps(recipe)), "--json")[1]
        )
        runs = []
        for number in range(count):
            predicted, choices = ((estimate, {}), (other, recipe))[number % 2]
            runs.append(
                {
                    "part": "box.stl",
                    "recipe": choices,
                    "printer": {},
                    "material": {},
                    "predicted": {key: predicted[key] for key in ("print_time_s", "by_cause", "filament_g")},
                    "real_time_s": None if number == count - 1 else 1.1 * predicted["print_time_s"] + (-1) ** number,
                    "includes_heating": False,
                    "weight_g": 0.97 * predicted["filament_g"] if number % 3 == 0 else None,
                    "at": f"2026-11-{number + 1:02d}T10:00",
                }
                | more
            )
        return self.file(name, json.dumps({"runs": runs}))

    def test_what_real_times_teach(self) -> None:
        runs = self.runs_file("runs.json", 9)
        code, out, err = self.run_it("calibrate", runs, "--json")
        self.assertEqual((code, err), (0, ""))
        told = json.loads(out)
        for key in ("time_factors", "offset_s", "scatter", "coverage_loo", "next", "inferred_limits", "outliers"):
            self.assertIn(key, told)
        self.assertEqual(set(told["time_factors"]["ramps"]), {"value", "low", "high"})
        estimate = json.loads(self.run_it("estimate", self.part, "--json")[1])
        coming = told["next"][0]
        self.assertLess(coming["low_s"], 1.1 * estimate["print_time_s"])
        self.assertGreater(coming["high_s"], 1.1 * estimate["print_time_s"])
        self.assertIn("acceleration_mm_s2", told["inferred_limits"])
        self.assertAlmostEqual(told["filament"]["ratio"], 0.97, delta=0.01)
        self.assertIn("ramps and corners", self.run_it("calibrate", runs)[1])
        measured = json.loads(self.run_it("estimate", self.part, "--runs", runs, "--json")[1])["interval"]
        self.assertEqual((measured["source"], measured["runs"]), ("measured", 8))
        self.assertAlmostEqual(measured["expected_s"], coming["print_time_s"], places=6)
        self.assertEqual(estimate["interval"]["source"], "typical")
        # With the heating counted, from predictions made here, and without any part.
        around = estimate["whole_time_s"] - estimate["print_time_s"]
        alone = {"runs": [{"part": "box.stl", "real_time_s": estimate["whole_time_s"], "includes_heating": True}]}
        found = json.loads(self.run_it("calibrate", self.file("alone.json", json.dumps(alone)), "--json")[1])
        self.assertGreater(around, 60)
        self.assertIsNone(found["inferred_limits"])
        self.assertAlmostEqual(found["time_factors"]["at_set_speed"]["value"], 1.0, delta=0.02)

    def test_odd_runs_name_the_run_and_the_field(self) -> None:
        predicted = {"print_time_s": 100, "by_cause": {"ramps": 20}}
        cases = (
            ({"real_time_s": "long", "predicted": predicted}, "runs.0.real_time_s"),
            ({"real_time_s": 90, "predicted": {"print_time_s": 0}}, "runs.0.predicted.print_time_s"),
            ({"real_time_s": 90, "predicted": {"print_time_s": 10, "by_cause": {"magic": 3}}}, "magic"),
            (
                {"real_time_s": 90, "predicted": {"print_time_s": 10, "by_cause": {"ramps": 30}}},
                "runs[0].predicted.by_cause",
            ),
            ({"real_time_s": 90}, "runs[0].predicted"),
            ({"real_time_s": None}, "runs[0].predicted"),
            ({"real_time_s": 90, "part": "none.stl"}, "runs[0].part"),
            ({"real_time_s": 90, "predicted": predicted, "includes_heating": True}, "runs[0].real_time_s"),
            ({"real_time_s": 90, "predicted": predicted, "speed": 3}, "speed"),
        )
        for run, expected in cases:
            code, out, err = self.run_it("calibrate", self.file("odd.json", json.dumps({"runs": [run]})), "--json")
            self.assertEqual((code, out, len(err.strip().splitlines())), (2, "", 1), run)
            self.assertIn(expected, err)

    def test_a_file_is_written_read_back_and_looked_over(self) -> None:
        printer = self.file("p.json", json.dumps({"start_gcode": SIMPLE_START, "end_gcode": SIMPLE_END}))
        out = str(self.folder / "box.gcode")
        code, said, _ = self.run_it("write", self.part, "--printer", printer, "--out", out)
        self.assertEqual(code, 0)
        self.assertIn("At its end every heater is off", said)
        seen = json.loads(self.run_it("inspect", out, "--printer", printer, "--json")[1])
        estimate = json.loads(self.run_it("estimate", self.part, "--printer", printer, "--json")[1])
        self.assertAlmostEqual(seen["print_time_s"] / estimate["print_time_s"], 1, delta=0.003)
        self.assertFalse([check for check in seen["checks"] if not check["ok"]])
        cold = self.file("cold.json", json.dumps({"start_gcode": "G28\n", "end_gcode": SIMPLE_END}))
        code, _, error = self.run_it("write", self.part, "--printer", cold, "--out", str(self.folder / "cold.gcode"))
        self.assertEqual((code, error.count("\n")), (2, 1))
        self.assertIn("before the nozzle was waited for", error)
        self.assertFalse([path.name for path in self.folder.iterdir() if path.name.startswith("cold.gcode")])
        self.assertEqual(self.run_it("write", self.part)[0], 2)

    def test_the_sheet_says_what_stands_beside_a_recipe(self) -> None:
        printer = self.file(
            "p.json", json.dumps({"acceleration_mm_s2": {"print": 640, "travel": 900, "retract": 1100}})
        )
        rows = {
            row["key"]: row
            for row in json.loads(self.run_it("settings", "--printer", printer, "--json")[1])["settings"]
        }
        estimate = json.loads(self.run_it("estimate", self.part, "--printer", printer, "--json")[1])
        self.assertAlmostEqual(rows["max_flow_mm3_s"]["value"], estimate["melt_ceiling_mm3_s"], delta=0.006)
        self.assertEqual(rows["max_speed_mm_s.z"]["value"], 10)
        self.assertEqual(
            rows["acceleration_by_feature_mm_s2.inner_wall"]["value"], rows["acceleration_mm_s2.print"]["value"]
        )
        self.assertEqual(rows["acceleration_by_feature_mm_s2.retract"]["value"], 1100)
        self.assertTrue(
            all(row["why"] and row["unit"] for key, row in rows.items() if key.startswith(("max_", "corner.")))
        )

    def test_a_simulated_machine_wants_causes_that_there_are(self) -> None:
        for said in ("ramps", "ramps=fast", "nothing=1.2"):
            code, _, error = self.run_it("simulate", "machine", "--slower", said)
            self.assertEqual((code, error.count("\n")), (2, 1))

    def test_what_an_experiment_says(self) -> None:
        cells = [
            {"levels": {"h": level}, "time_s": [600 + 900 / level], "measured": [5 - level, 5.1 - level, 4.9 - level]}
            for level in (0.1, 0.2, 0.3, 0.4)
        ]
        cells[0]["ranks"] = [[0, 3], [0, 3], [0, 3], [1, 3]]
        grid = {"factors": {"h": [0.1, 0.2, 0.3, 0.4]}, "cells": cells, "gauge": 0.1, "share": 0.8}
        code, out, _ = self.run_it("verdict", self.file("grid.json", json.dumps(grid)), "--json")
        told = json.loads(out)
        self.assertEqual((code, told["knee"]["h"]["level"], told["fastest"]), (0, 0.3, 3))
        self.assertEqual([one["pair"] for one in told["differences"] if one["of"] == "measured"], [[0, 3]])
        self.assertTrue(all({"pair", "pieces"} <= set(one) for one in told["need"]))
        self.assertIn("knee", self.run_it("verdict", self.file("grid.json", json.dumps(grid)))[1])
        for change, expected in (
            ({"cells": [{"levels": {"h": 9}}]}, "cells[0].levels.h"),
            ({"cells": [cells[1] | {"ranks": [[0, 9]]}]}, "ranks"),
            ({"gauge": "fine"}, "gauge"),
            ({"factors": {}}, "factors"),
        ):
            code, out, err = self.run_it("verdict", self.file("bad.json", json.dumps(grid | change)), "--json")
            self.assertEqual((code, out), (2, ""), change)
            self.assertIn(expected, err)

    def test_bad_input_is_one_line_and_exit_2(self) -> None:
        empty = self.file("empty.stl", b"")
        cases = [
            (["facts", str(self.folder / "none.stl")], "No such file"),
            (["facts", empty], "empty"),
            (["facts"], "required"),
            (["schema", "poem"], "invalid choice"),
            (["nonsense"], "invalid choice"),
            (["estimate", self.part, "--recipe", self.file("a.json", '{"layer_hight_mm": 1}')], "layer_height_mm"),
            (["estimate", self.part, "--recipe", self.file("b.json", "{")], "JSON"),
            (["estimate", self.part, "--recipe", self.file("c.json", '{"walls": -2}')], "at least 0"),
            (["estimate", self.part, "--recipe", self.file("d.json", '{"layer_height_mm": 0.9}')], "wide"),
            (["estimate", self.part, "--printer", self.file("e.json", '{"drive": "steam"}')], "direct"),
            (["estimate", self.part, "--material", self.file("f.json", '{"nozzle_temp_c": 400}')], "400"),
        ]
        for words, expected in cases:
            code, out, err = self.run_it(*words)
            self.assertEqual((code, out), (2, ""), words)
            self.assertEqual(len(err.strip().splitlines()), 1, err)
            self.assertIn(expected, err)
            self.assertNotIn("Traceback", err)
