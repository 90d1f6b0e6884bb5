import gzip
import io
import json
import threading
import unittest
from typing import Any, ClassVar

import brotli
import trimesh
from apiflask import APIFlask
from flask.testing import FlaskClient
from hypothesis import given, settings
from hypothesis import strategies as st
from openapi_spec_validator import validate

from meanbead.api.pages import BUILT
from meanbead.simulators.console import ConsoleServer
from meanbead.store.database import Database
from tests.running.effort import cases
from tests.support.server import app_of, new_database
from tests.support.solids import stl_bytes

KEYS = ["version", "name", "choices", "walls", "machine_id", "infill", "density", "printer", "copy_of", "report"]
BOX = stl_bytes(trimesh.creation.box((20, 20, 10)))


class ApiCase(unittest.TestCase):
    database: ClassVar[Database]
    app: ClassVar[APIFlask]
    client: ClassVar[FlaskClient]

    @classmethod
    def setUpClass(cls) -> None:
        cls.database = new_database("api", usual=True)
        cls.app = app_of(cls.database)
        cls.client = cls.app.test_client()

    @classmethod
    def tearDownClass(cls) -> None:
        cls.database.close()

    def call(self, method: str, address: str, body: Any = None, status: int = 200, **keys: Any) -> Any:
        answer = self.client.open(address, method=method, json=body, **keys)
        self.assertEqual(answer.status_code, status, answer.text)
        if status >= 400:
            self.assertEqual(answer.content_type, "application/problem+json")
            problem = answer.get_json(force=True)
            self.assertEqual(problem["status"], status)
            self.assertTrue(problem["title"] and problem["detail"])
            return problem
        return answer.get_json()

    def upload(self, data: bytes = BOX, name: str = "small-box.stl", status: int = 201, **form: str) -> Any:
        fields = {"file": (io.BytesIO(data), name), **form}
        return self.call("POST", "/api/parts", status=status, data=fields, content_type="multipart/form-data")

    def columns(self, part: dict[str, Any]) -> list[dict[str, Any]]:
        found: list[dict[str, Any]] = self.call("GET", f"/api/parts/{part['id']}/recipes")["recipes"]
        return found


class Description(ApiCase):
    def test_is_valid_openapi_and_has_one_schema_per_model(self) -> None:
        spec = self.call("GET", "/api/openapi.json")
        validate(spec)
        self.assertIn("RecipeOut", spec["components"]["schemas"])
        self.assertFalse([name for name in spec["components"]["schemas"] if "." in name])
        refused = spec["paths"]["/api/recipes/{recipe_id}"]["patch"]["responses"]["422"]["content"]
        self.assertEqual(list(refused), ["application/problem+json"])


class Parts(ApiCase):
    def test_add_look_rename_remove_restore(self) -> None:
        part = self.upload()
        self.assertEqual(part["name"], "Small box")
        self.assertAlmostEqual(part["facts"]["volume_mm3"], 4000)
        picture = self.client.get(part["picture"])
        self.assertEqual(picture.data[:8], b"\x89PNG\r\n\x1a\n")
        self.assertIn("immutable", picture.headers["Cache-Control"])
        renamed = self.call("PATCH", f"/api/parts/{part['id']}", {"version": part["version"], "name": " Crate "})
        self.assertEqual((renamed["name"], renamed["version"]), ("Crate", part["version"] + 1))
        self.call("POST", f"/api/parts/{part['id']}/delete", {"version": renamed["version"]})
        self.call("GET", f"/api/parts/{part['id']}", status=404)
        self.assertNotIn(part["id"], [entry["id"] for entry in self.call("GET", "/api/parts")["parts"]])
        self.call("POST", f"/api/parts/{part['id']}/restore")
        self.assertEqual(self.call("GET", f"/api/parts/{part['id']}")["name"], "Crate")

    def test_new_part_has_two_columns_to_compare(self) -> None:
        columns = self.columns(self.upload())
        self.assertEqual([column["name"] for column in columns], ["Everyday", "Coarser"])
        self.assertLess(columns[0]["preview"]["bore_mm"], columns[1]["preview"]["bore_mm"])

    def test_broken_files_get_a_sentence(self) -> None:
        problem = self.upload(BOX[:300], status=422)
        self.assertIn("promises 12 triangles", problem["detail"])
        self.assertEqual(problem["errors"][0]["field"], "file")
        self.call("POST", "/api/parts", status=422, data={}, content_type="multipart/form-data")

    def test_a_wrong_unit_is_a_question_with_its_answer(self) -> None:
        tiny = stl_bytes(trimesh.creation.box((2, 1, 1)))
        problem = self.upload(tiny, status=422)
        self.assertEqual(problem["type"], "urn:meanbead:unit-unclear")
        self.assertEqual((problem["suggested_unit"], problem["extents"]), ("inch", [2, 1, 1]))
        self.assertAlmostEqual(self.upload(tiny, unit="inch")["facts"]["extents_mm"]["x"], 50.8, places=4)
        self.assertAlmostEqual(self.upload(tiny, unit="mm")["facts"]["extents_mm"]["x"], 2, places=4)

    def test_paths_in_file_names_are_dropped(self) -> None:
        self.assertEqual(self.upload(name="../../evil_thing.stl")["file_name"], "evil_thing.stl")
        self.assertEqual(self.upload(name="a/b/<b>x.stl")["file_name"], "<b>x.stl")


