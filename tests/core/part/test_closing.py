"""Open surfaces closed by consent: volumes against what the figures had, every body kept, every guess known."""

from __future__ import annotations

import unittest
from unittest import mock

import manifold3d
import numpy as np
import trimesh

from meanbead.core.errors import OpenSurface, PartError
from meanbead.core.estimate.engine import Engine
from meanbead.core.estimate.job import PrintJob
from meanbead.core.model import Recipe
from meanbead.core.part import apart
from meanbead.core.part.closing import Closed, close_gaps
from meanbead.core.part.picture import draw_mesh
from meanbead.core.part.read import RawMesh
from meanbead.core.part.solid import make_solid
from tests.support.open_surfaces import crossed_balls, open_balls, open_scan, sheet, whole_scan_mm3


def raw(mesh: trimesh.Trimesh) -> RawMesh:
    return RawMesh(np.asarray(mesh.vertices, dtype=np.float64), np.asarray(mesh.faces, dtype=np.int64))


def closed(mesh: trimesh.Trimesh, sheet_mm: float | None = None) -> Closed:
    return close_gaps(raw(mesh), "mm", sheet_mm)


def areas(found: Closed) -> np.ndarray:
    a, b, c = (found.solid.vertices[found.solid.faces[:, k]] for k in range(3))
    return np.linalg.norm(np.cross(b - a, c - a), axis=1) / 2


class Offered(unittest.TestCase):
    def test_each_kind_is_refused_with_where_it_is_open_and_is_sound_once_closed(self) -> None:
        for make in (open_scan, open_balls, crossed_balls):
            with self.subTest(surface=make.__name__):
                mesh = make()
                with self.assertRaises(OpenSurface) as refused:
                    make_solid(raw(mesh), "mm")
                self.assertGreater(len(refused.exception.edges), 10)
                self.assertIn("guessing", str(refused.exception))
                found = closed(mesh)
                again = make_solid(RawMesh(found.solid.vertices, found.solid.faces), "mm")
                self.assertEqual(again.mended, ())
                self.assertEqual(found.solid.manifold.status(), manifold3d.Error.NoError)

    def test_the_picture_shows_the_open_edges(self) -> None:
        with self.assertRaises(OpenSurface) as refused:
            make_solid(raw(open_scan()), "mm")
        surface = refused.exception
        plain = draw_mesh(surface.vertices, surface.faces)
        marked = draw_mesh(surface.vertices, surface.faces, marked=surface.edges)
        orange = (marked[..., 0] > 150) & (marked[..., 2] < 80) & (marked[..., 3] > 200)
        self.assertGreater(int(orange.sum()), 200)
        self.assertEqual(int(((plain[..., 0] > 150) & (plain[..., 2] < 80)).sum()), 0)


