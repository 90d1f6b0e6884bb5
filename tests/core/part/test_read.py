import io
import struct
import unittest
import zipfile

import numpy as np
import trimesh

from meanbead.core.errors import PartError
from meanbead.core.part.facts import part_facts
from meanbead.core.part.read import read_mesh
from meanbead.core.part.solid import make_solid
from tests.support.solids import obj_bytes, stl_bytes

BOX = trimesh.creation.box((20, 30, 40))
BINARY = stl_bytes(BOX)
NAMESPACE = "http://schemas.microsoft.com/3dmanufacturing/core/2015/02"


def model_xml(mesh: trimesh.Trimesh = BOX, unit: str = "millimeter", build: str = '<item objectid="1"/>') -> str:
    corners = "".join(f'<vertex x="{x}" y="{y}" z="{z}"/>' for x, y, z in mesh.vertices)
    faces = "".join(f'<triangle v1="{a}" v2="{b}" v3="{c}"/>' for a, b, c in mesh.faces)
    return (
        f'<?xml version="1.0"?><model unit="{unit}" xmlns="{NAMESPACE}"><resources><object id="1"><mesh><vertices>'
        f"{corners}</vertices><triangles>{faces}</triangles></mesh></object></resources><build>{build}</build></model>"
    )


def archive(entries: dict[str, str | bytes]) -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as made:
        for name, content in entries.items():
            made.writestr(name, content)
    return buffer.getvalue()


class OddObj(unittest.TestCase):
    def test_corners_of_two_numbers_are_refused_in_a_sentence(self) -> None:
        for text in ("v 0 0\nv 1 0\nv 0 1\nf 1 2 3\n", "v 0 0 0\nv 1 0\nv 0 1 0\nf 1 2 3\n"):
            with self.assertRaises(PartError) as caught:
                make_solid(read_mesh(text.encode(), "flat.obj"))
            self.assertIn("OBJ", str(caught.exception))


class GoodFiles(unittest.TestCase):
    def check(self, data: bytes, name: str, volume: float = 24_000.0) -> None:
        facts = part_facts(make_solid(read_mesh(data, name)))
        self.assertAlmostEqual(facts.volume_mm3, volume, places=2)
        self.assertTrue(facts.sound)
        self.assertEqual(facts.mended, [])

    def test_binary_stl(self) -> None:
        self.check(BINARY, "box.stl")

    def test_binary_stl_under_another_name(self) -> None:
        self.check(BINARY, "download")

    def test_binary_stl_whose_header_says_solid(self) -> None:
        self.check(b"solid box".ljust(80) + BINARY[80:], "box.stl")

    def test_text_stl(self) -> None:
        self.check(stl_bytes(BOX, text=True), "box.STL")

    def test_obj(self) -> None:
        self.check(obj_bytes(BOX), "box.obj")

    def test_3mf(self) -> None:
        self.check(archive({"3D/3dmodel.model": model_xml()}), "box.3mf")

    def test_3mf_in_inches(self) -> None:
        inch = trimesh.creation.box((1, 1, 1))
        self.check(archive({"3D/3dmodel.model": model_xml(inch, "inch")}), "box.3mf", 25.4**3)

    def test_3mf_placed_twice_by_a_transform(self) -> None:
        # Scaled to double along x, and moved: the volume adds up.
        items = '<item objectid="1"/><item objectid="1" transform="2 0 0 0 1 0 0 0 1 100 0 0"/>'
        self.check(archive({"3D/3dmodel.model": model_xml(build=items)}), "box.3mf", 72_000.0)


