"""Files that wait for an answer: closing by consent, models of an archive, what stays marked."""

from __future__ import annotations

import io
import unittest
import zipfile
from typing import Any

import numpy as np
import trimesh

from meanbead.core.estimate import Engine
from meanbead.jobs.work import run_job
from meanbead.store.tables import JobRow
from tests.api.worker import WorkerCase
from tests.support.open_surfaces import open_balls, open_scan, sheet, step_box
from tests.support.solids import stl_bytes


class Uploads(WorkerCase):
    def send(self, data: bytes, name: str, status: int, **fields: str) -> dict[str, Any]:
        answer = self.client.post("/api/parts", data={"file": (io.BytesIO(data), name), **fields})
        self.assertEqual(answer.status_code, status, answer.text)
        found: dict[str, Any] = answer.get_json()
        return found

    def close(self, upload: int, **body: Any) -> dict[str, Any]:
        return self.wait(self.call("POST", f"/api/parts/uploads/{upload}/close", body, 202))

    def test_an_open_scan_is_closed_with_consent_and_stays_marked(self) -> None:
        before = len(self.call("GET", "/api/parts")["parts"])
        problem = self.send(stl_bytes(open_scan()), "my-scan.stl", 422)
        self.assertEqual(problem["type"], "urn:meanbead:open-surface")
        self.assertIn("not closed", problem["title"])
        picture = self.client.get(f"/api/parts/uploads/{problem['upload_id']}/picture")
        self.assertEqual((picture.status_code, picture.content_type), (200, "image/png"))
        self.assertEqual(len(self.call("GET", "/api/parts")["parts"]), before, "nothing is guessed without consent")

        done = self.close(problem["upload_id"])
        self.assertEqual(done["state"], "done", done["problem"])
        part = self.call("GET", f"/api/parts/{done['close']['part_id']}")
        self.assertEqual(part["name"], "My scan")
        self.assertGreater(part["guessed"]["added_mm2"], 100)
        self.assertEqual(len(self.columns(part)), 2)
        marks = np.frombuffer(self.client.get(f"/api/parts/{part['id']}/guessed").data, "<f4")
        self.assertEqual(len(marks), part["facts"]["triangles"])
        self.assertTrue(0 < marks.sum() < 0.3 * len(marks))

        # Standing otherwise, and as a body of its own, it is still marked.
        turned = {"version": part["version"], "pose": {"matrix": [1, 0, 0, 0, -1, 0, 0, 0, -1]}}
        part = self.call("PATCH", f"/api/parts/{part['id']}", turned)
        self.assertGreater(part["guessed"]["added_mm2"], 100)

        # Undone, the file is still here as it came, and can be closed again, into another part.
        self.call("POST", f"/api/parts/{part['id']}/delete", {"version": part["version"]})
        again = self.close(problem["upload_id"])
        self.assertNotEqual(again["close"]["part_id"], part["id"])

    def test_a_closing_that_is_done_again_makes_no_second_part(self) -> None:
        problem = self.send(stl_bytes(open_balls(1)), "ball.stl", 422)
        done = self.close(problem["upload_id"])
        before = len(self.call("GET", "/api/parts")["parts"])
        # As after a worker that died between storing the part and closing the job.
        with self.database.session.begin() as session:
            row = session.get_one(JobRow, done["id"])
            row.state, row.worker = "waiting", ""
        run_job(self.database, Engine(), done["id"])
        again = self.call("GET", f"/api/jobs/{done['id']}")
        self.assertEqual((again["state"], again["close"]), ("done", done["close"]))
        self.assertEqual(len(self.call("GET", "/api/parts")["parts"]), before)

    def test_bodies_that_are_split_stay_marked(self) -> None:
        problem = self.send(stl_bytes(open_balls(2)), "balls.stl", 422)
        part = self.call("GET", f"/api/parts/{self.close(problem['upload_id'])['close']['part_id']}")
        made = self.call("POST", f"/api/parts/{part['id']}/split", {"version": part["version"]})["parts"]
        self.assertEqual(len(made), 2)
        self.assertTrue(all(item["guessed"]["sentences"] for item in made))
        sound = self.upload()
        self.assertIsNone(sound["guessed"])
        marks = self.client.get(f"/api/parts/{sound['id']}/guessed").data
        self.assertEqual(np.frombuffer(marks, "<f4").sum(), 0)

    def test_a_sheet_asks_for_a_thickness(self) -> None:
        problem = self.send(stl_bytes(sheet()), "sheet.stl", 422)
        self.assertTrue(problem["sheets"])
        done = self.close(problem["upload_id"])
        self.assertEqual(done["state"], "failed")
        self.assertIn("thickness", done["problem"])
        self.call("POST", f"/api/parts/uploads/{problem['upload_id']}/close", {"sheet_mm": 0}, 422)
        done = self.close(problem["upload_id"], sheet_mm=2)
        part = self.call("GET", f"/api/parts/{done['close']['part_id']}")
        self.assertAlmostEqual(part["facts"]["volume_mm3"], 1200, delta=1)

    def test_models_of_an_archive_are_chosen(self) -> None:
        packed = io.BytesIO()
        with zipfile.ZipFile(packed, "w") as archive:
            archive.writestr("set/small-box.stl", stl_bytes(trimesh.creation.box((12, 12, 12))))
            archive.writestr("set/exact.step", step_box(20, 10, 5))
        problem = self.send(packed.getvalue(), "set.zip", 422)
        self.assertEqual(problem["models"], ["set/exact.step", "set/small-box.stl"])
        names = [self.send(packed.getvalue(), "set.zip", 201, member=name)["name"] for name in problem["models"]]
        self.assertEqual(names, ["Exact", "Small box"])
        self.send(packed.getvalue(), "set.zip", 422, member="set/other.stl")

    def test_there_is_no_such_upload(self) -> None:
        self.call("POST", "/api/parts/uploads/99999/close", {}, 404)
        self.assertEqual(self.client.get("/api/parts/uploads/99999/picture").status_code, 404)

    def test_what_is_wrong_is_said_in_the_words_of_the_page(self) -> None:
        part = self.upload()
        column = self.columns(part)[0]
        body = {"version": column["version"], "choices": {"layer_height_mm": 5, "speed_mm_s": {"outer_wal": 40}}}
        problem = self.call("PATCH", f"/api/recipes/{column['id']}", body, 422)
        self.assertNotIn("layer_height_mm", problem["detail"])
        self.assertIn("Layer height: Must be at most", problem["detail"])
        self.assertIn("Did you mean outer_wall?", problem["detail"])
        for address, wrong, near in (
            ("/api/spools", {"name": "x", "material_id": 1, "left_gg": 5}, "left_g"),
            (f"/api/recipes/{column['id']}/search", {"vari": {"walls": [1]}}, "vary"),
            (f"/api/recipes/{column['id']}/search", {"vary": {"walls": [1]}, "limits": {"shel_mm": 1}}, "shell_mm"),
            (
                f"/api/parts/{part['id']}/recipes",
                {"copy_of": column["id"], "settings": [{"key": "walls", "valu": 3}]},
                "value",
            ),
        ):
            with self.subTest(address=address, near=near):
                self.assertIn(f"Did you mean {near}?", self.call("POST", address, wrong, 422)["detail"])
        house = self.call("GET", "/api/house-rules")
        wrong = {"version": house["version"], "shop": {"attended": {"from_hh": 8}}}
        self.assertIn("Did you mean from_h?", self.call("PATCH", "/api/house-rules", wrong, 422)["detail"])

    def test_numbers_beyond_the_database_are_no_rows(self) -> None:
        for number in (2**31, 2**63, 10**30):
            self.call("GET", f"/api/parts/{number}", status=404)
            self.call("POST", f"/api/recipes/{number}/levers", {"goal": "minutes"}, 404)
        self.call("POST", "/api/waterfalls", {"from_id": 2**40, "to_id": 1}, 422)
        self.call("POST", "/api/spools", {"name": "x", "material_id": 2**40, "left_g": 5}, 422)


if __name__ == "__main__":
    unittest.main()
