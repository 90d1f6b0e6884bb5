"""The flow lab over HTTP, from a plan to a changed estimate, on a hot end that nobody knows."""

from __future__ import annotations

import io
import threading
import time
import uuid
from typing import Any
from unittest import mock

from PIL import Image

from meanbead.devices import flow_run
from meanbead.simulators.hotend import HiddenHotend, HotendServer, SimulatedHotend
from meanbead.simulators.scale import ScaleServer
from tests.api.worker import WorkerCase


class Lab(WorkerCase):
    def with_ids(self) -> dict[str, int]:
        shelf = self.call("GET", "/api/shelf")
        return {f"{kind}_id": shelf[f"{kind}s"][0]["id"] for kind in ("machine", "nozzle", "material")}

    def planned(self, **setup: Any) -> dict[str, Any]:
        body = self.with_ids() | {"setup": {"temps_c": [215], **setup}}
        made: dict[str, Any] = self.call("POST", "/api/flow-tests", body, 201)
        return made

    def enter(self, test: dict[str, Any], status: int = 201, key: str = "", **point: Any) -> Any:
        body = {"key": key or str(uuid.uuid4()), "point": {"temp_c": 215, "length_mm": 340, **point}}
        return self.call("POST", f"/api/flow-tests/{test['id']}/points", body, status)

    def ladder(self, test: dict[str, Any], knee: float = 13.0) -> None:
        expected = test["plan"]["steps"][0]["expected_g"] * 340 / test["plan"]["steps"][0]["length_mm"]
        for flow in (6, 8, 10, 12, 14, 16, 18):
            share = 0.98 * (1 - 0.6 * max(0, flow / knee - 1))
            look = "straight" if flow < 12.5 else "corkscrew"
            self.enter(test, flow_mm3_s=flow, mass_g=round(expected * share, 2), strand=look)


class Loop(Lab):
    def test_from_a_plan_to_a_changed_estimate(self) -> None:
        """A hidden hot end is tested over its console and scale, and the bench's estimate follows what was found."""
        hidden = HiddenHotend(knee_mm3_s=7.3, drive=0.955)
        hotend = SimulatedHotend(hidden, hurry=600)
        servers = HotendServer(hotend), ScaleServer(hotend.collect_g, interval_s=0.003)
        for server in servers:
            threading.Thread(target=server.serve_forever, daemon=True).start()
            self.addCleanup(server.server_close)
            self.addCleanup(server.shutdown)
        column = self.columns(self.upload())[0]
        fast = {"speed_mm_s": {"infill": 250, "inner_wall": 250}, "nozzle_temp_c": 215}
        body = {"version": column["version"], "choices": fast}
        self.call("PATCH", f"/api/recipes/{column['id']}", body)
        before = self.call("POST", f"/api/recipes/{column['id']}/estimate")
        self.assertEqual((before["melt_ceiling_source"], before["melt_basis"]), ("typical", ""))

        test = self.planned(console_address=servers[0].address, scale_address=servers[1].address)
        at = f"/api/flow-tests/{test['id']}"
        self.call("POST", f"{at}/console", {"do": "step", "flow_mm3_s": 5}, 422)
        cold = self.call("POST", f"{at}/console", {"do": "step", "flow_mm3_s": 5, "present": True}, 422)
        self.assertIn("Heat it first", cold["detail"])
        with mock.patch.object(flow_run, "SETTLE_S", 0.05):
            self.call("POST", f"{at}/console", {"do": "heat", "present": True})
            while self.call("POST", f"{at}/console", {"do": "look"})["temp_c"] < 214:
                time.sleep(0.02)
            flows = [step["flow_mm3_s"] for step in test["plan"]["steps"]]
            for _ in range(16):
                flow = flows.pop(0)
                said = self.call("POST", f"{at}/console", {"do": "step", "flow_mm3_s": flow, "present": True})
                weight = self.call("POST", f"{at}/scale")
                self.assertEqual(weight["step_g"], 0.01)
                self.enter(
                    test,
                    flow_mm3_s=flow,
                    length_mm=test["plan"]["steps"][0]["length_mm"],
                    mass_g=weight["grams"],
                    strand=said["strand"],
                )
                test = self.call("GET", at)
                if test["fit"]["enough"]:
                    break
                flows = flows or [test["fit"]["next_flow_mm3_s"]]
            self.call("POST", f"{at}/console", {"do": "stop"})
        self.assertEqual(hotend.target_c, 0)
        self.assertTrue(test["fit"]["enough"], test["fit"])
        (found,) = test["fit"]["by_temp"]
        knee, ratio = found["knee_mm3_s"], test["fit"]["drive_ratio"]
        wide = knee["high"] - knee["low"]
        self.assertTrue(knee["low"] - wide < hidden.knee_at(215) < knee["high"] + wide, knee)
        self.assertLess(abs(ratio["value"] - hidden.drive), 0.01)
        self.assertLess(found["curl_mm3_s"], hidden.curl * hidden.knee_at(215))

        effect = self.call("GET", f"{at}/effect")["columns"]
        mine = next(one for one in effect if one["recipe_id"] == column["id"])
        self.assertEqual(mine["before_mm3_s"], before["melt_ceiling_mm3_s"])
        self.call("POST", f"{at}/use", {"version": test["version"]})
        after = self.call("POST", f"/api/recipes/{column['id']}/estimate")
        self.assertEqual(after["melt_ceiling_source"], "measured")
        self.assertIn("measured on", after["melt_basis"])
        self.assertAlmostEqual(after["melt_ceiling_mm3_s"], found["limit_mm3_s"] * 0.9, places=6)
        self.assertAlmostEqual(after["melt_ceiling_mm3_s"], mine["after_mm3_s"], places=6)
        self.assertGreater(after["print_time_s"], before["print_time_s"])
        self.assertLess(after["peak_flow_mm3_s"], hidden.knee_at(215))

        asked = self.call("GET", f"/api/recipes/{column['id']}/heat")
        self.assertEqual((asked["source"], asked["hotter_c"]), ("measured", 225))
        self.assertGreater(asked["saved_s"], 0)
        now = self.call("GET", at)
        self.assertEqual((now["state"], now["changed_since_use"]), ("used", False))
        self.call("POST", f"{at}/retire", {"version": now["version"], "because": "another nozzle"})
        again = self.call("POST", f"/api/recipes/{column['id']}/estimate")
        self.assertEqual(again["print_time_s"], before["print_time_s"])