class BrokenFiles(unittest.TestCase):
    def refuse(self, data: bytes, name: str, *words: str) -> None:
        with self.assertRaises(PartError) as caught:
            make_solid(read_mesh(data, name))
        sentence = str(caught.exception)
        for word in words:
            self.assertIn(word, sentence)
        self.assertTrue(caught.exception.remedy, "a refusal says what to do")

    def test_empty(self) -> None:
        self.refuse(b"", "part.stl", "empty")

    def test_truncated_binary(self) -> None:
        self.refuse(BINARY[:-70], "part.stl", "promises 12 triangles but holds 10")

    def test_truncated_before_the_first_triangle(self) -> None:
        self.refuse(BINARY[:50], "part.stl", "before its first triangle")

    def test_wrong_count(self) -> None:
        self.refuse(BINARY[:80] + struct.pack("<I", 7) + BINARY[84:], "part.stl", "says 7 triangles but holds 12")

    def test_no_triangles(self) -> None:
        self.refuse(bytes(84), "part.stl", "no triangles")

    def test_truncated_text(self) -> None:
        self.refuse(stl_bytes(BOX, text=True)[:-400], "part.stl", "breaks off")

    def test_text_with_commas(self) -> None:
        self.refuse(stl_bytes(BOX, text=True).replace(b"vertex 1", b"vertex 1,", 1), "part.stl", "not three numbers")

    def test_not_a_number(self) -> None:
        data = bytearray(BINARY)
        data[84 + 12 : 84 + 16] = struct.pack("<f", float("nan"))
        self.refuse(bytes(data), "part.stl", "not numbers")

    def test_not_a_mesh_at_all(self) -> None:
        self.refuse(b"\x89PNG\r\n\x1a\n" + bytes(400), "photo.png", "not a part file")
        self.refuse(b"hello", "notes.obj", "No faces")
        self.refuse(b"hello", "notes.3mf", "not a 3MF archive")

    def test_a_billion_millimetres(self) -> None:
        self.refuse(stl_bytes(trimesh.creation.box((1e9, 1, 1))), "part.stl", "larger than 2000 mm")

    def test_a_speck(self) -> None:
        speck = stl_bytes(trimesh.creation.box((0.01, 0.01, 0.01)))
        with self.assertRaises(PartError):
            make_solid(read_mesh(speck, "part.stl"), "mm")

    def test_no_area(self) -> None:
        corners = np.zeros((3, 3, 3))
        corners[:, :, 0] = [0, 50, 100]
        flat = trimesh.Trimesh(**trimesh.triangles.to_kwargs(corners), process=False)
        self.refuse(stl_bytes(flat), "part.stl", "no area")

    def test_no_volume(self) -> None:
        sheet = trimesh.Trimesh(
            [[0, 0, 0], [50, 0, 0], [50, 50, 0], [0, 50, 0]],
            [[0, 1, 2], [0, 2, 3], [2, 1, 0], [3, 2, 0]],
            process=False,
        )
        self.refuse(stl_bytes(sheet), "part.stl", "no volume")


class HostileArchives(unittest.TestCase):
    def refuse(self, data: bytes, word: str) -> None:
        with self.assertRaises(PartError) as caught:
            read_mesh(data, "part.3mf")
        self.assertIn(word, str(caught.exception))

    def test_bomb(self) -> None:
        self.refuse(archive({"3D/3dmodel.model": model_xml(), "pad.bin": bytes(40_000_000)}), "unpacks to more")

    def test_entities(self) -> None:
        bomb = '<!DOCTYPE x [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;&a;&a;">]>'
        self.refuse(archive({"3D/3dmodel.model": model_xml().replace("?>", "?>" + bomb)}), "entities")

    def test_climbing_paths(self) -> None:
        for name in ("../../etc/cron.d/x", "/etc/passwd", "..\\x", "C:\\x"):
            self.refuse(archive({"3D/3dmodel.model": model_xml(), name: "x"}), "outside itself")

    def test_damaged(self) -> None:
        self.refuse(archive({"3D/3dmodel.model": model_xml()})[:200], "damaged")
        self.refuse(archive({"readme.txt": "x"}), "no 3D model")
        self.refuse(archive({"3D/3dmodel.model": "<model"}), "well-formed")

    def test_components_that_contain_themselves(self) -> None:
        looped = model_xml().replace(
            "</object>", '</object><object id="2"><components><component objectid="2"/></components></object>'
        )
        looped = looped.replace('<item objectid="1"/>', '<item objectid="2"/>')
        self.refuse(archive({"3D/3dmodel.model": looped}), "components")

    def test_indices_out_of_range(self) -> None:
        self.refuse(archive({"3D/3dmodel.model": model_xml().replace('v1="0"', 'v1="99"', 1)}), "corner or triangle")
