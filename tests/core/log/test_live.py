"""A print followed: states from what a machine says, ends with intervals that hold, causes that were really there."""

import unittest

import numpy as np

from meanbead.core.errors import MeanBeadError
from meanbead.core.estimate.ledger import CAUSES
from meanbead.core.gcode.inspect import TrackPoint
from meanbead.core.log.follow import Followed, Heard, PrintState, follow
from meanbead.core.log.live import SCATTER, Seen, ahead_of, behind_by, predicted_end, track_at


def track(seconds: float = 3600.0, steps: int = 100, seed: int = 0) -> list[TrackPoint]:
    """A file's course with causes that change their shares as it goes."""
    rng = np.random.default_rng(seed)
    shares = rng.dirichlet(np.ones(len(CAUSES)), steps)
    causes = np.vstack([np.zeros(len(CAUSES)), np.cumsum(shares * seconds / steps, axis=0)])
    return [
        TrackPoint(byte=1000 + 500 * k, time_s=float(row.sum()), by_cause_s=row.tolist(), height_mm=0.2 * k, layer=k)
        for k, row in enumerate(causes)
    ]


def looks(
    course: list[TrackPoint], factors: dict[str, float], until: float, stop: tuple[int, float] | None = None
) -> list[Seen]:
    """What is seen of a print whose causes take longer by factors, up to a share of it, with a stop at a point."""
    by = np.array([factors.get(cause, 1.0) for cause in CAUSES])
    made = []
    for k, point in enumerate(course[: int(until * len(course))]):
        real = float(np.array(point.by_cause_s) @ by) + (stop[1] if stop and k >= stop[0] else 0.0)
        made.append(Seen(byte=point.byte, printing_s=real))
    return made


class Ahead(unittest.TestCase):
    def test_between_points_in_proportion(self) -> None:
        course = track()
        planned, causes, _, _ = track_at(course, 1250)
        self.assertAlmostEqual(planned, course[1].time_s / 2)
        self.assertAlmostEqual(sum(causes), planned)
        self.assertEqual(track_at(course, 0)[0], 0.0)
        self.assertEqual(track_at(course, 10**9)[0], course[-1].time_s)
        with self.assertRaises(MeanBeadError):
            track_at([], 1)

    def test_before_a_tenth_the_interval_beforehand_stands(self) -> None:
        left, low, high, factor = predicted_end(100, 3600, 150, 1.1, 0.95, 1.25)
        self.assertEqual(factor, 1.1)
        self.assertAlmostEqual(left, 3500 * 1.1)
        self.assertAlmostEqual(low, 3500 * 0.95)
        self.assertAlmostEqual(high, 3500 * 1.25)

    def test_the_interval_narrows_and_comes_to_what_is_seen(self) -> None:
        spans = []
        for share in (0.1, 0.2, 0.4, 0.6, 0.8, 0.95):
            left, low, high, factor = predicted_end(3600 * share, 3600, 1.08 * 3600 * share, 1.0, 0.8, 1.2)
            spans.append(high - low)
            self.assertLess(low, left)
        self.assertEqual(spans, sorted(spans, reverse=True))
        self.assertAlmostEqual(factor, 1.08, delta=0.005)
        self.assertEqual(predicted_end(3600, 3600, 4000, 1, 0.9, 1.1)[0], 0.0)

    def test_nine_of_ten_ends_fall_into_it(self) -> None:
        # Prints of the very model: a factor of their own, and tenths that scatter about it.
        rng = np.random.default_rng(7)
        held: dict[float, list[bool]] = {0.1: [], 0.3: [], 0.5: [], 0.8: []}
        for _ in range(1500):
            whole = rng.normal(1.0, 0.1)
            tenths = 360 * (whole + rng.normal(0, SCATTER, 10))
            for share in held:
                count = round(10 * share)
                _, low, high, _ = predicted_end(360 * count, 3600, float(tenths[:count].sum()), 1.0, 1 - 0.1645, 1.1645)
                held[share].append(low <= tenths[count:].sum() <= high)
        for share, inside in held.items():
            self.assertAlmostEqual(float(np.mean(inside)), 0.9, delta=0.025, msg=str(share))

    def test_progress_of_a_look(self) -> None:
        course = track()
        progress = ahead_of(course, Seen(byte=course[50].byte, printing_s=2000), 1.0, 0.9, 1.1)
        self.assertAlmostEqual(progress.share, 0.5)
        self.assertEqual((progress.layer, progress.layers, progress.by), (51, 100, "both"))
        self.assertTrue(progress.low_s < progress.left_s < progress.high_s)


