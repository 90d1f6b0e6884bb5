import json
import unittest
from pathlib import Path

from meanbead.core.text.durations import duration, duration_difference


class Durations(unittest.TestCase):
    def test_are_as_exact_as_is_of_use(self) -> None:
        # The pages are held to the same cases: ui/src/lib/format.test.ts.
        cases = json.loads(Path(__file__).resolve().parents[2].joinpath("support", "durations.json").read_text())
        self.assertGreater(len(cases), 10)
        for seconds, words in cases:
            self.assertEqual(duration(seconds), words)

    def test_differences_have_a_sign_or_are_none(self) -> None:
        self.assertEqual(duration_difference(-1080), "−18 min")
        self.assertEqual(duration_difference(3900), "+1 h 05")
        self.assertEqual(duration_difference(-0.4), "same")


if __name__ == "__main__":
    unittest.main()
