import threading
import unittest
from itertools import pairwise

import numpy as np

from meanbead.core.parallel import halves, in_threads, spread


class Threads(unittest.TestCase):
    def test_work_within_work_does_not_wait_for_itself(self) -> None:
        def outer(number: int) -> int:
            return sum(in_threads(lambda k: k * number, range(50)))

        done: list[list[int]] = []
        worker = threading.Thread(target=lambda: done.append(in_threads(outer, range(20))), daemon=True)
        worker.start()
        worker.join(timeout=30)
        self.assertEqual(done, [[1225 * number for number in range(20)]])

    def test_order_and_errors_come_through(self) -> None:
        self.assertEqual(in_threads(lambda k: k * k, range(30)), [k * k for k in range(30)])
        with self.assertRaises(ZeroDivisionError):
            in_threads(lambda k: 1 // k, (1, 0))

    def test_spread_does_not_depend_on_its_pieces(self) -> None:
        values = np.array(list(range(101)), dtype=object)
        np.testing.assert_array_equal(spread(lambda a, b: a * b, values, values), values * values)
        np.testing.assert_array_equal(spread(lambda a: a + 1, values[:3]), values[:3] + 1)

    def test_halves_cover_all(self) -> None:
        for count in (0, 1, 49_999, 50_000, 99_999):
            parts = halves(count)
            self.assertEqual((parts[0][0], parts[-1][1]), (0, count))
            self.assertTrue(all(a[1] == b[0] for a, b in pairwise(parts)))
