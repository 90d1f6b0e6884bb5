import faulthandler
import random
import threading
import time
import unittest
from collections.abc import Callable
from itertools import pairwise
from unittest.mock import patch

import numpy as np
import shapely

from meanbead.core.estimate.engine import Engine
from meanbead.core.estimate.job import PrintJob
from meanbead.core.model import Recipe
from meanbead.core.runtime.cache import BoundedCache
from meanbead.core.runtime.parallel import halves, ordered_map, parallel_apply, parallel_map, steered_map
from tests.support.patience import PATIENCE_S
from tests.support.solids import block, solid_of


def finishes(work: Callable[[], object], within_s: float = PATIENCE_S) -> bool:
    """Run work in a thread; whether it ended in time. Where it did not, every thread's stack is printed."""
    thread = threading.Thread(target=work, daemon=True)
    thread.start()
    thread.join(within_s)
    if thread.is_alive():
        faulthandler.dump_traceback(all_threads=True)
    return not thread.is_alive()


class NeverStuck(unittest.TestCase):
    """Threads that wait for each other's results while all of them want the pool."""

    def test_estimates_beside_a_search_that_computes_the_same_recipes(self) -> None:
        solid = solid_of(
            block(30, 30, 6)
            - sum((block(4, 4, 9, (6 * k + 3, 13, -1)) for k in range(1, 4)), block(4, 4, 9, (3, 3, -1)))
        )
        jobs = [PrintJob(solid, Recipe(walls=walls)) for walls in (2, 3)]
        for attempt in range(12):
            engine = Engine()
            threads = [
                threading.Thread(target=lambda job=job, engine=engine: engine.estimate(job), daemon=True)
                for job in jobs
            ]

            def work(threads: list[threading.Thread] = threads, engine: Engine = engine) -> None:
                for thread in threads:
                    thread.start()
                list(ordered_map(engine.estimate, jobs))
                for thread in threads:
                    thread.join()

            self.assertTrue(finishes(work), f"stuck at attempt {attempt + 1}")

    def test_items_that_wait_for_a_value_which_is_made_with_the_pool(self) -> None:
        # The narrow case: every item's thread waits for one value, and whoever makes that needs threads to make it.
        cache: BoundedCache[list[int]] = BoundedCache(10_000, len)
        begun = threading.Event()

        def make() -> list[int]:
            begun.set()
            time.sleep(0.05)  # until the items stand waiting
            return parallel_map(lambda k: k * k, range(64))

        maker = threading.Thread(target=lambda: cache.get("value", make), daemon=True)

        def work() -> None:
            maker.start()
            begun.wait()
            self.assertEqual(len(list(ordered_map(lambda _: cache.get("value", make), range(16)))), 16)
            maker.join()

        self.assertTrue(finishes(work, 30))

    def test_work_is_done_by_whoever_asks_when_no_thread_is_free(self) -> None:
        let_go = threading.Event()
        busy = [
            threading.Thread(target=parallel_map, args=(lambda _: let_go.wait(PATIENCE_S), range(8)), daemon=True)
            for _ in range(4)
        ]
        for thread in busy:
            thread.start()
        try:
            self.assertTrue(
                finishes(lambda: self.assertEqual(parallel_map(lambda k: k + 1, range(50)), list(range(1, 51))), 20)
            )
        finally:
            let_go.set()
            for thread in busy:
                thread.join()