class Safe(Lab):
    def test_the_heater_goes_off_whatever_the_shelf_says_by_now(self) -> None:
        hotend = SimulatedHotend(hurry=600)
        server = HotendServer(hotend)
        threading.Thread(target=server.serve_forever, daemon=True).start()
        self.addCleanup(server.server_close)
        self.addCleanup(server.shutdown)
        test = self.planned(console_address=server.address)
        at = f"/api/flow-tests/{test['id']}/console"
        self.call("POST", at, {"do": "heat", "present": True})
        self.assertEqual(hotend.target_c, 215)
        machine = self.call("GET", "/api/shelf")["machines"][0]
        cooler = machine["printer"] | {"hotend": machine["printer"]["hotend"] | {"max_temp_c": 200}}
        row = f"/api/machines/{machine['id']}"
        changed = self.call("PATCH", row, {"version": machine["version"], "printer": cooler})
        self.call("POST", at, {"do": "heat", "present": True}, 422)
        self.call("POST", at, {"do": "stop"})
        self.assertEqual(hotend.target_c, 0)
        self.call("PATCH", row, {"version": changed["version"], "printer": machine["printer"]})


class Entries(Lab):
    def test_an_entry_that_is_sent_twice_is_stored_once_and_stale_ones_show_both(self) -> None:
        test = self.planned()
        first = self.enter(test, key="once-only", flow_mm3_s=8, mass_g=1.0)
        again = self.enter(test, key="once-only", flow_mm3_s=8, mass_g=1.0)
        self.assertEqual(first, again)
        at = f"/api/flow-points/{first['id']}"
        changed = {**first["point"], "mass_g": 0.97}
        self.call("PATCH", at, {"version": first["version"], "point": changed})
        problem = self.call("PATCH", at, {"version": first["version"], "point": {**changed, "mass_g": 0.9}}, 409)
        self.assertEqual(problem["stored"]["point"]["mass_g"], 0.97)
        gone = self.call("POST", f"{at}/delete", {"version": problem["stored"]["version"]})
        self.assertEqual(self.call("GET", f"/api/flow-tests/{test['id']}")["points"], [])
        self.call("POST", f"{at}/restore")
        self.assertEqual(len(self.call("GET", f"/api/flow-tests/{test['id']}")["points"]), 1)
        self.assertGreater(gone["version"], first["version"])

    def test_a_photo_is_made_smaller_and_loses_what_the_camera_wrote(self) -> None:
        point = self.enter(self.planned(), flow_mm3_s=8)
        taken = Image.new("RGB", (2400, 1200), (200, 120, 40))
        exif = Image.Exif()
        exif[0x010F] = "a camera"
        raw = io.BytesIO()
        taken.save(raw, "JPEG", exif=exif)
        at = f"/api/flow-points/{point['id']}/photo"
        fields = {"file": (io.BytesIO(raw.getvalue()), "strand.jpg")}
        kept = self.call("POST", at, data=fields, content_type="multipart/form-data")
        self.assertTrue(kept["has_photo"])
        with Image.open(io.BytesIO(self.client.get(at).data)) as photo:
            self.assertEqual((photo.format, photo.size, len(photo.getexif())), ("JPEG", (1600, 800), 0))
        fields = {"file": (io.BytesIO(b"not a photo"), "strand.jpg")}
        problem = self.call("POST", at, data=fields, content_type="multipart/form-data", status=422)
        self.assertEqual(problem["errors"][0]["field"], "file")

    def test_a_plan_beyond_plastic_or_spool_says_so(self) -> None:
        body = self.with_ids() | {"setup": {"temps_c": [300]}}
        problem = self.call("POST", "/api/flow-tests", body, 422)
        self.assertEqual(problem["errors"][0]["field"], "temps_c")
        spool = self.call("GET", "/api/shelf")["spools"]
        shown = self.call("POST", "/api/flow-tests/plan", self.with_ids() | {"setup": {"temps_c": [200, 220]}})
        steps = shown["plan"]["steps"]
        self.assertEqual({step["temp_c"] for step in steps}, {200, 220})
        self.assertAlmostEqual(
            shown["plan"]["filament_mm"], 40 + sum(step["settle_mm"] + step["length_mm"] for step in steps)
        )
        if spool:
            body = self.with_ids() | {"spool_id": spool[0]["id"], "setup": {"temps_c": [200], "scale_g": 10}}
            self.assertIn("takes", self.call("POST", "/api/flow-tests/plan", body)["spool_says"])

    def test_what_was_planned_stays_whatever_is_found_to_melt(self) -> None:
        test = self.planned(temps_c=[205, 215])
        steps = test["plan"]["steps"]
        self.ladder(test, knee=19.0)
        test = self.call("GET", f"/api/flow-tests/{test['id']}")
        test = self.call("POST", f"/api/flow-tests/{test['id']}/use", {"version": test["version"]})
        self.assertEqual(test["plan"]["steps"], steps)
        setup = test["setup"] | {"scale_address": "127.0.0.1:9"}
        body = {"version": test["version"], "setup": setup}
        test = self.call("PATCH", f"/api/flow-tests/{test['id']}", body)
        self.assertEqual(test["plan"]["steps"], steps)
        body = {"version": test["version"], "setup": setup | {"flows_mm3_s": [7, 9]}}
        test = self.call("PATCH", f"/api/flow-tests/{test['id']}", body)
        self.assertEqual([step["flow_mm3_s"] for step in test["plan"]["steps"]], [7, 9, 7, 9])
        self.call("POST", f"/api/flow-tests/{test['id']}/retire", {"version": test["version"], "because": "a try"})

    def test_the_file_feeds_what_the_plan_says(self) -> None:
        test = self.planned()
        text = self.client.get(f"/api/flow-tests/{test['id']}.gcode").text
        fed = sum(float(line.split("E")[1].split()[0]) for line in text.splitlines() if line.startswith("G1 E"))
        self.assertAlmostEqual(fed, test["plan"]["filament_mm"], places=2)
        self.assertEqual(text.count("M0 "), len(test["plan"]["steps"]))
        self.assertLess(text.index("M109 S215"), text.index("G1 E"))
        self.assertTrue(text.rstrip().splitlines()[-3].startswith("M104 S0"))


