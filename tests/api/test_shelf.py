"""The shelf over HTTP: every kind of row is added, edited, put in order, removed, brought back, given as a file and taken
in again; what it decides is told."""

from __future__ import annotations

from typing import Any

from meanbead.core.model import Printer
from meanbead.core.shelf import Answers, typical_plastics, typical_printer
from tests.api.test_api import ApiCase

KINDS = ("machines", "nozzles", "materials", "spools", "purposes")


class ShelfCase(ApiCase):
    def shelf(self) -> dict[str, list[dict[str, Any]]]:
        return self.call("GET", "/api/shelf")

    def add(self, kind: str, **body: Any) -> dict[str, Any]:
        if kind == "spools":
            body = {"name": "A spool", "material_id": self.shelf()["materials"][0]["id"]} | body
        made: dict[str, Any] = self.call("POST", f"/api/{kind}", body, 201)
        self.addCleanup(self.remove, kind, made["id"])
        return made

    def remove(self, kind: str, row_id: int) -> None:
        row = next((row for row in self.shelf()[kind] if row["id"] == row_id), None)
        if row is not None and not row["removed"]:
            self.call("POST", f"/api/{kind}/{row_id}/delete", {"version": row["version"]})

    def edit(self, kind: str, row: dict[str, Any], **body: Any) -> dict[str, Any]:
        return self.call("PATCH", f"/api/{kind}/{row['id']}", {"version": row["version"], **body})