class Recipes(ApiCase):
    def setUp(self) -> None:
        self.part = self.upload()
        self.column = self.columns(self.part)[0]
        self.address = f"/api/recipes/{self.column['id']}"

    def edit(self, status: int = 200, **change: Any) -> Any:
        return self.call("PATCH", self.address, {"version": self.column["version"], **change}, status)

    def test_edit_estimate_and_read_again(self) -> None:
        before = self.call("POST", f"{self.address}/estimate")
        edited = self.edit(choices={"layer_height_mm": 0.28, "infill": {"density": 0.3}})
        self.assertIsNone(edited["estimate"])
        after = self.call("POST", f"{self.address}/estimate")
        self.assertLess(after["layers"], before["layers"])
        again = self.columns(self.part)[0]
        self.assertEqual(again["estimate"], after)
        self.assertEqual(again["choices"]["layer_height_mm"], 0.28)
        self.assertEqual(again["version"], self.column["version"] + 1)
        headline = [
            part["headline"] for part in self.call("GET", "/api/parts")["parts"] if part["id"] == self.part["id"]
        ]
        self.assertAlmostEqual(headline[0]["print_time_s"], after["print_time_s"])

    def test_going_back_finds_the_stored_estimate(self) -> None:
        before = self.call("POST", f"{self.address}/estimate")
        edited = self.edit(choices={"walls": 5})
        back = self.call("PATCH", self.address, {"version": edited["version"], "choices": {}})
        self.assertEqual(back["estimate"], before)

    def test_stale_write_gets_409_and_what_is_stored(self) -> None:
        self.edit(choices={"walls": 4})
        problem = self.edit(409, choices={"walls": 7})
        self.assertEqual(problem["stored"]["choices"]["walls"], 4)
        self.assertEqual(problem["stored"]["version"], self.column["version"] + 1)
        self.assertEqual(self.columns(self.part)[0]["choices"]["walls"], 4)

    def test_contradictions_are_refused_and_nothing_is_stored(self) -> None:
        problem = self.edit(422, choices={"layer_height_mm": 0.9})
        self.assertEqual(problem["errors"][0]["field"], "line_width_mm.outer_wall")
        self.assertIsNone(self.columns(self.part)[0]["choices"]["layer_height_mm"])

    def test_bad_fields_are_named_with_the_remedy(self) -> None:
        for choices, field, words in (
            ({"walls": -1}, "choices.walls", "at least 0"),
            ({"walls": "many"}, "choices.walls", "number"),
            ({"speed_mm_s": {"infil": 5}}, "choices.speed_mm_s.infil", "Did you mean infill"),
            ({"infill": {"pattern": "stars"}}, "choices.infill.pattern", "'lines'"),
        ):
            problem = self.edit(422, choices=choices)
            self.assertEqual(problem["errors"][0]["field"], field)
            self.assertIn(words, problem["errors"][0]["message"])

    def test_malformed_and_missing(self) -> None:
        self.assertEqual(self.client.patch(self.address, data="{", content_type="application/json").status_code, 400)
        self.call("PATCH", "/api/recipes/99999", {"version": 1}, 404)
        self.edit(404, nozzle_id=99999)
        self.call("GET", "/api/parts/99999/recipes", status=404)
        self.call("GET", "/api/nothing", status=404)

    def test_duplicate_stands_next_to_the_original(self) -> None:
        self.edit(choices={"walls": 3})
        made = self.call("POST", f"/api/parts/{self.part['id']}/recipes", {"copy_of": self.column["id"]}, 201)
        columns = self.columns(self.part)
        self.assertEqual([column["id"] for column in columns][1], made["id"])
        self.assertEqual(made["choices"]["walls"], 3)
        other = self.upload()
        self.call("POST", f"/api/parts/{other['id']}/recipes", {"copy_of": self.column["id"]}, 422)

    def test_remove_and_restore(self) -> None:
        version = {"version": self.column["version"]}
        self.call("POST", f"{self.address}/delete", version)
        self.assertEqual(len(self.columns(self.part)), 1)
        self.call("POST", f"{self.address}/estimate", status=404)
        self.call("POST", f"{self.address}/restore")
        self.assertEqual(self.columns(self.part)[0]["id"], self.column["id"])

    def test_preview_needs_no_stored_recipe(self) -> None:
        ask = {key: self.column[key] for key in ("machine_id", "nozzle_id", "material_id")}
        shown = self.call("POST", "/api/preview", {**ask, "choices": {"line_width_mm": {"outer_wall": 0.6}}})
        self.assertEqual(shown["beads"][0]["width_mm"], 0.6)
        self.call("POST", "/api/preview", {**ask, "choices": {"line_width_mm": {"outer_wall": 0.1}}}, 422)


