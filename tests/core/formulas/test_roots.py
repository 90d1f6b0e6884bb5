"""Roots and zeros against SciPy's, bit for bit, and against closed forms."""

from __future__ import annotations

import math
import unittest

import numpy as np
from scipy.optimize import brentq
from scipy.special import j1, jn_zeros

from meanbead.core.formulas.bessel import J0_ZEROS, J1_AT_J0_ZEROS
from meanbead.core.formulas.roots import root_between
from tests.running.effort import cases


class Roots(unittest.TestCase):
    def test_every_step_is_scipys(self) -> None:
        random = np.random.default_rng(8)
        for _ in range(cases(400, 5000)):
            a, b, c = random.uniform(-3, 3, 3).tolist()
            root = random.uniform(-5, 5)
            kinds = (
                lambda x, a=a, b=b, root=root: (x - root) * (1 + (x - a) ** 2) + 0 * b,
                lambda x, a=a, root=root: math.exp(min(50, a * x)) - math.exp(min(50, a * root)) if a else x - root,
                lambda x, root=root: math.copysign(abs(x - root) ** 0.3, x - root),
                lambda x, b=b, c=c, root=root: math.atan(b * (x - root)) + 1e-9 * c * (x - root),
            )
            low, high = root - random.uniform(0.1, 40), root + random.uniform(0.1, 40)
            for function in kinds:
                if (function(low) < 0) == (function(high) < 0):
                    continue
                self.assertEqual(root_between(function, low, high), brentq(function, low, high))
                self.assertEqual(root_between(function, low, high, 1e-6), brentq(function, low, high, xtol=1e-6))

    def test_known_roots(self) -> None:
        self.assertAlmostEqual(root_between(math.cos, 1, 2), math.pi / 2, places=11)
        self.assertAlmostEqual(root_between(lambda x: x**3 - 2, 0, 3), 2 ** (1 / 3), places=11)

    def test_a_root_at_a_bound_is_it(self) -> None:
        self.assertEqual(root_between(lambda x: x - 1, 1, 3), 1)
        self.assertEqual(root_between(lambda x: x - 3, 1, 3), 3)

    def test_no_change_of_sign_is_refused(self) -> None:
        with self.assertRaisesRegex(ValueError, "same sign"):
            root_between(lambda x: x * x + 1, -1, 1)


class Zeros(unittest.TestCase):
    def test_are_scipys(self) -> None:
        np.testing.assert_array_equal(J0_ZEROS, jn_zeros(0, 60))
        np.testing.assert_array_equal(J1_AT_J0_ZEROS, j1(J0_ZEROS))
