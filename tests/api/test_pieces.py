"""Test pieces over HTTP: made, previewed by replaying their own file, judged, used and taken back."""

from __future__ import annotations

from typing import Any

from meanbead.core.testpieces import KINDS
from tests.api.test_api import ApiCase


class Pieces(ApiCase):
    def made(self, kind: str) -> dict[str, Any]:
        shelf = self.call("GET", "/api/shelf")
        body = {f"{name}_id": shelf[f"{name}s"][0]["id"] for name in ("machine", "nozzle", "material")}
        piece: dict[str, Any] = self.call("POST", "/api/test-pieces", {"kind": kind, **body}, 201)
        return piece

    def judged(self, piece: dict[str, Any], status: int = 200, **seen: Any) -> Any:
        body = {"version": piece["version"], "judged": seen}
        return self.call("POST", f"/api/test-pieces/{piece['id']}/judge", body, status)

    def shelf_row(self, kind: str) -> Any:
        return self.call("GET", "/api/shelf")[f"{kind}s"][0]

    def test_each_kind_has_minutes_and_grams_and_shows_its_layers(self) -> None:
        for kind in (kind.name for kind in KINDS if kind.name not in ("bridge", "narrow_line", "flow_spiral")):
            with self.subTest(kind):
                piece = self.made(kind)
                self.assertGreater(piece["print_time_s"], 300)
                (column,) = self.columns({"id": piece["part_id"]})
                self.assertEqual(column["id"], piece["column_id"])
                self.assertAlmostEqual(column["estimate"]["print_time_s"], piece["print_time_s"])
                strokes = self.call("GET", f"/api/recipes/{column['id']}/strokes")
                self.assertTrue(strokes)
                text = self.client.get(f"/api/test-pieces/{piece['id']}.gcode").text
                self.assertIn(f"band {len(piece['bands'])}:", text)

    def test_a_clean_band_stands_on_the_shelf_as_measured_and_can_be_taken_back(self) -> None:
        before = self.shelf_row("machine")
        piece = self.made("acceleration")
        self.judged(piece, 422, band=0)
        self.judged(piece, 422, band=99)
        piece = self.judged(piece, band=3)
        value = piece["bands"][2]["value"]
        self.assertIn(f"{value:g}", piece["sentence"])
        machine = self.shelf_row("machine")
        self.assertEqual(machine["printer"]["clean_acceleration_mm_s2"], value)
        self.assertEqual(machine["sources"]["clean_acceleration_mm_s2"], "measured")
        piece = self.judged(piece, band=4)  # judged again: the first answer is replaced
        piece = self.call("POST", f"/api/test-pieces/{piece['id']}/take-back", {"version": piece["version"]})
        after = self.shelf_row("machine")
        self.assertEqual((after["printer"], after["sources"]), (before["printer"], before["sources"]))
        self.assertIsNone(piece["judged"])

    def test_a_ladder_asks_for_its_rung(self) -> None:
        piece = self.made("bridge")
        problem = self.judged(piece, 422, band=2)
        self.assertEqual(problem["errors"][0]["field"], "span_mm")
        self.judged(piece, band=2, span_mm=40)
        self.assertEqual(self.shelf_row("machine")["printer"]["bridge_span_mm"], 40)
        plastic = self.shelf_row("material")["material"]
        self.assertEqual(
            (plastic["bridge_speed_mm_s"], plastic["bridge_flow_ratio"]),
            (piece["bands"][1]["value"], piece["bands"][1]["flow"]),
        )

    def test_a_spiral_becomes_a_flow_test_that_can_be_used(self) -> None:
        piece = self.judged(self.made("flow_spiral"), band=4)
        test = self.call("GET", f"/api/flow-tests/{piece['flow_test_id']}")
        (found,) = test["fit"]["by_temp"]
        self.assertEqual(found["curl_mm3_s"], piece["bands"][3]["value"])
        used = self.call("POST", f"/api/flow-tests/{test['id']}/use", {"version": test["version"]})
        self.assertAlmostEqual(used["measured"]["at"][0]["limit_mm3_s"], piece["bands"][3]["value"])