class Machines(ApiCase):
    def test_add_edit_and_stale(self) -> None:
        made = self.call("POST", "/api/machines", {}, 201)
        copy = self.call("POST", "/api/machines", {"copy_of": made["id"]}, 201)
        self.assertEqual((copy["name"], copy["printer"]), ("New machine copy", made["printer"]))
        printer = copy["printer"] | {"start_time_s": 90}
        address = f"/api/machines/{copy['id']}"
        edited = self.call("PATCH", address, {"version": copy["version"], "name": "Wren", "printer": printer})
        self.assertEqual((edited["name"], edited["printer"]["start_time_s"]), ("Wren", 90))
        problem = self.call("PATCH", address, {"version": copy["version"], "name": "Crow"}, 409)
        self.assertEqual(problem["stored"]["name"], "Wren")
        bad = printer | {"start_time_s": -1}
        problem = self.call("PATCH", address, {"version": edited["version"], "printer": bad}, 422)
        self.assertEqual(problem["errors"][0]["field"], "printer.start_time_s")

    def test_firmware_report_sets_the_limits_and_moves_the_minutes(self) -> None:
        part = self.upload()
        column = self.columns(part)[0]
        machine = self.call("POST", "/api/machines", {}, 201)
        recipe = f"/api/recipes/{column['id']}"
        self.call("PATCH", recipe, {"version": column["version"], "machine_id": machine["id"]})
        before = self.call("POST", f"{recipe}/estimate")
        report = {"version": machine["version"], "report": "echo: M204 P200 T300\necho: M205 X4 Y4\n"}
        after_machine = self.call("POST", f"/api/machines/{machine['id']}/firmware", report)
        self.assertEqual(after_machine["printer"]["acceleration_mm_s2"]["print"], 200)
        self.assertEqual(after_machine["printer"]["limits_source"], "set")
        self.assertIsNone(self.columns(part)[0]["estimate"])
        self.assertGreater(self.call("POST", f"{recipe}/estimate")["print_time_s"], before["print_time_s"])
        report["version"] = after_machine["version"]
        report["report"] = "hello"
        self.assertIn("M503", self.call("POST", f"/api/machines/{machine['id']}/firmware", report, 422)["detail"])

    def test_a_machines_own_console_is_asked(self) -> None:
        machine = self.call("POST", "/api/machines", {}, 201)
        address = f"/api/machines/{machine['id']}/console"
        with ConsoleServer() as server:
            threading.Thread(target=server.serve_forever, daemon=True).start()
            told = self.call("POST", address, {"version": machine["version"], "address": server.address})
            server.shutdown()
        self.assertEqual(told["printer"]["max_acceleration_mm_s2"]["x"], 2600)
        self.assertEqual(told["printer"]["limits_source"], "set")
        problem = self.call("POST", address, {"version": told["version"], "address": "127.0.0.1:9"}, 422)
        self.assertEqual(problem["errors"][0]["field"], "address")