class Behind(unittest.TestCase):
    def test_the_cause_that_is_there_is_named(self) -> None:
        found = 0
        for seed in range(12):
            course = track(seed=seed)
            for cause in ("ramps", "corners", "travelling", "retracting", "at_set_speed"):
                told = behind_by(course, looks(course, {cause: 1.5}, 0.6))
                assert told is not None
                self.assertIn(told.fits, ("cause", "unclear"))
                if told.fits == "cause":
                    self.assertEqual(told.cause, cause)
                    self.assertAlmostEqual(told.factor, 1.5, delta=0.02)
                    found += 1
        self.assertGreaterEqual(found, 55)

    def test_everything_alike_and_one_stop(self) -> None:
        course = track(seed=3)
        told = behind_by(course, looks(course, dict.fromkeys(CAUSES, 1.1), 0.5))
        assert told is not None
        self.assertEqual(told.fits, "all")
        self.assertIn("10 % longer", told.says)
        stopped = behind_by(course, looks(course, {}, 0.5, stop=(20, 240.0)))
        assert stopped is not None
        self.assertEqual(stopped.fits, "stop")
        self.assertIn("4 min", stopped.says)

    def test_what_runs_as_planned_or_is_hardly_begun_says_nothing(self) -> None:
        course = track()
        self.assertIsNone(behind_by(course, looks(course, {}, 0.6)))
        self.assertIsNone(behind_by(course, looks(course, {"ramps": 1.02}, 0.6)))
        self.assertIsNone(behind_by(course, looks(course, {"ramps": 2.0}, 0.1)))
        self.assertIsNone(behind_by(course, looks(course, {"ramps": 2.0}, 0.6)[:4]))
        self.assertIsNone(behind_by([], looks(course, {"ramps": 2.0}, 0.6)))

    def test_noise_is_no_cause(self) -> None:
        rng = np.random.default_rng(2)
        wrong = 0
        for seed in range(20):
            course = track(seed=seed)
            seen = looks(course, {}, 0.7)
            off = np.cumsum(rng.normal(0.04 * 36, 12, len(seen)))
            noisy = [
                Seen(byte=one.byte, printing_s=one.printing_s + float(more))
                for one, more in zip(seen, off, strict=True)
            ]
            told = behind_by(course, noisy)
            wrong += told is not None and told.fits == "cause"
        self.assertLessEqual(wrong, 2)


