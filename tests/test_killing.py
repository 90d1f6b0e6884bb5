import unittest

from tests.running.effort import cases
from tests.support.killing import TARGETS, rounds


class Killing(unittest.TestCase):
    """Each process killed once at a random moment; 200 times in the long check."""

    def test_nothing_acknowledged_is_lost_and_every_job_ends(self) -> None:
        done = rounds(cases(len(TARGETS), 200), seed=7)
        self.assertGreater(done.acknowledged, 3)


if __name__ == "__main__":
    unittest.main()
