import unittest

from tests.support.killing import TARGETS, rounds


class Killing(unittest.TestCase):
    """A short version of ``python -m tests.support.killing``: each process once, at a random moment."""

    def test_nothing_acknowledged_is_lost_and_every_job_ends(self) -> None:
        done = rounds(len(TARGETS), seed=7)
        self.assertGreater(done.acknowledged, 3)


if __name__ == "__main__":
    unittest.main()
