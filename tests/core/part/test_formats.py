"""STEP, PLY and zip archives: what they hold comes in whole, and damaged or hostile ones are refused by name."""

from __future__ import annotations

import io
import re
import unittest
import zipfile
from pathlib import Path

import numpy as np
import trimesh

from meanbead.core.errors import PartError, SeveralModels
from meanbead.core.part.facts import part_facts
from meanbead.core.part.read import read_mesh
from meanbead.core.part.solid import make_solid
from meanbead.core.runtime import limits
from tests.support.open_surfaces import sheet, step_box
from tests.support.solids import cone, stl_bytes

BOX = trimesh.creation.box((20, 10, 5))


def archive(**files: bytes) -> bytes:
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as one:
        for name, content in files.items():
            one.writestr(name.replace("__", "/").replace("_", "."), content)
    return packed.getvalue()


class Refusals(unittest.TestCase):
    def refuse(self, data: bytes, name: str, words: str, member: str = "") -> None:
        with self.assertRaisesRegex(PartError, words):
            read_mesh(data, name, member)


class Step(Refusals):
    def test_a_box_comes_in_with_the_unit_of_its_file(self) -> None:
        for unit, factor in (("mm", 1.0), ("inch", 25.4)):
            solid = make_solid(read_mesh(step_box(20, 10, 5, unit), "box.step"))
            self.assertAlmostEqual(part_facts(solid).volume_mm3, 1000 * factor**3, delta=1e-3 * factor**3)
            size = np.ptp(solid.vertices, axis=0)
            np.testing.assert_allclose(size, np.array([20, 10, 5]) * factor, atol=1e-3)

    def test_the_content_decides_not_the_name(self) -> None:
        self.assertEqual(len(read_mesh(step_box(5, 5, 5), "part").faces), 12)

    def test_what_is_none_or_damaged_is_refused(self) -> None:
        self.refuse(b"solid nothing", "part.step", "is none")
        self.refuse(step_box(20, 10, 5)[:900], "part.step", "STEP")
        self.refuse(b"ISO-10303-21;\nHEADER;\nENDSEC;\nDATA;\nENDSEC;\nEND-ISO-10303-21;\n", "part.stp", "STEP")


class Ply(Refusals):
    def test_text_and_binary_come_in_alike(self) -> None:
        for encoding in ("ascii", "binary"):
            data = BOX.export(file_type="ply", encoding=encoding)
            data = data.encode() if isinstance(data, str) else data
            self.assertAlmostEqual(part_facts(make_solid(read_mesh(data, "box.ply"), "mm")).volume_mm3, 1000, places=3)

    def test_clouds_lies_and_rubbish_are_refused(self) -> None:
        head = b"ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\n"
        points = b"0 0 0\n1 0 0\n0 1 0\n"
        self.refuse(head + b"end_header\n" + points, "cloud.ply", "no faces")
        faces = b"element face 2000000\nproperty list uchar int vertex_indices\nend_header\n"
        self.refuse(head + faces + points, "cut.ply", "too short")
        self.refuse(head + faces.replace(b"2000000", b"4000000") + points, "many.ply", "4,000,000 triangles")
        self.refuse(b"ply\nnothing", "part.ply", "header")
        self.refuse(head + faces.replace(b"2000000", b"1") + points + b"3 0 1 x", "bad.ply", "PLY|corner")


class Zips(Refusals):
    def test_the_only_model_is_taken_and_what_systems_add_is_passed_over(self) -> None:
        data = archive(
            **{"readme_txt": b"hello", "a__box_stl": stl_bytes(BOX), "__MACOSX__._box_stl".replace("__", "", 1): b"x"}
        )
        self.assertEqual(len(read_mesh(data, "set.zip").faces), 12)

    def test_of_several_one_is_named(self) -> None:
        data = archive(box_stl=stl_bytes(BOX), deep__part_step=step_box(5, 6, 7))
        with self.assertRaises(SeveralModels) as asked:
            read_mesh(data, "set.zip")
        self.assertEqual(asked.exception.names, ["box.stl", "deep/part.step"])
        np.testing.assert_allclose(
            np.ptp(read_mesh(data, "set.zip", "deep/part.step").vertices, axis=0), [5, 6, 7], atol=1e-3
        )
        self.refuse(data, "set.zip", "holds no", "other.stl")

    def test_hostile_and_empty_ones_are_refused(self) -> None:
        self.refuse(archive(inner_zip=b"x", box_stl=archive(box_stl=stl_bytes(BOX))), "set.zip", "within the archive")
        self.refuse(archive(box_stl=bytes(40_000_000)), "set.zip", "unpacks to more")
        many = archive(**{f"p{k}_stl": b"x" for k in range(limits.ARCHIVE_MODELS + 1)})
        self.refuse(many, "set.zip", "can be taken at once")
        packed = io.BytesIO()
        with zipfile.ZipFile(packed, "w") as one:
            one.writestr("../box.stl", stl_bytes(BOX))
        self.refuse(packed.getvalue(), "set.zip", "outside itself")
        self.refuse(archive(box_stl=stl_bytes(BOX))[:-40], "set.zip", "damaged")


class Figures(unittest.TestCase):
    def test_nothing_is_minus_zero(self) -> None:
        for solid in (cone(9, 12, 40), make_solid(read_mesh(stl_bytes(BOX), "box.stl"), "mm")):
            for value in part_facts(solid).model_dump().values():
                if isinstance(value, float):
                    self.assertNotIn("-0.0", f"{value:.1f}")
        ball = make_solid(read_mesh(stl_bytes(trimesh.creation.icosphere(3, 10)), "ball.stl"), "mm")
        self.assertEqual(f"{part_facts(ball).footprint_mm2:.2f}", "0.00")

    def test_the_documents_and_the_messages_say_the_limits(self) -> None:
        said = Path(__file__).resolve().parents[3].joinpath("docs/formats.md").read_text()
        table = said.split("## From a shell")[0]
        for bound in (limits.PART_FILE_BYTES, limits.GCODE_FILE_BYTES, limits.UNPACKED_BYTES):
            self.assertIn(limits.megabytes(bound), table)
        self.assertIn(f"{limits.TRIANGLES // 1_000_000} million triangles", table)
        self.assertIn(f"{limits.ARCHIVE_MODELS} models", table)
        megabytes = {int(found) for found in re.findall(r"(\d+) MB", table)}
        known = {
            bound // limits.MB for bound in (limits.PART_FILE_BYTES, limits.GCODE_FILE_BYTES, limits.UNPACKED_BYTES)
        }
        self.assertEqual(megabytes, known)

    def test_a_sheet_is_no_body(self) -> None:
        self.assertEqual(len(sheet().faces), 1200)


if __name__ == "__main__":
    unittest.main()