class Everything(ApiCase):
    def test_all_keys_of_a_recipe_can_be_stored_and_move_the_estimate(self) -> None:
        part = self.upload(stl_bytes(trimesh.creation.icosphere(3, 9)))
        column = self.columns(part)[0]
        address = f"/api/recipes/{column['id']}"
        plain = self.call("POST", f"{address}/estimate")
        full = column["preview"]["effective"] | EVERYTHING
        full.pop("nozzle_diameter_mm", None)
        edited = self.call("PATCH", address, {"version": column["version"], "choices": full})
        for key, value in EVERYTHING.items():
            kept = edited["choices"][key]
            if key == "height_ranges":
                kept = [{k: v for k, v in prospect.items() if v is not None} for prospect in kept]
            self.assertEqual(kept if not isinstance(value, dict) else {k: kept[k] for k in value}, value)
        told = self.call("POST", f"{address}/estimate")
        self.assertGreater(told["print_time_s"], plain["print_time_s"])
        self.assertLessEqual({"raft", "support"}, set(told["by_feature"]))
        ledger = self.call("GET", f"{address}/layers")
        self.assertAlmostEqual(sum(ledger["time_s"]), told["print_time_s"], places=5)


EVERYTHING = {
    "thin_walls": "fixed",
    "seam": "corner",
    "travel": "inside",
    "skins": {"pattern": "zigzag", "order": "one_way"},
    "supports": {"kind": "columns"},
    "adhesion": {"kind": "raft"},
    "variable_height": {"kind": "by_slope"},
    "height_ranges": [{"from_mm": 1.0, "to_mm": 2.0, "walls": 4}],
    "copies": {"count": 2},
}


class Replays(ApiCase):
    TEXT = b"M104 S210\nM83\nG1 Z0.2 F300\n; feature: outer_wall\nG1 X60 E2 F2400\nG1 Y60 E2\nG1 X0 E2\n"

    def send(self, part: dict[str, Any], data: bytes, name: str = "from elsewhere.gcode", status: int = 201) -> Any:
        fields = {"file": (io.BytesIO(data), name)}
        address = f"/api/parts/{part['id']}/gcode"
        return self.call("POST", address, status=status, data=fields, content_type="multipart/form-data")

    def test_a_file_stands_next_to_recipes_and_follows_the_machine(self) -> None:
        part = self.upload()
        made = self.send(part, self.TEXT)
        self.assertEqual((made["name"], made["gcode"]["size_bytes"]), ("from elsewhere", len(self.TEXT)))
        self.assertIn("outer_wall", made["estimate"]["by_feature"])
        self.assertEqual(self.columns(part)[-1]["id"], made["id"])
        machine = self.call("POST", "/api/machines", {}, 201)
        slow = machine["printer"] | {"max_speed_mm_s": {"x": 5, "y": 5, "z": 5, "e": 5}}
        address = f"/api/machines/{machine['id']}"
        self.call("PATCH", address, {"version": machine["version"], "printer": slow})
        recipe = f"/api/recipes/{made['id']}"
        self.call("PATCH", recipe, {"version": made["version"], "machine_id": machine["id"]})
        slower = self.call("POST", f"{recipe}/estimate")
        self.assertGreater(slower["print_time_s"], 3 * made["estimate"]["print_time_s"])
        copy = self.call("POST", f"/api/parts/{part['id']}/recipes", {"copy_of": made["id"]}, 201)
        self.assertEqual(copy["gcode"], made["gcode"])
        self.call("GET", f"{recipe}/layers", status=422)

    def test_what_cannot_be_replayed_leaves_nothing_behind(self) -> None:
        part = self.upload()
        before = len(self.columns(part))
        for data in (b"", b"once upon a time\n", b"x" * 2_000_000):
            self.assertEqual(self.send(part, data, status=422)["status"], 422)
        self.call("POST", f"/api/parts/{part['id']}/gcode", status=422)
        self.assertEqual(len(self.columns(part)), before)


