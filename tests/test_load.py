"""A short form of ``python -m benchmarks.load``: several people at once, some of them computing, and nothing goes wrong.

How quick it is stands in docs/performance.md; times are no test.
"""

import asyncio
import unittest
from concurrent.futures import ThreadPoolExecutor

import httpx

from benchmarks.load import PASSPHRASE, crowd, served
from tests.running.effort import cases
from tests.support.patience import START_S


class Load(unittest.TestCase):
    def test_nobody_gets_an_error_and_edits_go_through_while_others_compute(self) -> None:
        with served(cases(3, 14)) as (address, _):
            httpx.post(
                f"{address}/api/owner", json={"name": "Ida", "passphrase": PASSPHRASE}, timeout=START_S
            ).raise_for_status()
            with ThreadPoolExecutor(1) as apart:  # a loop of its own, whatever else runs in this process
                seen = apart.submit(
                    asyncio.run, crowd(address, people=cases(5, 10), computing=cases(1, 2), seconds=cases(2, 60))
                ).result()
        self.assertEqual(seen.errors, [])
        for kind in ("bench", "edit", "first answer"):
            self.assertGreater(len(seen.times_s[kind]), 0, kind)


if __name__ == "__main__":
    unittest.main()