class EveryKind(ShelfCase):
    def test_it_is_added_renamed_removed_and_brought_back(self) -> None:
        for kind in KINDS:
            with self.subTest(kind=kind):
                row = self.add(kind, name="Mine")
                self.assertEqual((row["name"], row["sources"], row["removed"]), ("Mine", {}, False))
                named = self.edit(kind, row, name="  Ours ")
                self.assertEqual(named["name"], "Ours")
                stale = self.call(
                    "PATCH", f"/api/{kind}/{row['id']}", {"version": row["version"], "name": "Theirs"}, 409
                )
                self.assertEqual(stale["stored"]["name"], "Ours")
                self.call("POST", f"/api/{kind}/{row['id']}/delete", {"version": named["version"]})
                self.assertNotIn(row["id"], [one["id"] for one in self.shelf()[kind]])
                self.call("PATCH", f"/api/{kind}/{row['id']}", {"version": named["version"] + 1, "name": "Gone"}, 404)
                self.call("POST", f"/api/{kind}/{row['id']}/restore")
                self.assertIn(row["id"], [one["id"] for one in self.shelf()[kind]])

    def test_order_is_peoples_own(self) -> None:
        for kind in KINDS:
            with self.subTest(kind=kind):
                made = [self.add(kind, name=name) for name in ("A", "B", "C")]

                def order(kind: str = kind, ids: tuple[int, ...] = tuple(row["id"] for row in made)) -> str:
                    return "".join(row["name"] for row in self.shelf()[kind] if row["id"] in ids)

                self.assertEqual(order(), "ABC")
                self.call("POST", f"/api/{kind}/{made[2]['id']}/move", {"before_id": made[0]["id"]})
                self.assertEqual(order(), "CAB")
                self.call("POST", f"/api/{kind}/{made[2]['id']}/move", {"before_id": made[1]["id"]})
                self.assertEqual(order(), "ACB")
                self.call("POST", f"/api/{kind}/{made[0]['id']}/move", {"before_id": None})
                self.assertEqual(order(), "CBA")
                self.call("POST", f"/api/{kind}/{made[0]['id']}/move", {"before_id": 99_999}, 404)

    def test_a_file_of_it_can_be_taken_in_again(self) -> None:
        bodies: dict[str, dict[str, Any]] = {
            "machines": {"printer": Printer.model_validate({"z_screw": {"lead_mm": 2}}).model_dump(mode="json")},
            "nozzles": {"nozzle": {"bore_mm": 0.5, "metal": "hard_tip", "shape": "split_flow", "channels": 3}},
            "materials": {"like": "PETG"},
            "spools": {"left_g": 321, "empty_g": 180, "dried_on": "2026-05-04", "kept": "dry_box"},
            "purposes": {"limits": {"ridge_mm": 0.05}},
        }
        for kind, body in bodies.items():
            with self.subTest(kind=kind):
                row = self.add(kind, name=f"Given {kind}", **body)
                response = self.client.get(f"/api/{kind}/{row['id']}.json")
                self.assertIn("attachment", response.headers["Content-Disposition"])
                given = response.get_json()
                taken = self.call("POST", "/api/shelf/import", given, 201)
                again = next(one for one in self.shelf()[kind] if one["id"] == taken["id"])
                self.addCleanup(self.remove, kind, taken["id"])
                own = {"id", "version", "position", "used_in"}
                self.assertEqual(*({k: v for k, v in one.items() if k not in own} for one in (again, row)))

    def test_files_that_are_none_are_refused_with_the_field(self) -> None:
        wrong: list[dict[str, Any]] = [
            {"kind": "nozzle", "name": "X", "content": {"bore_mm": 9}},
            {"kind": "nozzle", "name": "X", "content": {"colour": "red"}},
            {"kind": "spool", "name": "X", "content": {"left_g": 3}},
            {"kind": "teapot", "name": "X", "content": {}},
            {"kind": "nozzle", "name": "X", "content": {}, "format": 2},
        ]
        before = self.shelf()
        for body in wrong:
            problem = self.call("POST", "/api/shelf/import", body, 422)
            self.assertTrue(problem["errors"][0]["field"])
        self.assertEqual(self.shelf(), before)

    def test_a_copy_has_the_figures_and_where_they_come_from(self) -> None:
        row = self.add("nozzles", nozzle={"bore_mm": 0.5})
        measured = self.edit("nozzles", row, nozzle={"bore_mm": 0.52}, provenance="measured")
        self.assertEqual(measured["sources"], {"bore_mm": "measured"})
        copy = self.add("nozzles", copy_of=row["id"])
        self.assertEqual((copy["nozzle"]["bore_mm"], copy["sources"]), (0.52, {"bore_mm": "measured"}))
        marked = self.edit("nozzles", copy, sources={"bore_mm": "typical", "flat_mm": "set"})
        self.assertEqual(marked["sources"], {"flat_mm": "set"})

    def test_it_tells_which_columns_go_by_it(self) -> None:
        columns = self.columns(self.upload())
        nozzle = next(row for row in self.shelf()["nozzles"] if row["id"] == columns[0]["nozzle_id"])
        before = nozzle["used_in"]
        self.assertGreaterEqual(before["columns"], 1)
        self.call("POST", f"/api/parts/{columns[0]['part_id']}/recipes", {"copy_of": columns[0]["id"]}, 201)
        again = next(row for row in self.shelf()["nozzles"] if row["id"] == nozzle["id"])
        self.assertEqual(again["used_in"], {"columns": before["columns"] + 1, "parts": before["parts"]})

    def test_what_is_taken_off_holds_on_for_what_goes_by_it(self) -> None:
        plastic = self.add("materials", like="ABS")
        spool = self.add("spools", material_id=plastic["id"], name="Slate")
        purpose = self.add("purposes", name="Clamp", limits={"shell_mm": 2.0})
        part = self.upload()
        self.call("PATCH", f"/api/parts/{part['id']}", {"version": part["version"], "purpose_id": purpose["id"]})
        column = self.columns(part)[0]
        self.call("PATCH", f"/api/recipes/{column['id']}", {"version": column["version"], "spool_id": spool["id"]})
        walls = self.columns(part)[0]["preview"]["effective"]["walls"]
        self.assertEqual(walls, 5)
        for kind, row in (("materials", plastic), ("purposes", purpose), ("spools", spool)):
            now = next(one for one in self.shelf()[kind] if one["id"] == row["id"])
            self.call("POST", f"/api/{kind}/{row['id']}/delete", {"version": now["version"]})
        left = self.shelf()
        for kind, row in (("materials", plastic), ("purposes", purpose)):
            self.assertTrue(next(one for one in left[kind] if one["id"] == row["id"])["removed"])
        again = self.columns(part)[0]
        self.assertEqual((again["preview"]["effective"]["walls"], again["spool_id"]), (5, None))
        told = self.call("GET", f"/api/recipes/{column['id']}/findings")
        self.assertEqual(told["purpose"], "Clamp")