class Guessed(unittest.TestCase):
    def test_a_scan_comes_near_its_figure_and_only_its_holes_are_guessed(self) -> None:
        found = closed(open_scan())
        self.assertAlmostEqual(found.guesses.volume_mm3, whole_scan_mm3(), delta=0.04 * whole_scan_mm3())
        assert found.solid.guessed is not None
        self.assertAlmostEqual(float(areas(found)[found.solid.guessed].sum()), found.guesses.added_mm2, places=6)
        # The caps are about three discs of 11, 4 and 3 mm radius.
        discs = np.pi * (11**2 + 4**2 + 3**2)
        self.assertAlmostEqual(found.guesses.added_mm2, discs, delta=0.25 * discs)
        self.assertIn("cm² were added", found.guesses.sentences[0])

    def test_no_body_is_dropped_silently(self) -> None:
        found = closed(open_balls(8))
        self.assertEqual(len(found.solid.manifold.decompose()), 8)
        caps = [4 / 3 * np.pi * r**3 - np.pi * (r - 3) ** 2 * (3 * r - (r - 3)) / 3 for r in 4 + 0.5 * np.arange(8)]
        self.assertAlmostEqual(found.guesses.volume_mm3, sum(caps), delta=0.06 * sum(caps))
        self.assertIn("8 of 8 bodies were closed", found.guesses.sentences[0])

    def test_crossing_bodies_are_united(self) -> None:
        found = closed(crossed_balls())
        balls = manifold3d.Manifold.sphere(10, 200) + manifold3d.Manifold.sphere(8, 200).translate((11, 0, 0))
        self.assertEqual(len(found.solid.manifold.decompose()), 1)
        self.assertAlmostEqual(found.guesses.volume_mm3, balls.volume(), delta=0.01 * balls.volume())
        self.assertLess(found.guesses.share, 0.06)

    def test_a_sheet_gets_the_thickness_that_is_asked_for_and_none_without(self) -> None:
        for bent in (False, True):
            mesh = sheet(bent)
            with self.subTest(bent=bent):
                with self.assertRaises(OpenSurface) as refused:
                    make_solid(raw(mesh), "mm")
                self.assertTrue(refused.exception.sheets)
                if not bent:
                    with self.assertRaisesRegex(PartError, "without thickness"):
                        closed(mesh)
                found = closed(mesh, 1.6)
                self.assertAlmostEqual(found.guesses.volume_mm3, 1.6 * mesh.area, delta=0.02 * 1.6 * mesh.area)
                self.assertIn("given a thickness of 1.6 mm", " ".join(found.guesses.sentences))

    def test_sheets_beside_a_body_are_said_to_be_left_out(self) -> None:
        flat = sheet()
        flat.apply_translation((60, 0, 5))
        found = closed(trimesh.util.concatenate([open_scan(), flat]))  # type: ignore[arg-type]
        self.assertAlmostEqual(found.guesses.volume_mm3, whole_scan_mm3(), delta=0.04 * whole_scan_mm3())
        self.assertRegex(" ".join(found.guesses.sentences), "1 sheet, 6.0 cm² in all, was left out")

    def test_a_sound_part_comes_back_as_it_is(self) -> None:
        box = trimesh.creation.box((20, 10, 5))
        found = closed(box)
        self.assertEqual((found.guesses.added_mm2, found.guesses.sentences), (0.0, []))
        self.assertAlmostEqual(found.guesses.volume_mm3, 1000.0, places=6)
        self.assertEqual(found.solid.digest, make_solid(raw(box), "mm").digest)

    def test_what_was_closed_can_be_printed(self) -> None:
        estimate = Engine().estimate(PrintJob(closed(open_balls(2)).solid, Recipe()), 12)
        self.assertGreater(estimate.print_time_s, 60)

    def test_it_is_told_how_far_it_is_and_can_be_ended(self) -> None:
        seen: list[float] = []
        close_gaps(raw(open_balls(4)), "mm", None, lambda share, doing: seen.append(share))
        self.assertEqual(seen, sorted(seen))
        self.assertGreater(len(seen), 5)

        def stop(share: float, doing: str) -> None:
            if share > 0.1:
                raise KeyboardInterrupt

        with self.assertRaises(KeyboardInterrupt):
            close_gaps(raw(open_balls(4)), "mm", None, stop)


class Apart(unittest.TestCase):
    """A process of its own: whatever happens there is a sentence here."""

    def test_a_crash_is_a_sentence(self) -> None:
        with self.assertRaisesRegex(PartError, "Closing the surface failed"):
            apart.run_apart("no.such.module", [], "closing the surface")

    def test_what_takes_too_long_or_too_much_memory_is_ended(self) -> None:
        with self.assertRaisesRegex(PartError, "took over 1 s"):
            apart.run_apart("timeit", ["-n", "1", "-r", "1", "import time; time.sleep(60)"], "reading it", seconds=1)
        with self.assertRaisesRegex(PartError, "too large"):
            apart.run_apart("timeit", ["-n", "1", "-r", "1", "bytearray(10**10)"], "reading it", memory_bytes=10**9)

    def test_many_pieces_are_refused_before_any_work(self) -> None:
        with mock.patch("meanbead.core.runtime.limits.BODIES_CLOSED", 3), self.assertRaisesRegex(PartError, "8 pieces"):
            closed(open_balls(8))


if __name__ == "__main__":
    unittest.main()