class Follow(unittest.TestCase):
    def setUp(self) -> None:
        self.course = track()

    def follow(self, state: PrintState, known: Followed, **heard: object) -> tuple[PrintState, Followed]:
        return follow(state, known, Heard.model_validate(heard), self.course, 2.0)

    def printing(self, share: float = 0.5, began: float = 100.0) -> Followed:
        point = self.course[int(share * 100)]
        return Followed(began_clock_s=began, clock_s=began + point.time_s, byte=point.byte)

    def test_heating_then_printing(self) -> None:
        state, known = self.follow("starting", Followed(clock_before_s=7), printing=True, byte=90, clock_s=30)
        self.assertEqual((state, known.began_clock_s), ("printing", None))
        state, known = self.follow(state, known, printing=True, byte=self.course[1].byte, clock_s=140)
        self.assertAlmostEqual(known.began_clock_s or 0, 140 - self.course[1].time_s)
        self.assertEqual(len(known.looks), 1)

    def test_the_end_that_was_heard(self) -> None:
        state, known = self.follow("printing", self.printing(0.9), printing=False, done=True, clock_s=3800)
        self.assertEqual((state, known.real_s, known.real_means), ("done", 3800 - 100 - 2, "printing"))
        state, known = self.follow("printing", Followed(clock_s=50), printing=False, done=True, clock_s=3800)
        self.assertEqual((known.real_s, known.real_means), (3800, "with_heating"))

    def test_an_end_that_nobody_heard_counts_only_where_nothing_else_fits(self) -> None:
        cases: list[tuple[Followed, float | None, str]] = [
            (self.printing(0.5), 3900.0, "done"),
            (self.printing(0.98), 3650.0, "done"),
            (self.printing(0.5), 2100.0, "unknown"),  # somebody stopped it at the machine
            (self.printing(0.5), 0.0, "unknown"),  # its clock began anew
            (self.printing(0.98), 0.0, "unknown"),
            (self.printing(0.5), None, "printing"),  # it did not say
        ]
        for known, clock, expected in cases:
            with self.subTest(clock=clock, byte=known.byte):
                heard = {"printing": None if clock is None else False, "clock_s": clock}
                self.assertEqual(self.follow("printing", known, **heard)[0], expected)

    def test_a_restart_is_never_an_end(self) -> None:
        for share in (0.1, 0.5, 0.99):
            heard = {"printing": False, "clock_s": 0.0, "restarted": True}
            state, known = self.follow("printing", self.printing(share), **heard)
            self.assertEqual((state, known.real_s), ("unknown", None))

    def test_another_print_on_the_machine_is_not_taken_for_this_one(self) -> None:
        known = self.printing(0.5)
        state, known = self.follow("printing", known, printing=True, byte=known.byte + 9000, clock_s=40.0)
        self.assertEqual((state, known.real_s), ("unknown", None))
        self.assertIn("something else", known.says)

    def test_the_word_to_start_that_may_not_have_arrived(self) -> None:
        before = Followed(clock_before_s=777.0)
        for clock, expected in ((777.0, "sent"), (0.0, "sent"), (None, "sent"), (3700.0, "done"), (300.0, "unknown")):
            with self.subTest(clock=clock):
                self.assertEqual(self.follow("starting", before, printing=False, clock_s=clock)[0], expected)
        self.assertEqual(self.follow("starting", before, printing=False, restarted=True, clock_s=0)[0], "sent")

    def test_a_pause_stands_whatever_is_said_of_it(self) -> None:
        known = self.printing(0.4)
        state, known = self.follow("paused", known, printing=True, byte=known.byte + 300, clock_s=known.clock_s)
        self.assertEqual(state, "paused")
        state, known = self.follow("paused", known, printing=False, clock_s=known.clock_s)
        self.assertEqual(state, "paused")
        state, _ = self.follow("paused", known, printing=True, byte=known.byte + 900, clock_s=known.clock_s + 60)
        self.assertEqual(state, "printing")

    def test_what_has_ended_stays_so_and_looks_stay_few(self) -> None:
        for state in ("done", "unknown", "stopped", "sent", "failed"):
            self.assertEqual(self.follow(state, Followed(), printing=True, byte=5, clock_s=5)[0], state)
        known = Followed(began_clock_s=0.0)
        for k in range(2000):
            _, known = self.follow("printing", known, printing=True, byte=1001 + 20 * k, clock_s=1.5 * k)
        self.assertLessEqual(len(known.looks), 160)
        bytes_ = [look.byte for look in known.looks]
        self.assertEqual(bytes_, sorted(bytes_))
        self.assertEqual(bytes_[-1], 1001 + 20 * 1999)


if __name__ == "__main__":
    unittest.main()
