"""Sets of corners against SciPy's, on meshes that nobody made for it."""

from __future__ import annotations

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from meanbead.core.part.connected import surfaces_of


class Connected(unittest.TestCase):
    @settings(deadline=None)
    @given(st.integers(0, 60), st.integers(1, 60), st.integers(0, 2**32 - 1))
    def test_as_scipy_finds_them(self, triangles: int, corners: int, seed: int) -> None:
        faces = np.random.default_rng(seed).integers(0, corners, (triangles, 3))
        edges = np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]]])
        graph = coo_array((np.ones(len(edges)), (edges[:, 0], edges[:, 1])), shape=(corners, corners))
        count, label = connected_components(graph, directed=False)
        ours, mine = surfaces_of(faces, corners)
        self.assertEqual(ours, count)
        np.testing.assert_array_equal(mine, label)
