"""Answers that the pages' component tests go by, recorded from the real application, and held to be current.

``python -m tests.api.test_recorded --write`` renews them.
"""

from __future__ import annotations

import json
import re
import sys
from pathlib import Path
from typing import Any

from tests.api.test_api import ApiCase

FILE = Path(__file__).resolve().parents[2] / "ui" / "src" / "test" / "recorded.json"
MOMENT = re.compile(r"\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d(?:\.\d+)?(?:Z|[+-]\d\d:\d\d)")
DAY = re.compile(r"\b20\d\d-\d\d-\d\d\b")

ASKED = (
    ("GET", "/api/me"),
    ("GET", "/api/shelf"),
    ("GET", "/api/house-rules"),
    ("GET", "/api/house-recipes"),
    ("GET", "/api/parts/1"),
    ("GET", "/api/parts/1/recipes"),
    ("GET", "/api/parts/1/insight"),
    ("POST", "/api/recipes/1/estimate"),
    ("POST", "/api/recipes/2/estimate"),
    ("GET", "/api/recipes/1/findings"),
    ("GET", "/api/recipes/2/findings"),
    ("GET", "/api/recipes/1/layers"),
    ("GET", "/api/faults"),
    ("POST", "/api/recipes/1/runs"),
    ("GET", "/api/runs/1/tag"),
    ("GET", "/api/runs"),
)
"""What a bench asks for as it opens, and a run's page at the machine: of a fresh workshop with one block in it."""

BODIES: dict[str, dict[str, Any]] = {"/api/recipes/1/runs": {"key": "recorded-run"}}


class Recorded(ApiCase):
    def recorded(self) -> dict[str, Any]:
        """Every answer by method and path, without what differs from one time to the next."""
        self.upload()
        found = {}
        for method, path in ASKED:
            answer = self.client.open(path, method=method, json=BODIES.get(path, {}) if method == "POST" else None)
            found[f"{method} {path}"] = _steady(answer.get_json())
        return found

    def test_component_tests_go_by_what_the_application_answers(self) -> None:
        found, kept = self.recorded(), json.loads(FILE.read_text())
        self.assertEqual(set(found), set(kept))
        for asked, answer in found.items():
            self.assertEqual(json.loads(json.dumps(answer)), kept[asked], f"{asked} has changed: record it anew")


def _steady(answer: Any) -> Any:
    """An answer whose moments are all one, and whose figures have the digits that count."""
    if isinstance(answer, dict):
        return {key: _steady(value) for key, value in answer.items()}
    if isinstance(answer, list):
        return [_steady(value) for value in answer]
    if isinstance(answer, str):
        return DAY.sub("2026-03-04", MOMENT.sub("2026-03-04T14:05:00+00:00", answer))
    return float(f"{answer:.9g}") if isinstance(answer, float) else answer


if __name__ == "__main__" and "--write" in sys.argv:
    Recorded.setUpClass()
    FILE.write_text(json.dumps(Recorded("recorded").recorded(), indent=1, ensure_ascii=False) + "\n")
    Recorded.tearDownClass()
