"""The sample workshop's log: believable, and made of truths that it does not tell."""

from __future__ import annotations

import itertools
import unittest
from datetime import UTC, datetime, timedelta

from meanbead.api import create_app
from meanbead.core.estimate import Engine
from meanbead.demo.runs import HIDDEN, RUNS, add_sample_runs
from tests.support.people import Browser
from tests.support.server import new_database


class SampleLog(unittest.TestCase):
    def test_three_months_of_runs_with_a_cured_chain_and_an_open_one(self) -> None:
        database = new_database("sample_log", samples=True)
        self.addCleanup(database.close)
        engine = Engine()
        browser = Browser(create_app(database, engine), over_network=False)
        before = browser.ask("GET", "/api/shelf").get_json()
        # Just after midnight most hours of a run's day lie a day ahead of where the count of days puts it.
        midnight = datetime.now(UTC).replace(hour=0, minute=18)
        self.assertTrue(add_sample_runs(database, engine, midnight))
        self.assertFalse(add_sample_runs(database, engine), "they are made once")
        told = browser.ask("GET", "/api/runs?limit=100").get_json()
        self.assertEqual(told["total"], len(RUNS))
        self.assertGreaterEqual(told["total"], 38)
        # Heron takes longer than is predicted, by what its hidden truths say: between its least and its largest factor.
        self.assertGreater(told["real_over_predicted"], 1.02)
        self.assertLess(told["real_over_predicted"], HIDDEN["Heron"].retracting)
        # In the order of their numbers, and none of a machine before the last one has come off.
        in_time = sorted(told["runs"], key=lambda run: run["id"])
        for one, other in itertools.pairwise(in_time):
            begun, next_begun = (datetime.fromisoformat(run["started_at"]) for run in (one, other))
            lasted = timedelta(seconds=one["plates"] * (one["real_s"] or 0))
            self.assertLess(begun + lasted, next_begun, f"#{one['id']} and #{other['id']}")
        ratios = [run["real_s"] / run["predicted_s"] for run in told["runs"] if run["real_s"]]
        self.assertGreater(max(ratios) - min(ratios), 0.05, "runs scatter, and parts differ")
        cured = next(run for run in told["runs"] if run["column_name"] == "Hot, cooler, pulled")
        chain = browser.ask("GET", f"/api/runs/{cured['id']}/chain").get_json()
        self.assertEqual(len(chain["links"]), 3)
        self.assertIn("Cured after 2 tries, by: Pull too short", chain["says"])
        opened = next(run for run in told["runs"] if run["faults"] == ["lifted_corners"] and run["follows_id"])
        chain = browser.ask("GET", f"/api/runs/{opened['id']}/chain").get_json()
        self.assertIn("still there: lifted corners", chain["says"])
        self.assertEqual([link["proof"]["counts"] for link in chain["links"][1:]], [True])
        # What it has tried in vain is not what it is told to try next.
        causes = browser.ask("GET", f"/api/runs/{opened['id']}/causes").get_json()["faults"][0]["causes"]
        self.assertNotEqual(causes[0]["cause"], "dirty_bed")
        # What they used was taken off the shelf long ago.
        after = browser.ask("GET", "/api/shelf").get_json()
        for kind in ("spools", "machines", "nozzles"):
            self.assertEqual(after[kind], before[kind])


if __name__ == "__main__":
    unittest.main()
