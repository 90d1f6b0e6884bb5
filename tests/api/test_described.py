"""The API asked by its own description: nothing that a request can hold is a server error.

The long version: ``MEANBEAD_FUZZ=100 .venv/bin/python -m tests tests.api.test_described``; see docs/formats.md.
"""

from __future__ import annotations

import io
import logging
import os
import unittest
from typing import Any

import schemathesis
import trimesh
from hypothesis import HealthCheck, Phase, given, settings
from schemathesis import Case

from meanbead.api import create_app
from meanbead.core.estimate import Engine
from meanbead.services.dispatch import Dispatch
from tests.running.effort import cases
from tests.support.server import new_database
from tests.support.solids import stl_bytes

EXAMPLES = int(os.environ.get("MEANBEAD_FUZZ", "0")) or cases(1, 100)


class Described(unittest.TestCase):
    def test_every_answer_is_one_that_a_client_can_read(self) -> None:
        database = new_database("described", usual=True)
        app = create_app(database, Engine(), dispatch=Dispatch(database))
        for size in (10, 12, 14):
            form = {"file": (io.BytesIO(stl_bytes(trimesh.creation.box((size, size, 2)))), "box.stl")}
            self.assertEqual(app.test_client().post("/api/parts", data=form).status_code, 201)
        schema: Any = schemathesis.openapi.from_wsgi("/api/openapi.json", app)
        logging.getLogger("meanbead.jobs.queue").setLevel(logging.ERROR)
        self.asked = 0
        for found in schema.get_all_operations():
            operation = found.ok()
            # A console's address would be connected to, whatever it is.
            if "/console" not in operation.path:
                with self.subTest(operation=operation.label):
                    self.ask(operation)
        database.close()
        self.assertGreater(self.asked, 40)

    def ask(self, operation: Any) -> None:
        responses = operation.definition.raw["responses"]

        @settings(
            max_examples=EXAMPLES,
            deadline=None,
            derandomize=True,
            database=None,
            phases=[Phase.explicit, Phase.generate],
            suppress_health_check=list(HealthCheck),
        )
        @given(case=operation.as_strategy())
        def once(case: Case) -> None:
            self.asked += 1
            # Every other request is about rows that there are; the rest about any number.
            if self.asked % 2 and case.path_parameters:
                for name, value in case.path_parameters.items():
                    if isinstance(value, int):
                        case.path_parameters[name] = value % 3 + 1
            answer = case.call()
            said = f"{case.method} {case.formatted_path} {str(case.body)[:300]}: {answer.status_code} {answer.content[:300]!r}"
            self.assertLess(answer.status_code, 500, said)
            kind = answer.headers.get("content-type", [""])[0].split(";")[0]
            if answer.status_code >= 400:
                self.assertEqual(kind, "application/problem+json", said)
                problem = answer.json()
                self.assertTrue(problem["title"] and problem["detail"], said)
                self.assertEqual(problem["status"], answer.status_code, said)
            else:
                media = responses.get(str(answer.status_code), {}).get("content", {})
                self.assertTrue(not media or kind in media, said)

        once()


if __name__ == "__main__":
    unittest.main()
