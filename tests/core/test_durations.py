import unittest

from meanbead.core.text.durations import duration, duration_difference


class Durations(unittest.TestCase):
    def test_are_as_exact_as_is_of_use(self) -> None:
        cases = {0: "0 s", 48: "48 s", 59.6: "1 min", 60: "1 min", 288: "4 min 48 s", 599.7: "10 min", 1080: "18 min"}
        cases |= {3569: "59 min", 3571: "1 h 00", 3600: "1 h 00", 3900: "1 h 05", 90_000: "25 h 00"}
        for seconds, words in cases.items():
            self.assertEqual(duration(seconds), words)

    def test_differences_have_a_sign_or_are_none(self) -> None:
        self.assertEqual(duration_difference(-1080), "−18 min")
        self.assertEqual(duration_difference(3900), "+1 h 05")
        self.assertEqual(duration_difference(-0.4), "same")


if __name__ == "__main__":
    unittest.main()