class Questions(Lab):
    def test_two_tests_differ_beyond_their_scatter_or_do_not(self) -> None:
        tests = [self.planned() for _ in range(3)]
        for test, knee in zip(tests, (13.0, 13.1, 9.5), strict=True):
            self.ladder(test, knee)
        ids = [test["id"] for test in tests]
        (alike,) = self.call("GET", f"/api/flow-tests/compare?first={ids[0]}&second={ids[1]}")["differences"]
        (other,) = self.call("GET", f"/api/flow-tests/compare?first={ids[0]}&second={ids[2]}")["differences"]
        self.assertEqual((alike["verdict"], other["verdict"]), ("same", "less"))
        self.assertTrue(other["ratio"]["low"] < 9.5 / 13 < other["ratio"]["high"], other)

    def test_what_to_fit_adds_up_the_wanted_parts(self) -> None:
        column = self.columns(self.upload())[0]
        job = self.call("POST", "/api/fittings", {"machine_id": column["machine_id"], "rounds_a_week": 3}, 202)
        done = self.wait(job)
        self.assertEqual(done["state"], "done", done)
        ways = done["fitting"]["ways"]
        self.assertEqual(ways[0]["label"], "as it is")
        for way in ways[1:]:
            if not way["problems"]:
                self.assertAlmostEqual(way["saved_h_a_week"], 3 * (ways[0]["hours"] - way["hours"]))

    def test_the_drive_is_told_its_steps(self) -> None:
        test = self.planned()
        self.ladder(test)
        shelf = self.call("GET", "/api/shelf")
        machine = shelf["machines"][0]
        report = {"version": machine["version"], "report": "M92 X80 Y80 Z400 E410.00\n"}
        self.call("POST", f"/api/machines/{machine['id']}/firmware", report)
        drive = self.call("GET", f"/api/flow-tests/{test['id']}")["drive"]
        self.assertEqual(drive["now"], 410)
        self.assertAlmostEqual(drive["new"], 410 / 0.98, delta=2)
