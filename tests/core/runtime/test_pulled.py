"""Work that goes on only while somebody asks."""

from __future__ import annotations

import threading
import unittest
from collections.abc import Iterator

from meanbead.core.errors import RecipeError
from meanbead.core.runtime.pulled import First, Pulled


class Pulling(unittest.TestCase):
    def test_each_look_goes_on_where_the_last_one_stopped(self) -> None:
        begun: list[int] = []

        def count() -> Iterator[int]:
            for number in range(4):
                begun.append(number)
                yield number

        work = Pulled(count)
        self.assertEqual(begun, [])
        self.assertEqual(work.pull(0), (0, False))
        self.assertEqual(begun, [0])
        self.assertEqual(work.pull(60), (3, True))
        self.assertEqual(work.pull(0), (3, True))
        self.assertEqual(begun, [0, 1, 2, 3])

    def test_a_look_ends_early_while_other_work_goes_first(self) -> None:
        first = First()
        work = Pulled(lambda: iter(range(5)))
        with first, first:
            self.assertEqual(work.pull(60, first), (0, False))
            self.assertEqual(work.pull(60, first), (0, False))
        self.assertFalse(first.waiting)
        self.assertEqual(work.pull(60, first), (4, True))

    def test_what_went_wrong_is_said_at_every_look(self) -> None:
        def broken() -> Iterator[int]:
            yield 1
            raise RecipeError("It cannot be printed.")

        work = Pulled(broken)
        self.assertEqual(work.pull(0), (1, False))
        for _ in range(2):
            with self.assertRaises(RecipeError):
                work.pull(60)

    def test_what_has_passed_is_tried_anew(self) -> None:
        failing = [True]

        def once() -> Iterator[int]:
            if failing.pop() if failing else False:
                raise MemoryError
            yield 7

        work = Pulled(once)
        with self.assertRaises(MemoryError):
            work.pull(60)
        self.assertEqual(work.pull(60), (7, True))

    def test_nothing_to_answer(self) -> None:
        with self.assertRaises(ValueError):
            Pulled(lambda: iter(())).pull(1)

    def test_two_that_look_at_once_share_the_work(self) -> None:
        seen: list[int] = []

        def slow() -> Iterator[int]:
            for number in range(300):
                seen.append(number)
                yield number

        work = Pulled(slow)
        threads = [threading.Thread(target=work.pull, args=(5,)) for _ in range(4)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(seen, list(range(300)))


if __name__ == "__main__":
    unittest.main()