class Machines(ShelfCase):
    def test_five_answers_make_a_typical_one(self) -> None:
        answers = {
            "bed_mm": {"x": 300, "y": 300, "z": 320},
            "hotend": "long",
            "frame": "coupled_gantry",
            "drive": "direct",
        }
        row = self.add("machines", name="New one", answers=answers)
        self.assertEqual(Printer.model_validate(row["printer"]), typical_printer(Answers.model_validate(answers)))
        self.assertEqual((row["sources"], row["printer"]["limits_source"]), ({}, "typical"))

    def test_figures_say_where_they_come_from(self) -> None:
        row = self.add("machines")
        printer = row["printer"]
        typed = self.edit("machines", row, printer=printer | {"acceleration_mm_s2": {"print": 640}})
        self.assertEqual(typed["sources"], {"acceleration_mm_s2.print": "set"})
        self.assertEqual(typed["printer"]["limits_source"], "set")
        melt = typed["printer"]["hotend"] | {"melt_zone_mm": 20}
        told = self.edit("machines", typed, printer=typed["printer"] | {"hotend": melt}, provenance="measured")
        self.assertEqual(told["printer"]["hotend"]["source"], "measured")
        report = {"version": told["version"], "report": "echo: M92 X80 Y80 Z400 E93\necho: M201 X1234 Y1234\nok"}
        asked = self.call("POST", f"/api/machines/{row['id']}/firmware", report)
        self.assertEqual(asked["sources"]["max_acceleration_mm_s2.x"], "measured")
        self.assertAlmostEqual(asked["printer"]["z_step_mm"], 0.04)

    def test_screw_and_nozzles_give_the_full_steps(self) -> None:
        row = self.add("machines")
        self.assertIsNone(self.call("GET", f"/api/machines/{row['id']}/full-steps")["step_mm"])
        screw = {"lead_mm": 8, "steps_per_turn": 200, "gearing": 1}
        told = self.edit("machines", row, printer=row["printer"] | {"z_screw": screw})
        self.assertAlmostEqual(told["printer"]["z_step_mm"], 0.04)
        tables = self.call("GET", f"/api/machines/{row['id']}/full-steps")
        usual = next(table for table in tables["nozzles"] if table["bore_mm"] == 0.4)
        self.assertEqual([height["height_mm"] for height in usual["heights"]], [0.12, 0.16, 0.2, 0.24, 0.28, 0.32])
        self.assertEqual([height["steps"] for height in usual["heights"]], [3, 4, 5, 6, 7, 8])

    def test_its_own_texts_take_the_time_that_they_take(self) -> None:
        row = self.add("machines")
        text = "M140 S{bed}\nM104 S{nozzle}\nM190 S{bed}\nM109 S{nozzle}\nG28\nG92 E0\nG1 X100 F1200\nG4 P2000\n"
        tried = self.call("POST", f"/api/machines/{row['id']}/routine", {"text": text})
        # 15 s of homing, 2 s of waiting, 100 mm at 20 mm/s with its ramps.
        self.assertAlmostEqual(tried["time_s"], 15 + 2 + 5 + 20 / 1000, delta=0.05)
        self.assertEqual(tried["heating"], "together")
        first = self.call("POST", f"/api/machines/{row['id']}/routine", {"text": "M190 S60\nM109 S200\n"})
        self.assertEqual(first["heating"], "bed_first")
        self.assertLess(first["time_s"], 0.01)
        told = self.edit("machines", row, printer=row["printer"] | {"start_gcode": text, "end_gcode": "G4 S7\n"})
        columns = self.columns(self.upload())
        body = {"version": columns[0]["version"], "machine_id": told["id"]}
        self.call("PATCH", f"/api/recipes/{columns[0]['id']}", body)
        found = self.call("POST", f"/api/recipes/{columns[0]['id']}/estimate")
        self.assertAlmostEqual(found["start_time_s"], tried["time_s"], delta=0.01)
        self.assertAlmostEqual(found["end_time_s"], 7.0, delta=0.01)

    def test_it_holds_a_nozzle_and_a_spool_that_no_other_holds(self) -> None:
        one, other = self.add("machines"), self.add("machines")
        nozzle, spool = self.shelf()["nozzles"][1], self.add("spools")
        fitted = self.edit("machines", one, nozzle_id=nozzle["id"], spool_id=spool["id"])
        self.assertTrue(fitted["fitted_on"])
        ran = self.edit("machines", fitted, hours_run=12.5)
        self.assertEqual((ran["nozzle_id"], ran["hours_run"]), (nozzle["id"], 12.5))
        self.edit("machines", other, spool_id=spool["id"])
        left = next(row for row in self.shelf()["machines"] if row["id"] == one["id"])
        self.assertIsNone(left["spool_id"])
        again = self.edit("machines", left, nozzle_id=self.shelf()["nozzles"][0]["id"])
        self.assertEqual(again["hours_run"], 0)
        self.call("PATCH", f"/api/machines/{one['id']}", {"version": again["version"], "nozzle_id": 99_999}, 404)

    def test_only_commands_that_ask_may_be_sent_to_its_console(self) -> None:
        row = self.add("machines")
        for command in ("G28", "M503\nG28", "M104 S200"):
            body = {"version": row["version"], "console": {"command": command}}
            self.call("PATCH", f"/api/machines/{row['id']}", body, 422)
        kept = self.edit("machines", row, console={"address": "127.0.0.1:9", "baud": 230400, "command": "M115"})
        self.assertEqual(kept["console"]["command"], "M115")


