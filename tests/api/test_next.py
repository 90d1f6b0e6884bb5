"""Next moves, curves, reports and the sample workshop over HTTP."""

from __future__ import annotations

import io
from typing import Any

import pypdf

from meanbead.core.text.durations import duration
from tests.api.worker import WorkerCase
from tests.running.effort import only_long


class Looks(WorkerCase):
    def until_done(self, address: str, body: dict[str, Any] | None = None) -> list[dict[str, Any]]:
        """All answers up to the last."""
        answers = []
        for _ in range(400):
            answers.append(self.call("POST", address, body))
            if answers[-1]["done"]:
                return answers
        self.fail("it never ends")

    def test_next_moves_grow_and_are_the_levers(self) -> None:
        column = self.columns(self.upload())[0]
        answers = [one["moves"] for one in self.until_done(f"/api/recipes/{column['id']}/next")]
        tried = [one["tried"] for one in answers]
        self.assertEqual(tried, sorted(tried))
        self.assertEqual(tried[-1], answers[-1]["of"])
        job = self.wait(self.call("POST", f"/api/recipes/{column['id']}/levers", {"goal": "minutes"}, status=202))
        by_label = {lever["label"]: lever["time_s"] for lever in job["levers"]["levers"]}
        for move in answers[-1]["best"]:
            self.assertEqual(move["time_s"], by_label[move["label"]])
        again = self.call("POST", f"/api/recipes/{column['id']}/next")
        self.assertTrue(again["done"])
        self.assertEqual(again["moves"], answers[-1])

    def test_a_curve_says_what_typing_the_value_then_makes(self) -> None:
        column = self.columns(self.upload())[0]
        found = self.until_done(f"/api/recipes/{column['id']}/curve", {"key": "walls"})[-1]["curve"]
        point = next(one for one in found["points"] if one["value"] == 4)
        body = {"version": column["version"], "choices": {"walls": 4}}
        self.call("PATCH", f"/api/recipes/{column['id']}", body)
        full = self.call("POST", f"/api/recipes/{column['id']}/estimate")
        self.assertAlmostEqual(point["piece_time_s"], full["print_time_s"], delta=0.02 * full["print_time_s"])
        self.assertAlmostEqual(point["filament_g"], full["filament_g"], delta=0.02 * full["filament_g"])

    def test_what_has_no_curve_names_the_field(self) -> None:
        column = self.columns(self.upload())[0]
        problem = self.call("POST", f"/api/recipes/{column['id']}/curve", {"key": "infill.pattern"}, 422)
        self.assertIn("key", str(problem))


class Reports(WorkerCase):
    def test_a_report_holds_the_figures_of_its_column(self) -> None:
        part = self.upload()
        column = self.columns(part)[1]
        figures = self.call("POST", f"/api/recipes/{column['id']}/estimate")
        answer = self.client.get(f"/api/parts/{part['id']}/report.pdf?recipe_id={column['id']}")
        self.assertEqual((answer.status_code, answer.content_type), (200, "application/pdf"))
        pages = pypdf.PdfReader(io.BytesIO(answer.data)).pages
        text = "\n".join(page.extract_text() for page in pages)
        for words in (
            column["name"],
            duration(figures["print_time_s"]),
            f"{figures['filament_g']:.1f} g",
            "The first layer",
            "Layer height",
        ):
            self.assertIn(words, text)

    def test_a_column_of_another_part_is_refused(self) -> None:
        one, other = self.upload(), self.upload()
        column = self.columns(other)[0]
        answer = self.client.get(f"/api/parts/{one['id']}/report.pdf?recipe_id={column['id']}")
        self.assertIn(answer.status_code, (404, 422))
        self.assertIn("recipe_id", answer.get_data(as_text=True))


class SampleWorkshop(WorkerCase):
    @only_long
    def test_it_comes_beside_ones_own_and_goes_whole(self) -> None:
        own = self.upload()
        self.assertEqual(self.call("GET", "/api/samples"), {"present": False, "removed": False, "own_parts": 1})
        shelf = self.names()
        self.assertEqual(self.wait(self.call("POST", "/api/samples", status=202))["state"], "done")
        found = self.call("GET", "/api/samples")
        self.assertEqual((found["present"], found["own_parts"]), (True, 1))
        self.call("POST", "/api/samples", status=422)
        runs = self.call("GET", "/api/runs")["total"]
        self.assertGreater(runs, 20)
        # A column of one's own that is printed on a sample machine keeps it.
        heron = next(one for one in self.call("GET", "/api/shelf")["machines"] if one["name"] == "Heron")
        column = self.columns(own)[0]
        self.call("PATCH", f"/api/recipes/{column['id']}", {"version": column["version"], "machine_id": heron["id"]})
        self.assertFalse(self.call("POST", "/api/samples/remove")["present"])
        self.assertEqual(self.names(), shelf | {"Heron"})
        self.assertEqual([part["id"] for part in self.call("GET", "/api/parts")["parts"]], [own["id"]])
        self.assertEqual(self.call("GET", "/api/runs")["total"], 0)
        self.call("POST", "/api/samples/remove", status=422)
        self.assertTrue(self.call("POST", "/api/samples/restore")["present"])
        self.assertEqual(self.call("GET", "/api/runs")["total"], runs)
        self.assertEqual(len(self.call("GET", "/api/parts")["parts"]), 9)

    def names(self) -> set[str]:
        """What lies on the shelf."""
        shelf = self.call("GET", "/api/shelf")
        return {
            row["name"]
            for kind in ("machines", "nozzles", "materials", "spools")
            for row in shelf[kind]
            if not row["removed"]
        }