class AnyBody(ApiCase):
    """Whatever is sent, the answer is data or a problem with a sentence; never a defect."""

    values = st.recursive(
        st.none() | st.booleans() | st.integers(-5, 5) | st.floats(allow_nan=False, width=16) | st.text(max_size=6),
        lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.sampled_from(KEYS), inner, max_size=4),
        max_leaves=8,
    )

    @settings(max_examples=cases(30, 1200), deadline=None)
    @given(st.sampled_from(["PATCH", "POST"]), st.integers(0, 5), values)
    def test_odd_bodies(self, method: str, which: int, body: Any) -> None:
        addresses = ["/api/recipes/1", "/api/preview", "/api/machines", "/api/machines/1", "/api/parts/1/recipes"]
        address = [*addresses, "/api/recipes/1/delete"][which]
        answer = self.client.open(address, method=method, json=body)
        self.assertLess(answer.status_code, 500, answer.text)
        if answer.status_code >= 400:
            self.assertEqual(answer.content_type, "application/problem+json")
            self.assertTrue(answer.get_json(force=True)["detail"])

    @settings(max_examples=cases(20, 800), deadline=None)
    @given(st.text(alphabet="abc/%.?&=:\\ 0", max_size=30), st.sampled_from(["GET", "POST", "DELETE", "PATCH"]))
    def test_odd_addresses(self, rest: str, method: str) -> None:
        with self.client.open(f"/api/{rest}", method=method) as answer:
            self.assertLess(answer.status_code, 500)


class Guard(ApiCase):
    def test_other_hosts_and_origins_are_refused(self) -> None:
        self.call("GET", "/api/parts", status=403, headers={"Host": "evil.example"})
        self.call("POST", "/api/preview", {}, 403, headers={"Origin": "http://evil.example"})
        self.call("GET", "/api/health", headers={"Host": "localhost:8420"})
        self.call("GET", "/api/health", headers={"Host": "[::1]:8420"})

    def test_headers(self) -> None:
        answer = self.client.get("/api/health")
        self.assertIn("default-src 'self'", answer.headers["Content-Security-Policy"])
        self.assertNotIn("unsafe-eval", answer.headers["Content-Security-Policy"])
        self.assertEqual(answer.headers["X-Content-Type-Options"], "nosniff")
        self.assertEqual(json.loads(answer.text)["status"], "ok")

    def test_built_files_come_as_small_as_a_browser_takes_them(self) -> None:
        script = next((BUILT / "assets").glob("start-*.js"))
        whole = script.read_bytes()
        for accepted, coding, unpack in (
            ("gzip, deflate, br", "br", brotli.decompress),
            ("gzip", "gzip", gzip.decompress),
            ("gzip, br;q=0", "gzip", gzip.decompress),
            ("identity", None, bytes),
        ):
            with self.client.get(f"/assets/{script.name}", headers={"Accept-Encoding": accepted}) as answer:
                self.assertEqual(answer.headers.get("Content-Encoding"), coding, accepted)
                self.assertEqual(unpack(answer.data), whole, accepted)
                self.assertIn("javascript", answer.headers["Content-Type"])
                self.assertEqual(answer.headers["Vary"], "Accept-Encoding")
                if coding == "br":
                    self.assertLess(len(answer.data), 0.92 * len(gzip.compress(whole, 9)))

    def test_page_is_served_for_every_room_and_nothing_outside(self) -> None:
        for address, status, page in (("/parts/1", 200, True), ("/assets/../../pyproject.toml", 404, False)):
            with self.client.get(address) as answer:
                self.assertEqual(answer.status_code, status)
                self.assertEqual('<div id="root">' in answer.text, page)  # type: ignore[attr-defined]
        with self.client.get("/%2e%2e/%2e%2e/pyproject.toml") as answer:
            self.assertNotIn("[project]", answer.text)  # type: ignore[attr-defined]