class Plastics(ShelfCase):
    def test_the_library_starts_a_material_marked_typical(self) -> None:
        names = [entry["name"] for entry in self.call("GET", "/api/library/materials")["materials"]]
        self.assertEqual(names, [plastic.name for plastic in typical_plastics()])
        self.assertGreaterEqual(len(names), 15)
        row = self.add("materials", like="ASA")
        self.assertEqual((row["name"], row["material"]["source"], row["sources"]), ("ASA", "typical", {}))
        self.assertIn(
            "ASA",
            self.call("POST", "/api/materials", {"like": "Unobtainium"}, 422)["errors"][0]["message"] + str(names),
        )

    def test_a_price_is_what_a_spool_costs(self) -> None:
        row = self.add("materials", like="PLA")
        plastic = row["material"] | {"spool_price": 15.0, "spool_g": 750}
        told = self.edit("materials", row, material=plastic)
        self.assertEqual(told["sources"], {"spool_price": "set", "spool_g": "set"})
        columns = self.columns(self.upload())
        body = {"version": columns[0]["version"], "material_id": row["id"]}
        self.call("PATCH", f"/api/recipes/{columns[0]['id']}", body)
        found = self.call("POST", f"/api/recipes/{columns[0]['id']}/estimate")
        self.assertAlmostEqual(found["filament_cost"], found["filament_g"] * 15 / 750, places=6)
        self.assertAlmostEqual(
            found["cost"], found["filament_cost"] + found["power_cost"] + found["wear_cost"], places=9
        )
        self.assertGreater(found["power_cost"], 0)


class Spools(ShelfCase):
    def test_it_is_weighed_with_its_own_weight_taken_off(self) -> None:
        row = self.add("spools", left_g=1000)
        problem = self.call("PATCH", f"/api/spools/{row['id']}", {"version": row["version"], "weighed_g": 700}, 422)
        self.assertEqual(problem["errors"][0]["field"], "weighed_g")
        weighed = self.edit("spools", row, weighed_g=700, empty_g=212, provenance="measured")
        self.assertEqual((weighed["left_g"], weighed["sources"]["left_g"]), (488, "measured"))
        self.call("PATCH", f"/api/spools/{row['id']}", {"version": weighed["version"], "weighed_g": 100}, 422)

    def test_a_column_names_its_spool_and_takes_its_material(self) -> None:
        plastic = self.add("materials", like="PETG")
        spool = self.add("spools", material_id=plastic["id"], name="Green")
        column = self.columns(self.upload())[0]
        told = self.call(
            "PATCH", f"/api/recipes/{column['id']}", {"version": column["version"], "spool_id": spool["id"]}
        )
        self.assertEqual((told["spool_id"], told["material_id"]), (spool["id"], plastic["id"]))
        other = self.call(
            "PATCH", f"/api/recipes/{column['id']}", {"version": told["version"], "material_id": column["material_id"]}
        )
        self.assertIsNone(other["spool_id"])


