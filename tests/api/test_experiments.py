"""Experiments over HTTP: from factors to cells, prints, comparisons and measurements, to a verdict that is kept."""

from __future__ import annotations

import csv
import io
import uuid
from datetime import UTC, datetime, timedelta
from typing import Any

from tests.api.test_api import ApiCase


class Experiments(ApiCase):
    def setUp(self) -> None:
        self.part = self.upload()
        self.column = self.columns(self.part)[0]

    def grid(self, **said: Any) -> dict[str, Any]:
        return {"factors": [{"key": "height_share", "levels": [0.3, 0.45, 0.6]}], **said}

    def make(self, status: int = 201, **said: Any) -> dict[str, Any]:
        body = {"name": "Heights", "recipe_id": self.column["id"], "grid": self.grid(**said)}
        made: dict[str, Any] = self.call("POST", "/api/experiments", body, status)
        return made

    def read(self, experiment: dict[str, Any]) -> dict[str, Any]:
        found: dict[str, Any] = self.call("GET", f"/api/experiments/{experiment['head']['id']}")
        return found

    def print(self, cell: dict[str, Any], seconds: float, **entry: Any) -> None:
        at = datetime.now(UTC) - timedelta(hours=1)
        body = {"key": str(uuid.uuid4()), "started_at": at.isoformat()}
        run = self.call("POST", f"/api/recipes/{cell['recipe']['id']}/runs", body, 201)
        told = {"state": "kept", "time_s": seconds, **entry}
        self.call("PATCH", f"/api/runs/{run['id']}", {"version": run["version"], "entry": told})

    def test_cells_are_columns_that_stand_on_no_sheet(self) -> None:
        made = self.make()
        self.assertEqual([cell["levels"]["height_share"] for cell in made["cells"]], [0.3, 0.45, 0.6])
        heights = [cell["recipe"]["choices"]["layer_height_mm"] for cell in made["cells"]]
        self.assertEqual(heights, [0.12, 0.18, 0.24])
        self.assertEqual(made["cells"][0]["words"], "height 0.3 d")
        self.assertEqual(len(self.columns(self.part)), 2)
        for cell in made["cells"]:
            self.call("POST", f"/api/recipes/{cell['recipe']['id']}/estimate")
        read = self.read(made)
        self.assertTrue(all(cell["recipe"]["estimate"] for cell in read["cells"]))
        self.assertEqual(read["times"], "expected")
        self.assertIn("height_share", read["verdict"]["knee"])
        self.assertEqual((read["plan"]["plates"], read["plan"]["nozzle_swaps"]), (3, 0))
        self.assertGreater(read["plan"]["hours"], 0)

    def test_levels_come_and_go_and_results_stay(self) -> None:
        made = self.make()
        kept = made["cells"][2]
        self.print(kept, 500)
        body = {
            "version": made["head"]["version"],
            "grid": self.grid() | {"factors": [{"key": "height_share", "levels": [0.3, 0.45]}]},
        }
        fewer = self.call("PATCH", f"/api/experiments/{made['head']['id']}", body)
        self.assertEqual(len(fewer["cells"]), 2)
        body = {"version": fewer["head"]["version"], "grid": self.grid(added=[{"height_share": 0.7}])}
        more = self.call("PATCH", f"/api/experiments/{made['head']['id']}", body)
        self.assertEqual([cell["levels"]["height_share"] for cell in more["cells"]], [0.3, 0.45, 0.6, 0.7])
        self.assertEqual(more["cells"][2]["recipe"]["id"], kept["recipe"]["id"])
        self.assertEqual(len(more["cells"][2]["runs"]), 1)
        self.call("PATCH", f"/api/experiments/{made['head']['id']}", body, 409)

    def test_what_cannot_be_is_refused_or_marked(self) -> None:
        self.make(422, factors=[{"key": "colour", "levels": [1]}])
        self.make(422, factors=[{"key": "height_share", "levels": [0.3]}, {"key": "layer_height_mm", "levels": [0.2]}])
        self.make(
            422,
            factors=[
                {"key": "walls", "levels": list(range(1, 10))},
                {"key": "top_layers", "levels": list(range(1, 9))},
            ],
        )
        self.assertIn("walls", self.make(422, factors=[{"key": "walls", "levels": [2, -4]}])["detail"])
        self.make(422, added=[{"walls": 2}])
        made = self.make(factors=[{"key": "layer_height_mm", "levels": [0.2, 0.9]}])
        self.assertEqual([bool(cell["marks"]) for cell in made["cells"]], [False, True])

    def test_from_blind_pairs_to_a_kept_verdict(self) -> None:
        made = self.make(spots=["slope"])
        number = made["head"]["id"]
        pair = self.call("GET", f"/api/experiments/{number}/pair?spot=slope")
        self.assertEqual((pair["numbers"], pair["pieces"]), (None, 0))
        for cell, seconds, entry in zip(made["cells"], (900, 700, 600), ({}, {}, {"faults": ["steps"]}), strict=True):
            self.print(cell, seconds, **entry)
        blind = {cell["blind"]: place for place, cell in enumerate(self.read(made)["cells"])}
        self.assertEqual(len(blind), 3)
        for _ in range(9):
            pair = self.call("GET", f"/api/experiments/{number}/pair?spot=slope")
            better = min(pair["numbers"], key=lambda one: blind[one])
            key = str(uuid.uuid4())
            body = {"key": key, "numbers": pair["numbers"], "better": better, "spot": "slope"}
            first = self.call("POST", f"/api/experiments/{number}/comparisons", body, 201)
            self.assertEqual(self.call("POST", f"/api/experiments/{number}/comparisons", body, 201), first)
        self.assertIsNone(self.call("GET", f"/api/experiments/{number}/pair?spot=slope")["numbers"])
        read = self.read(made)
        self.assertEqual((read["comparisons"], read["times"]), (9, "real"))
        strengths = [one["value"] for one in read["verdict"]["ranking"]["strengths"]]
        self.assertEqual(strengths, sorted(strengths, reverse=True))
        self.assertEqual(read["verdict"]["fastest"], 1)
        self.assertIn("Height 0.45 d is the fastest that nobody faulted", read["sentence"])
        self.assertEqual(read["verdict"]["between"]["levels"], {"height_share": 0.525})
        self.call("POST", f"/api/comparisons/{first['id']}/delete", {"version": first["version"]})
        self.assertEqual(self.read(made)["comparisons"], 8)
        odd = {"key": str(uuid.uuid4()), "numbers": [blind and next(iter(blind)), 999], "better": 999}
        self.call("POST", f"/api/experiments/{number}/comparisons", odd, 422)
        kept = {"sentence": "Up to 0.45 nobody objects.", "among_rules": True, "into": ["House rule"]}
        read = self.read(made)
        told = self.call("PATCH", f"/api/experiments/{number}", {"version": read["head"]["version"], "kept": kept})
        self.assertEqual(told["head"]["kept"]["sentence"], kept["sentence"])
        listed = self.call("GET", "/api/experiments")["experiments"][0]
        self.assertEqual((listed["cells"], listed["printed"], listed["kept"]["among_rules"]), (3, 3, True))
        rows = list(csv.reader(io.StringIO(self.client.get(f"/api/experiments/{number}.csv").text)))
        self.assertEqual([row[0] for row in rows[1:]], ["0.3", "0.45", "0.6"])
        self.call("POST", f"/api/experiments/{number}/delete", {"version": told["head"]["version"]})
        self.call("GET", f"/api/experiments/{number}", status=404)
        self.call("POST", f"/api/experiments/{number}/restore")
        self.assertEqual(self.read(made)["comparisons"], 8)

    def test_pieces_are_measured_within_what_the_gauge_tells(self) -> None:
        made = self.make(measure="squeeze", gauge=0.1, more_is_better=False, pieces=3)
        number, cells = made["head"]["id"], made["cells"]
        self.assertEqual(cells[0]["recipe"]["choices"]["copies"]["count"], 3)
        for cell, left in zip(cells, (38.0, 38.0, 35.0), strict=True):
            for off in (-0.1, 0.0, 0.1):
                body = {
                    "key": str(uuid.uuid4()),
                    "recipe_id": cell["recipe"]["id"],
                    "measured": {"before": 40.0, "after": left + off},
                }
                measured = self.call("POST", f"/api/experiments/{number}/measurements", body, 201)
        read = self.read(made)
        pairs = [tuple(one["pair"]) for one in read["verdict"]["differences"]]
        self.assertEqual(pairs, [(0, 2), (1, 2)])
        self.assertEqual([one["better"] for one in read["verdict"]["differences"]], [0, 1])
        self.assertEqual(read["verdict"]["need"][0]["pieces"], None)
        self.call("POST", f"/api/measurements/{measured['id']}/delete", {"version": measured["version"]})
        self.assertEqual(len(self.read(made)["cells"][2]["measured"]), 2)
        self.call("POST", f"/api/measurements/{measured['id']}/restore")
        self.assertEqual(len(self.read(made)["cells"][2]["measured"]), 3)
        odd = {"key": str(uuid.uuid4()), "recipe_id": self.column["id"], "measured": {"value": 3}}
        self.call("POST", f"/api/experiments/{number}/measurements", odd, 422)
        odd |= {"recipe_id": cells[0]["recipe"]["id"], "measured": {"before": 3}}
        self.call("POST", f"/api/experiments/{number}/measurements", odd, 422)

    def test_ready_made_ones_can_be_made(self) -> None:
        told = self.call("GET", "/api/experiments/ready-made")
        self.assertEqual(len(told["ready"]), 7)
        self.assertIn("height_share", [one["key"] for one in told["factors"]])
        for one in told["ready"]:
            made = self.make(**one["grid"])
            self.assertGreater(len(made["cells"]), 3, one["key"])
