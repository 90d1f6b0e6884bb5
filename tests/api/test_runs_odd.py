"""Runs where something is missing, odd, or done twice at once; and who may do what with them."""

from __future__ import annotations

import io
import json
import threading
import uuid
from typing import Any

from sqlalchemy import text

from meanbead import store
from meanbead.core.faults import knowledge
from tests.api.test_runs import Log
from tests.support.people import Browser, add_people, network_app

GCODE = b"""; made elsewhere
M83
G1 X10 Y10 F6000
G1 Z0.2 F600
G1 X60 Y10 E2.0 F1200
G1 X60 Y60 E2.0
G1 X10 Y60 E2.0
G1 X10 Y10 E2.0
"""


class Missing(Log):
    def replayed(self) -> dict[str, Any]:
        fields = {"file": (io.BytesIO(GCODE), "elsewhere.gcode")}
        made: dict[str, Any] = self.call(
            "POST", f"/api/parts/{self.part['id']}/gcode", status=201, data=fields, content_type="multipart/form-data"
        )
        return made

    def test_a_replayed_file_is_run_too_and_its_faults_are_judged_by_tries_alone(self) -> None:
        run = self.start(self.replayed())
        self.assertEqual(run["snapshot"]["gcode"], "elsewhere.gcode")
        told = self.enter(run, state="scrapped", faults=["ripple"], time_s=60)
        self.assertEqual(told["real_s"], 60)
        causes = self.call("GET", f"/api/runs/{run['id']}/causes")["faults"][0]["causes"]
        self.assertEqual([cause["cause"] for cause in causes], list(knowledge().faults["ripple"].causes))
        self.assertTrue(all(cause["standing"] == "unknown" and not cause["settings"] for cause in causes))
        body = {"fault": "ripple", "cause": "acceleration"}
        self.assertIn("setting", self.call("POST", f"/api/runs/{run['id']}/causes/try", body, 422)["detail"])

    def test_a_run_brought_from_a_table_has_a_page_causes_and_no_price(self) -> None:
        content = b"part;time;result;faults\nOld thing;95;failed;strings\n"
        fields = {"file": (io.BytesIO(content), "a.csv")}
        self.call("POST", "/api/runs/import", status=201, data=fields, content_type="multipart/form-data")
        run = self.call("GET", "/api/runs?search=Old%20thing")["runs"][0]
        whole = self.call("GET", f"/api/runs/{run['id']}")
        self.assertEqual((whole["prediction"], whole["real_s"], whole["entry"]["time_s"]), (None, 5700, 5700))
        self.assertIn("No good run", self.call("GET", f"/api/runs/{run['id']}/since")["verdict"])
        self.assertEqual(len(self.call("GET", f"/api/runs/{run['id']}/causes")["faults"]), 1)
        self.call("POST", f"/api/runs/{run['id']}/causes/price", {"fault": "strings", "cause": "too_hot"}, 422)
        self.assertEqual(self.call("GET", f"/api/runs/{run['id']}/tag")["whole_s"], None)
        edited = self.enter(whole, looks=2)  # nothing is booked for what was used long ago
        self.assertEqual((edited["looks"], edited["booked"]), (2, {}))

    def test_without_part_column_machine_or_spool_a_run_stays_what_it_was(self) -> None:
        run = self.enter(self.start(), state="scrapped", faults=["strings"])
        part = self.call("GET", f"/api/parts/{self.part['id']}")
        column = self.columns(self.part)[0]
        self.call("POST", f"/api/recipes/{column['id']}/delete", {"version": column["version"]})
        self.call("POST", f"/api/parts/{part['id']}/delete", {"version": part["version"]})
        self.assertEqual(self.call("GET", f"/api/runs/{run['id']}")["snapshot"], run["snapshot"])
        self.assertEqual(len(self.call("GET", f"/api/runs/{run['id']}/causes")["faults"][0]["causes"]) > 3, True)
        self.assertEqual(self.client.get(f"/api/labels.pdf?runs={run['id']}").status_code, 200)
        # A new column cannot be made on a part that is gone: it is said, and nothing is made.
        body = {"fault": "strings", "cause": "too_hot"}
        self.call("POST", f"/api/runs/{run['id']}/causes/try", body, 404)
        self.call("POST", f"/api/parts/{part['id']}/restore")
        self.call("POST", f"/api/runs/{run['id']}/causes/try", body, 201)

    def test_what_is_unknown_is_a_sentence(self) -> None:
        run = self.enter(self.start(), state="kept")
        for fault, cause in (("strings", "gremlins"), ("gremlins", "too_hot"), ("strings", "line_wide")):
            self.call("POST", f"/api/runs/{run['id']}/causes/price", {"fault": fault, "cause": cause}, 422)
        self.assertEqual(self.call("GET", f"/api/runs/{run['id']}/causes")["faults"], [])
        for path in ("", "/tag", "/since", "/causes", "/chain"):
            self.call("GET", f"/api/runs/999999{path}", status=404)
        self.call("GET", "/api/run-photos/999999", status=404)
        self.call("GET", "/api/runs?state=gone", status=422)
        self.call("GET", "/api/runs?limit=0", status=422)
        self.call("GET", "/api/journal?after=999999", status=404)

    def test_a_recipe_that_contradicts_itself_is_not_started(self) -> None:
        column = self.edit(self.column, choices={"layer_height_mm": 0.2})
        with self.database.session.begin() as db:
            row = store.recipes.get_recipe(db, column["id"])
            row.choices = {"layer_height_mm": 0.39, "line_width_mm": {"outer_wall": 0.3}}
        self.assertIn("outer_wall", json.dumps(self.start(column, 422)))
        self.assertEqual(self.call("GET", f"/api/runs?part_id={self.part['id']}")["total"], 0)

    def test_a_deleted_run_is_gone_from_lists_sums_chains_and_counts_and_comes_back(self) -> None:
        first = self.enter(self.start(), state="scrapped", faults=["strings"])
        column = self.edit(self.columns(self.part)[0], choices={"nozzle_temp_c": 200})
        second = self.enter(self.start(column, follows_id=first["id"]), state="kept")
        self.assertTrue(second["proof"]["counts"])
        gone = self.call("POST", f"/api/runs/{first['id']}/delete", {"version": first["version"]})
        self.assertTrue(gone["removed"])
        self.assertEqual(
            [run["id"] for run in self.call("GET", f"/api/runs?part_id={self.part['id']}")["runs"]], [second["id"]]
        )
        self.assertIsNone(self.call("GET", f"/api/runs/{second['id']}")["proof"])
        self.assertEqual(len(self.call("GET", f"/api/runs/{second['id']}/chain")["links"]), 1)
        self.call("GET", f"/api/runs/{first['id']}/since", status=404)
        self.call("POST", f"/api/runs/{first['id']}/restore")
        self.call("POST", f"/api/runs/{first['id']}/restore")  # once more does no harm
        self.assertTrue(self.call("GET", f"/api/runs/{second['id']}")["proof"]["counts"])
        self.assertEqual(len(self.call("GET", f"/api/runs/{first['id']}/chain")["links"]), 2)

    def test_a_chain_may_fork_and_tells_how_it_stands(self) -> None:
        first = self.enter(self.start(), state="scrapped", faults=["strings"])
        self.assertEqual(self.call("GET", f"/api/runs/{first['id']}/chain")["says"], "Nothing was tried yet.")
        colder = self.edit(self.columns(self.part)[0], choices={"nozzle_temp_c": 200})
        left = self.enter(self.start(colder, follows_id=first["id"]), state="scrapped", faults=["strings"])
        both = self.edit(self.columns(self.part)[0], choices={"nozzle_temp_c": 205, "walls": 5})
        right = self.start(both, follows_id=first["id"])
        chain = self.call("GET", f"/api/runs/{left['id']}/chain")
        self.assertEqual([link["run"]["id"] for link in chain["links"]], [first["id"], left["id"], right["id"]])
        self.assertIn("under way", chain["says"])
        self.enter(right, state="kept")
        self.assertIn("more than one thing was changed", self.call("GET", f"/api/runs/{first['id']}/chain")["says"])


