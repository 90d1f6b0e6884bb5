import unittest

import numpy as np
import shapely

from meanbead.core.geometry.offsets import inset
from meanbead.core.runtime.elementwise import ElementMemory


class Memory(unittest.TestCase):
    def setUp(self) -> None:
        self.asked: list[int] = []

    def shrink(self, regions: np.ndarray, depth: np.ndarray) -> np.ndarray:
        self.asked.append(len(regions))
        return inset(regions, depth)

    def test_only_what_is_new_is_made_and_the_answer_is_one_object(self) -> None:
        memory = ElementMemory(1_000_000)
        boxes = np.array([shapely.box(0, 0, k, k) for k in (4, 6, 8)], dtype=object)
        first = memory.apply("a", self.shrink, boxes[[0, 1, 0]], np.array([1.0, 1.0, 1.0]))
        again = memory.apply("a", self.shrink, boxes, np.array([1.0, 2.0, 1.0]))
        self.assertEqual(self.asked, [2, 2])
        self.assertIs(first[0], first[2])
        self.assertIs(again[0], first[0])
        self.assertEqual(shapely.area(again).tolist(), [4, 4, 36])
        memory.apply("b", self.shrink, boxes[:1], np.array([1.0]))
        self.assertEqual(self.asked, [2, 2, 1], "another function has answers of its own")

    def test_it_stays_within_its_bytes_and_lets_the_oldest_go(self) -> None:
        memory = ElementMemory(5_000)
        boxes = np.array([shapely.box(0, 0, k, k) for k in range(4, 24)], dtype=object)
        for k in range(20):
            memory.apply("a", self.shrink, boxes[k : k + 1], np.ones(1))
            self.assertLessEqual(memory.nbytes, 5_000)
        self.asked.clear()
        memory.apply("a", self.shrink, boxes[-1:], np.ones(1))
        self.assertEqual(self.asked, [])
        memory.apply("a", self.shrink, boxes[:1], np.ones(1))
        self.assertEqual(self.asked, [1])

    def test_a_name_is_not_taken_by_another_geometry(self) -> None:
        """Geometries that nobody else holds any more would give their names to new ones."""
        memory = ElementMemory(10_000_000)
        for k in range(2, 400):
            found = memory.apply("a", self.shrink, np.array([shapely.box(0, 0, k, k)], dtype=object), np.full(1, 0.5))
            self.assertEqual(found[0].area, (k - 1) ** 2)


if __name__ == "__main__":
    unittest.main()
