"""Reasons for which a search leaves recipes out: counted by kind, told by the nearest."""

from __future__ import annotations

import math
import unittest

from hypothesis import given
from hypothesis import strategies as st

from meanbead.core.advise.ruled_out import Reason, Reasons, distance

KINDS = ("shell_mm", "flow", "ridge_mm", "cost", "time_s", "walls")
REASONS = st.lists(
    st.builds(Reason, st.sampled_from(KINDS), st.text("abc", min_size=1), st.floats(0, 1e6)), max_size=60
)


class Counting(unittest.TestCase):
    @given(REASONS)
    def test_the_commonest_are_told_by_the_one_that_came_nearest(self, reasons: list[Reason]) -> None:
        counted = Reasons()
        for reason in reasons:
            counted.add(reason)
        told = counted.commonest()
        self.assertEqual(counted.count, len(reasons))
        by_kind = {kind: [one for one in reasons if one.kind == kind] for kind in KINDS}
        counts = sorted((len(ones) for ones in by_kind.values() if ones), reverse=True)
        self.assertEqual([one.count for one in told], counts[:4])
        nearest = [min(ones, key=lambda one: one.distance).sentence for ones in by_kind.values() if ones]
        for one in told:
            self.assertIn(one.sentence, [sentence[:1].upper() + sentence[1:] for sentence in nearest])

    def test_repeated_plans_are_counted_and_not_told(self) -> None:
        counted = Reasons()
        counted.add_repeated()
        self.assertEqual((counted.count, counted.commonest()), (1, []))

    def test_a_kind_without_numbers_keeps_its_first_sentence(self) -> None:
        counted = Reasons()
        counted.add(Reason("machine contradiction", "first"))
        counted.add(Reason("machine contradiction", "second"))
        self.assertEqual([one.sentence for one in counted.commonest()], ["First"])

    def test_distances(self) -> None:
        self.assertEqual(distance(3.0, 5.0), 2.0)
        self.assertEqual((distance(None, 5.0), distance(3.0, None)), (math.inf, math.inf))

    def test_what_heights_and_widths_decide(self) -> None:
        self.assertTrue(Reason("line_width_mm.outer_wall contradiction", "").of_shape)
        self.assertFalse(Reason("flow", "").of_shape)
