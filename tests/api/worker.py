"""Cases with a worker on the same database."""

from __future__ import annotations

import time
from typing import Any, ClassVar

from meanbead.core.estimate import Engine
from meanbead.jobs.worker import WorkerThread
from meanbead.store import jobs
from tests.api.test_api import ApiCase
from tests.support.patience import PATIENCE_S


class WorkerCase(ApiCase):
    """Jobs from the request to the result."""

    worker: ClassVar[WorkerThread]

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.worker = WorkerThread(cls.database, Engine())
        cls.worker.start()

    @classmethod
    def tearDownClass(cls) -> None:
        cls.worker.stop()
        super().tearDownClass()

    def wait(self, job: dict[str, Any]) -> dict[str, Any]:
        until = time.monotonic() + PATIENCE_S
        while time.monotonic() < until:
            if job["state"] not in jobs.UNDER_WAY:
                return job
            time.sleep(0.03)
            job = self.call("GET", f"/api/jobs/{job['id']}")
        self.fail(f"the job does not end: {job}")
