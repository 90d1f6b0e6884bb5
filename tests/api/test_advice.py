"""Findings, remedies, levers, the search, house rules and spools over HTTP, by a worker on the same database."""

from __future__ import annotations

import time
from datetime import date, timedelta
from typing import Any

from sqlalchemy import text

from meanbead.core.model.house import HouseRules
from meanbead.core.model.purpose import PURPOSES
from tests.api.worker import WorkerCase
from tests.support.patience import PATIENCE_S


class Advice(WorkerCase):
    def column(self, choices: dict[str, Any] | None = None) -> dict[str, Any]:
        column = self.columns(self.upload())[0]
        if choices:
            body = {"version": column["version"], "choices": choices}
            column = self.call("PATCH", f"/api/recipes/{column['id']}", body)
        return column

    def rules(self, column: dict[str, Any]) -> dict[str, dict[str, Any]]:
        found = self.call("GET", f"/api/recipes/{column['id']}/findings")["findings"]
        return {item["rule"]: item for item in found}

    def test_findings_speak_by_purpose_and_a_remedy_clears_them(self) -> None:
        column = self.column({"speed_mm_s": {"outer_wall": 90}})
        self.assertNotIn("outer_speed", self.rules(column))
        purposes = {purpose["name"]: purpose for purpose in self.call("GET", "/api/shelf")["purposes"]}
        part = self.call("GET", f"/api/parts/{column['part_id']}")
        body = {"version": part["version"], "purpose_id": purposes["Show piece"]["id"]}
        self.call("PATCH", f"/api/parts/{part['id']}", body)
        finding = self.rules(column)["outer_speed"]
        self.assertEqual(finding["limit"], PURPOSES["Show piece"].outer_speed_mm_s)
        (way,) = finding["remedies"]
        tried = self.wait(self.call("POST", f"/api/recipes/{column['id']}/remedies", status=202))["remedies"]
        self.assertTrue(tried["complete"])
        mine = next(remedy for remedy in tried["remedies"] if remedy["rule"] == "outer_speed")
        self.assertIn("outer_speed", mine["clears"])
        self.assertGreater(mine["time_s"], 0)
        body = {"copy_of": column["id"], "settings": way["settings"], "name": "Calmer"}
        made = self.call("POST", f"/api/parts/{part['id']}/recipes", body, 201)
        self.assertEqual(made["choices"]["speed_mm_s"]["outer_wall"], 40)
        self.assertNotIn("outer_speed", self.rules(made))

    def test_house_rules_choose_the_school_that_speaks(self) -> None:
        column = self.column({"layer_height_mm": 0.31})
        self.assertNotIn("layer_height_high", self.rules(column))
        house = self.call("GET", "/api/house-rules")
        self.assertEqual(house["rules"], HouseRules().model_dump())
        rules = house["rules"] | {"layer_height_ceiling": "three_quarters"}
        changed = self.call("PATCH", "/api/house-rules", {"version": house["version"], "rules": rules})
        self.assertIn("three quarters", self.rules(column)["layer_height_high"]["school"])
        self.call("PATCH", "/api/house-rules", {"version": house["version"], "rules": rules}, 409)
        back = {"version": changed["version"], "rules": house["rules"]}
        self.call("PATCH", "/api/house-rules", back)
        wrong = {"version": changed["version"] + 1, "rules": {"seam": "inside"}}
        problem = self.call("PATCH", "/api/house-rules", wrong, 422)
        self.assertIn("seam", str(problem))

    def test_hours_and_spools_are_heard(self) -> None:
        column = self.column()
        self.assertNotIn("spool", self.rules(column))
        body = {"name": "Nearly empty", "material_id": column["material_id"], "left_g": 0.5}
        spool = self.call("POST", "/api/spools", body, 201)
        self.assertEqual(self.rules(column)["spool"]["limit"], 0.5)
        address = f"/api/spools/{spool['id']}"
        spool = self.call("PATCH", address, {"version": spool["version"], "left_g": 900})
        self.assertNotIn("spool", self.rules(column))
        dried = (date.today() - timedelta(days=3)).isoformat()
        spool = self.call("PATCH", address, {"version": spool["version"], "dried_on": dried})
        self.assertEqual(spool["dried_on"], dried)
        self.call("PATCH", address, {"version": 1, "left_g": 5}, 409)
        gone = self.call("POST", f"{address}/delete", {"version": spool["version"]})
        self.assertEqual(self.call("GET", "/api/shelf")["spools"], [])
        self.call("POST", f"{address}/restore")
        self.assertEqual(len(self.call("GET", "/api/shelf")["spools"]), 1)
        self.call("POST", f"{address}/delete", {"version": gone["version"] + 1})
        house = self.call("GET", "/api/house-rules")
        shop = house["shop"] | {"long_print_h": 0.01}
        self.call("PATCH", "/api/house-rules", {"version": house["version"], "shop": shop})
        self.assertIn("long_print", self.rules(column))
        wrong = shop | {"attended": {"from_h": 20, "to_h": 8}}
        self.call("PATCH", "/api/house-rules", {"version": house["version"] + 1, "shop": wrong}, 422)
        self.call("PATCH", "/api/house-rules", {"version": house["version"] + 1, "shop": house["shop"]})

    def test_levers_come_in_and_are_found_again(self) -> None:
        column = self.column()
        address = f"/api/recipes/{column['id']}/levers"
        done = self.wait(self.call("POST", address, {"goal": "minutes"}, 202))
        self.assertEqual(done["state"], "done", done["problem"])
        advice = done["levers"]
        self.assertGreater(len(advice["levers"]), 10)
        self.assertEqual(advice["tried"], advice["of"])
        self.assertEqual(self.call("POST", address, {"goal": "minutes"}, 202)["id"], done["id"])
        self.assertNotEqual(self.call("POST", address, {"goal": "grams"}, 202)["id"], done["id"])
        nozzle = next(lever for lever in advice["levers"] if lever["group"] == "nozzle")
        body = {"copy_of": column["id"], "settings": nozzle["settings"]}
        made = self.call("POST", f"/api/parts/{column['part_id']}/recipes", body, 201)
        self.assertNotEqual(made["nozzle_id"], column["nozzle_id"])
        self.call("POST", address, {"goal": "beauty"}, 422)

    def test_a_search_ends_in_full_figures_that_become_columns(self) -> None:
        column = self.column()
        address = f"/api/recipes/{column['id']}/search"
        start = self.call("GET", address)
        self.assertIn("layer_height_mm", start["vary"])
        body = {"vary": {"walls": [1, 2, 3], "infill.density": [0.1, 0.15]}, "limits": {"shell_mm": 0.8}}
        done = self.wait(self.call("POST", address, body, 202))
        found = done["search"]
        self.assertTrue(found["complete"])
        self.assertTrue(all(dot["measures"]["shell_mm"] >= 0.8 for dot in found["dots"]))
        best = found["dots"][found["fastest"]["dot"]]
        self.assertTrue(best["full"])
        body = {"copy_of": column["id"], "settings": best["settings"], "name": "Found"}
        made = self.call("POST", f"/api/parts/{column['part_id']}/recipes", body, 201)
        estimate = self.call("POST", f"/api/recipes/{made['id']}/estimate")
        self.assertAlmostEqual(estimate["print_time_s"], best["measures"]["time_s"], places=6)

    def test_a_running_search_is_stopped_and_keeps_what_it_found(self) -> None:
        column = self.column()
        body = {
            "vary": {
                "layer_height_mm": [round(0.1 + 0.01 * k, 2) for k in range(20)],
                "walls": [1, 2, 3, 4, 5],
                "infill.density": [0.05 * k for k in range(1, 10)],
            },
            "budget": 900,
        }
        job = self.call("POST", f"/api/recipes/{column['id']}/search", body, 202)
        until = time.monotonic() + PATIENCE_S
        while time.monotonic() < until:
            job = self.call("GET", f"/api/jobs/{job['id']}")
            if job["search"]:
                break
            time.sleep(0.05)
        self.call("POST", f"/api/jobs/{job['id']}/cancel")
        done = self.wait(job)
        self.assertEqual(done["state"], "cancelled")
        found = done["search"]
        self.assertGreater(len(found["dots"]), 5)
        self.assertLess(found["computed"], 900)
        self.assertFalse(found["proven"])
        self.assertIsNone(found["fastest"])

    def test_limits_of_time_and_grams_are_kept_in_full(self) -> None:
        column = self.column()
        vary = {"layer_height_mm": [0.12, 0.2, 0.28], "walls": [1, 2, 3]}
        address = f"/api/recipes/{column['id']}/search"
        free = self.wait(self.call("POST", address, {"vary": vary}, 202))["search"]
        grams = sorted(dot["measures"]["filament_g"] for dot in free["dots"])[4]
        times = sorted(dot["measures"]["whole_time_s"] for dot in free["dots"])[6]
        body = {"vary": vary, "limits": {"filament_g": grams, "time_s": times}}
        held = self.wait(self.call("POST", address, body, 202))["search"]
        self.assertLess(len(held["dots"]), len(free["dots"]))
        self.assertGreater(held["broke_limits"], 0)
        for dot in held["dots"]:
            self.assertLessEqual(dot["measures"]["filament_g"], grams + 1e-9)
            self.assertLessEqual(dot["measures"]["whole_time_s"], times + 0.5)

    def test_levers_follow_the_goal_and_the_house(self) -> None:
        column = self.column({"infill": {"density": 0.3}})
        address = f"/api/recipes/{column['id']}/levers"
        advice = self.wait(self.call("POST", address, {"goal": "grams"}, 202))["levers"]
        kept = [lever["filament_g"] for lever in advice["levers"] if not lever["takes"] and not lever["breaks"]]
        self.assertEqual(kept, sorted(kept))
        house = self.call("GET", "/api/house-rules")
        rules = house["rules"] | {"retraction": "every_hop"}
        changed = self.call("PATCH", "/api/house-rules", {"version": house["version"], "rules": rules})
        again = self.wait(self.call("POST", address, {"goal": "grams"}, 202))["levers"]
        keys = {setting["key"] for lever in again["levers"] for setting in lever["settings"]}
        self.assertNotIn("retraction.min_travel_mm", keys)
        self.call("PATCH", "/api/house-rules", {"version": changed["version"], "rules": house["rules"]})

    def test_what_cannot_be_searched_or_set_is_said(self) -> None:
        column = self.column()
        address = f"/api/recipes/{column['id']}/search"
        problem = self.call("POST", address, {"vary": {"machine": [1]}}, 422)
        self.assertIn("machine", problem["detail"])
        self.call("POST", address, {"vary": {}}, 422)
        self.call("POST", address, {"vary": {"walls": [1, 2]}, "budget": 5}, 422)
        body = {"copy_of": column["id"], "settings": [{"key": "walls", "value": -3}]}
        problem = self.call("POST", f"/api/parts/{column['part_id']}/recipes", body, 422)
        self.assertIn("walls", problem["detail"])
        for path in ("findings", "search"):
            self.call("GET", f"/api/recipes/99999/{path}", status=404)
        self.call("POST", "/api/recipes/99999/remedies", status=404)

    def test_a_waste_is_told_with_what_its_remedy_saves_and_never_before(self) -> None:
        column = self.column({"adhesion": {"kind": "raft"}})
        self.assertNotIn("needless_raft", self.rules(column))
        found = self.wait(self.call("POST", f"/api/recipes/{column['id']}/remedies", status=202))["remedies"]
        (raft,) = [waste for waste in found["waste"] if waste["finding"]["rule"] == "needless_raft"]
        self.assertLess(raft["savings"][0]["time_s"], -60)

    def test_one_row_of_rules_and_no_more(self) -> None:
        self.call("GET", "/api/house-rules")
        with self.database.session.begin() as session:
            self.assertEqual(session.execute(text("select count(*) from house")).scalar_one(), 1)