class AtOnce(Log):
    def test_one_start_sent_from_two_windows_at_once_is_one_run(self) -> None:
        key = str(uuid.uuid4())
        told: list[int] = []

        def send() -> None:
            answer = self.app.test_client().post(f"/api/recipes/{self.column['id']}/runs", json={"key": key})
            told.append(answer.status_code)

        self.call("POST", f"/api/recipes/{self.column['id']}/estimate")
        threads = [threading.Thread(target=send) for _ in range(6)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(told, [201] * 6)
        self.assertEqual(self.call("GET", f"/api/runs?part_id={self.part['id']}")["total"], 1)

    def test_entries_at_once_are_one_and_a_refusal_and_the_spool_loses_it_once(self) -> None:
        spool = self.with_spool()
        run = self.start(spool_id=spool["id"])
        told: list[int] = []

        def send(weight: float) -> None:
            body = {"version": run["version"], "entry": {"state": "kept", "weight_g": weight}}
            told.append(self.app.test_client().patch(f"/api/runs/{run['id']}", json=body).status_code)

        threads = [threading.Thread(target=send, args=(5.0 + number,)) for number in range(5)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(sorted(told), [200, 409, 409, 409, 409])
        weight = self.call("GET", f"/api/runs/{run['id']}")["weight_g"]
        self.assertAlmostEqual(self.shelf("spools", spool["id"])["left_g"], 500 - weight)

    def test_runs_that_share_a_spool_and_a_machine_book_at_once_without_losing_any(self) -> None:
        self.fitted()
        spool = self.with_spool()
        runs = [self.start(spool_id=spool["id"]) for _ in range(6)]
        hours = self.shelf("machines", self.column["machine_id"])["hours_run"]
        told: list[int] = []

        def send(run: dict[str, Any]) -> None:
            body = {"version": run["version"], "entry": {"state": "kept", "weight_g": 3.0, "time_s": 3600}}
            told.append(self.app.test_client().patch(f"/api/runs/{run['id']}", json=body).status_code)

        threads = [threading.Thread(target=send, args=(run,)) for run in runs]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        stored = told.count(200)
        self.assertEqual(set(told) - {200, 409}, set())  # two at the very same moment: one is asked to send again
        self.assertGreaterEqual(stored, 1)
        self.assertAlmostEqual(self.shelf("spools", spool["id"])["left_g"], 500 - 3.0 * stored)
        around = (runs[0]["prediction"]["whole_time_s"] - runs[0]["prediction"]["print_time_s"]) / 3600
        after = self.shelf("machines", self.column["machine_id"])["hours_run"]
        self.assertAlmostEqual(after - hours, stored * (1 + around), places=6)


class Rights(Log):
    def test_a_guest_at_the_machine_starts_and_enters_and_cannot_delete_or_bring_tables(self) -> None:
        add_people(self.database, Ida="owner", Max="member", Gus="guest")
        app = network_app(self.database)
        guest, member = Browser(app), Browser(app)
        guest.sign_in("Gus")
        member.sign_in("Max")
        key = str(uuid.uuid4())
        run = guest.ask("POST", f"/api/recipes/{self.column['id']}/runs", {"key": key}).get_json()
        self.assertEqual(run["who"], "Gus")
        body = {"version": run["version"], "entry": {"state": "kept", "looks": 3}}
        told = guest.ask("PATCH", f"/api/runs/{run['id']}", body)
        self.assertEqual(told.status_code, 200, told.text)
        version = told.get_json()["version"]
        self.assertEqual(guest.ask("POST", f"/api/runs/{run['id']}/delete", {"version": version}).status_code, 403)
        self.assertEqual(guest.ask("POST", "/api/runs/import/preview").status_code, 403)
        self.assertEqual(guest.ask("GET", "/api/runs.csv").status_code, 200)
        noted = guest.ask(
            "POST", "/api/journal", {"key": key, "kind": "bed_cleaned", "machine_id": self.column["machine_id"]}
        )
        self.assertEqual((noted.status_code, noted.get_json()["who"]), (201, "Gus"))
        entry = noted.get_json()
        taken = f"/api/journal/{entry['id']}/delete"
        self.assertEqual(guest.ask("POST", taken, {"version": entry["version"]}).status_code, 403)
        self.assertEqual(member.ask("POST", taken, {"version": entry["version"]}).status_code, 200)
        self.assertEqual(member.ask("POST", f"/api/runs/{run['id']}/delete", {"version": version}).status_code, 200)
        nobody = Browser(app)
        for path in (
            f"/api/runs/{run['id']}/tag",
            "/api/runs.json",
            f"/api/labels.pdf?runs={run['id']}",
            "/api/faults",
        ):
            self.assertEqual(nobody.ask("GET", path).status_code, 401, path)
        # The page itself holds no data: whoever scans a label is asked to sign in.
        self.assertEqual(nobody.ask("GET", f"/run/{run['id']}").status_code, 200)
        with self.database.session.begin() as db:
            for table in ("sessions", "people"):
                db.execute(text(f"delete from {table}"))