class Threads(unittest.TestCase):
    def test_work_within_work_does_not_wait_for_itself(self) -> None:
        def outer(number: int) -> int:
            return sum(parallel_map(lambda k: k * number, range(50)))

        done: list[list[int]] = []
        worker = threading.Thread(target=lambda: done.append(parallel_map(outer, range(20))), daemon=True)
        worker.start()
        worker.join(timeout=PATIENCE_S)
        self.assertEqual(done, [[1225 * number for number in range(20)]])

    def test_order_and_errors_come_through(self) -> None:
        self.assertEqual(parallel_map(lambda k: k * k, range(30)), [k * k for k in range(30)])
        with self.assertRaises(ZeroDivisionError):
            parallel_map(lambda k: 1 // k, (1, 0))

    def test_estimates_side_by_side_on_the_same_sections_are_those_of_each_alone(self) -> None:
        # Prepared geometry that two threads share has ended the process: sections are shared, preparations are not.
        solid = solid_of(
            block(40, 40, 4)
            - sum((block(4, 4, 9, (6 * k + 3, 18, -1)) for k in range(1, 6)), block(4, 4, 9, (3, 3, -1)))
        )
        jobs = [PrintJob(solid, Recipe(walls=walls)) for walls in (1, 2, 3, 4)]
        alone = [Engine(0).estimate(job) for job in jobs]
        for _ in range(4):
            together: dict[int, object] = {}
            engine = Engine()

            def work(k: int, engine: Engine = engine, found: dict[int, object] = together) -> None:
                found[k] = engine.estimate(jobs[k])

            threads = [threading.Thread(target=work, args=(k,)) for k in range(len(jobs))]
            for thread in threads:
                thread.start()
            for thread in threads:
                thread.join(60)
            self.assertEqual([together.get(k) for k in range(len(jobs))], alone)

    def test_alike_geometries_are_worked_out_once(self) -> None:
        boxes = np.array([shapely.box(0, 0, 1 + k % 3, 2) for k in range(30)], dtype=object)
        depth = np.where(np.arange(30) < 15, 0.1, 0.2)
        worked: list[int] = []

        def shrink(region: np.ndarray, by: np.ndarray) -> np.ndarray:
            worked.append(len(region))
            return np.asarray(shapely.buffer(region, -by), dtype=object)

        found = parallel_apply(shrink, boxes, depth)
        self.assertEqual(sum(worked), 6)
        np.testing.assert_array_equal(shapely.to_wkb(found), shapely.to_wkb(shapely.buffer(boxes, -depth)))
        worked.clear()
        # The same area and as many corners, but elsewhere: not alike.
        moved = np.array([shapely.box(k, 0, k + 1, 2) for k in range(30)], dtype=object)
        parallel_apply(shrink, moved, np.full(30, 0.1))
        self.assertEqual(sum(worked), 30)

    def test_a_few_and_empty_geometries_come_through(self) -> None:
        few = np.array([shapely.box(0, 0, 1, 1), shapely.MultiPolygon()] * 5, dtype=object)
        found = parallel_apply(lambda region: np.asarray(shapely.buffer(region, 0.1), dtype=object), few)
        self.assertEqual([bool(shapely.is_empty(item)) for item in found], [False, True] * 5)

    def test_spread_does_not_depend_on_its_pieces(self) -> None:
        values = np.array(list(range(101)), dtype=object)
        np.testing.assert_array_equal(parallel_apply(lambda a, b: a * b, values, values), values * values)
        np.testing.assert_array_equal(parallel_apply(lambda a: a + 1, values[:3]), values[:3] + 1)

    def test_halves_cover_all(self) -> None:
        for count in (0, 1, 49_999, 50_000, 99_999):
            parts = halves(count)
            self.assertEqual((parts[0][0], parts[-1][1]), (0, count))
            self.assertTrue(all(a[1] == b[0] for a, b in pairwise(parts)))


class OneAfterTheOther(unittest.TestCase):
    """Results in the items' order while a few items ahead are at work."""

    def test_comes_in_order_whatever_takes_longest(self) -> None:
        def slow_first(item: int) -> int:
            time.sleep(0.05 if item == 0 else 0.0)
            return item * item

        self.assertEqual(list(ordered_map(slow_first, range(12))), [item * item for item in range(12)])
        self.assertEqual(list(ordered_map(slow_first, [])), [])

    def test_whoever_stops_asking_lets_no_more_begin(self) -> None:
        begun: list[int] = []

        def note(item: int) -> int:
            begun.append(item)
            return item

        for found in ordered_map(note, range(1000)):
            if found == 3:
                break
        time.sleep(0.05)
        self.assertLess(len(begun), 30)

    def test_an_error_comes_out_at_its_turn(self) -> None:
        def fails_at_two(item: int) -> int:
            if item == 2:
                raise ValueError("two")
            return item

        seen = []
        with self.assertRaisesRegex(ValueError, "two"):
            for found in ordered_map(fails_at_two, range(6)):
                seen += [found]
        self.assertEqual(seen, [0, 1])


class Steered(unittest.TestCase):
    def chosen(self, cores: int) -> tuple[list[int], list[int]]:
        """Items whose choice hangs on all results so far; how long each takes is another on every run."""
        chosen: list[int] = []
        taken: list[int] = []

        def choose() -> int | None:
            if len(chosen) == 40:
                return None
            chosen.append((7 * sum(taken) + 3 * len(taken) + len(chosen)) % 1000)
            return chosen[-1]

        def work(item: int) -> int:
            time.sleep(random.random() / 500)
            return item + 1

        with patch("meanbead.core.runtime.parallel.CORES", cores):
            steered_map(work, choose, taken.append, 4)
        return chosen, taken

    def test_choices_do_not_hang_on_the_number_of_cores_or_on_who_is_first(self) -> None:
        alone = self.chosen(1)
        self.assertEqual(alone[1], [item + 1 for item in alone[0]])
        for _ in range(3):
            self.assertEqual(self.chosen(2), alone)

    def test_what_comes_late_may_give_more_to_choose(self) -> None:
        ahead, taken = [1], []

        def take(item: int) -> None:
            taken.append(item)
            if item < 5:
                ahead.append(item + 1)

        steered_map(lambda item: item, lambda: ahead.pop() if ahead else None, take, 4)
        self.assertEqual(taken, [1, 2, 3, 4, 5])

    def test_what_fails_is_raised(self) -> None:
        items = iter([1, 0, 2])
        with self.assertRaises(ZeroDivisionError):
            steered_map(lambda item: 1 // item, lambda: next(items, None), lambda found: None, 2)


class Updated(unittest.TestCase):
    def test_what_many_threads_add_is_all_kept(self) -> None:
        cache: BoundedCache[frozenset[int]] = BoundedCache(1_000_000, len)

        def add(number: int) -> None:
            def change(held: frozenset[int] | None) -> frozenset[int]:
                time.sleep(0.0002)
                return (held or frozenset()) | {number}

            cache.update("key", change)

        threads = [threading.Thread(target=add, args=(number,)) for number in range(60)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join(PATIENCE_S)
        self.assertEqual(cache.peek("key"), frozenset(range(60)))