class Chosen(ShelfCase):
    def test_a_part_has_one_column_that_is_the_one(self) -> None:
        part = self.upload()
        first, second = self.columns(part)
        for column in (first, second):
            self.call("POST", f"/api/recipes/{column['id']}/estimate")

        def headline() -> dict[str, Any]:
            return next(one for one in self.call("GET", "/api/parts")["parts"] if one["id"] == part["id"])["headline"]

        self.assertEqual(headline()["recipe_name"], first["name"])
        told = self.call("PATCH", f"/api/parts/{part['id']}", {"version": part["version"], "chosen_id": second["id"]})
        self.assertEqual((told["chosen_id"], headline()["recipe_name"]), (second["id"], second["name"]))
        self.call("POST", f"/api/recipes/{second['id']}/delete", {"version": second["version"]})
        self.assertEqual(headline()["recipe_name"], first["name"])
        other = self.columns(self.upload())[0]
        self.call("PATCH", f"/api/parts/{part['id']}", {"version": told["version"], "chosen_id": other["id"]}, 422)

    def test_what_a_changed_row_makes_old_is_marked_and_still_shown(self) -> None:
        part = self.upload()
        machine = self.add("machines")
        column = self.columns(part)[0]
        body = {"version": column["version"], "machine_id": machine["id"], "choices": {"layer_height_mm": 0.17}}
        self.call("PATCH", f"/api/recipes/{column['id']}", body)
        self.call("POST", f"/api/recipes/{column['id']}/estimate")

        def outdated() -> bool:
            parts = self.call("GET", "/api/parts")["parts"]
            return next(one for one in parts if one["id"] == part["id"])["headline"]["outdated"]

        self.assertFalse(outdated())
        now = next(row for row in self.shelf()["machines"] if row["id"] == machine["id"])
        self.assertEqual(now["used_in"], {"columns": 1, "parts": 1})
        self.edit("machines", now, printer=now["printer"] | {"acceleration_mm_s2": {"print": 321}})
        self.assertTrue(outdated())
        # A name changes no figure.
        self.call("POST", f"/api/recipes/{column['id']}/estimate")
        now = next(row for row in self.shelf()["machines"] if row["id"] == machine["id"])
        self.edit("machines", now, name="Another name")
        self.assertFalse(outdated())


class HousePreviews(ShelfCase):
    def tearDown(self) -> None:
        now = self.call("GET", "/api/house-rules")
        self.call("PATCH", "/api/house-rules", {"version": now["version"], "rules": {}})

    def test_a_school_shows_what_it_would_change_before_it_does(self) -> None:
        column = self.columns(self.upload())[0]
        shown = self.call("POST", "/api/house-rules/preview", {"rules": {"seam": "scattered"}})["columns"]
        mine = next(one for one in shown if one["recipe_id"] == column["id"])
        self.assertEqual(
            [(c["key"], c["before"], c["after"]) for c in mine["changes"]], [("seam", "at the back", "scattered")]
        )
        own = self.call(
            "PATCH", f"/api/recipes/{column['id']}", {"version": column["version"], "choices": {"seam": "corner"}}
        )
        shown = self.call("POST", "/api/house-rules/preview", {"rules": {"seam": "scattered"}})["columns"]
        self.assertNotIn(column["id"], [one["recipe_id"] for one in shown])
        # Taken, it changes just those; and figures that it does not touch stay known.
        self.call("POST", f"/api/recipes/{column['id']}/estimate")
        now = self.call("GET", "/api/house-rules")
        self.call("PATCH", "/api/house-rules", {"version": now["version"], "rules": {"seam": "scattered"}})
        columns = {one["id"]: one for one in self.call("GET", f"/api/parts/{own['part_id']}/recipes")["recipes"]}
        self.assertIsNotNone(columns[column["id"]]["estimate"])
        other = next(one for key, one in columns.items() if key != column["id"])
        self.assertEqual(other["preview"]["effective"]["seam"], "scattered")
        self.assertEqual(other["preview"]["decided_by"]["seam"], "house")

    def test_the_everyday_nozzle_is_what_a_new_part_starts_with(self) -> None:
        for school, bores in (("0.6", [0.6, 0.4]), ("0.4", [0.4, 0.6]), ("coarse_then_fine", [0.6, 0.4])):
            now = self.call("GET", "/api/house-rules")
            self.call("PATCH", "/api/house-rules", {"version": now["version"], "rules": {"everyday_nozzle": school}})
            nozzles = {row["id"]: row["nozzle"]["bore_mm"] for row in self.shelf()["nozzles"]}
            self.assertEqual([nozzles[one["nozzle_id"]] for one in self.columns(self.upload())], bores, school)

    def test_when_nobody_is_there_is_a_quiet_fact(self) -> None:
        self.assertEqual(self.call("GET", "/api/endings?whole_time_s=0")["sentence"], "")
        found = self.call("GET", "/api/endings?whole_time_s=7200")["sentence"]
        self.assertTrue(found == "" or "nobody is there" in found)
