import re

import manifold3d
import numpy as np
import trimesh
from playwright.sync_api import Route, expect

from tests.running.effort import only_long
from tests.support.solids import block, solid_of
from tests.ui.browser import UiCase


def as_trimesh(manifold: manifold3d.Manifold) -> trimesh.Trimesh:
    solid = solid_of(manifold)
    return trimesh.Trimesh(solid.vertices, solid.faces)


class Ready(UiCase):
    """Getting a part ready, on the page."""

    def ready(self, mesh: trimesh.Trimesh, name: str) -> None:
        self.open(f"/parts/{self.add_part(mesh, name)}/ready")
        expect(self.page.get_by_role("button", name="Thinnest walls")).to_be_visible()

    def expect_size(self, size: str) -> None:
        expect(self.page.get_by_text(f"{size} mm ·").first).to_be_visible()

    @only_long
    def test_facts_are_told_and_shown_on_the_part(self) -> None:
        cup = as_trimesh(block(30, 30, 20) - block(27, 27, 20, (1.5, 1.5, 2)))
        self.ready(cup, "square-cup.stl")
        page = self.page
        fact = page.get_by_role("button", name="Thinnest walls")
        expect(fact).to_contain_text("1.50 mm")
        fact.click()
        expect(page.get_by_text("Way straight through", exact=True)).to_be_visible()
        places = page.get_by_role("list", name="Places on the part")
        expect(places).to_contain_text("1.50 mm thick")
        places.get_by_role("button").first.click()
        expect(page.get_by_role("button", name="Sharp corners on the bed")).to_contain_text("4")
        self.assertEqual(self.axe(), [])

    def test_turn_scale_mirror_and_undo(self) -> None:
        self.ready(trimesh.creation.box((10, 20, 30)), "brick.stl")
        page = self.page
        page.get_by_role("tab", name="Turn and size").click()
        page.get_by_role("button", name="around x").click()
        self.expect_size("10.0 × 30.0 × 20.0")
        page.get_by_label("Percent of its size").fill("200")
        page.get_by_role("button", name="Scale", exact=True).click()
        self.expect_size("20.0 × 60.0 × 40.0")
        page.get_by_label("Only that direction").check()
        page.get_by_label("Size in z, mm").fill("15")
        page.get_by_label("Size in z, mm").press("Enter")
        self.expect_size("20.0 × 60.0 × 15.0")
        page.get_by_role("button", name="it was inches").click()
        self.expect_size("508.0 × 1524.0 × 381.0")
        for size in ("20.0 × 60.0 × 15.0", "20.0 × 60.0 × 40.0", "10.0 × 30.0 × 20.0", "10.0 × 20.0 × 30.0"):
            page.get_by_role("button", name="Undo", exact=True).click()
            self.expect_size(size)
        page.get_by_role("button", name="Redo").click()
        self.expect_size("10.0 × 30.0 × 20.0")
        page.get_by_role("button", name="As it came in the file").click()
        self.expect_size("10.0 × 20.0 × 30.0")
        page.get_by_label("Angle in degrees").fill("a bit")
        page.get_by_role("button", name="around z").click()
        expect(page.get_by_role("alert")).to_contain_text("Type an angle")

    def test_a_face_that_is_clicked_becomes_the_one_it_stands_on(self) -> None:
        self.ready(trimesh.creation.box((10, 20, 30)), "clicked.stl")
        page = self.page
        expect(page.get_by_text("Fetching the mesh")).to_have_count(0)
        page.get_by_role("button", name="front", exact=True).click()
        page.get_by_role("button", name="Measure").click()
        canvas = page.get_by_role("img", name="Clicked as it stands")
        self.next_frame()
        canvas.click(position=self.part_of(canvas, 0.5, 0.45))  # type: ignore[arg-type]
        canvas.click(position=self.part_of(canvas, 0.5, 0.55))  # type: ignore[arg-type]
        measured = page.get_by_role("status").filter(has_text=" mm")
        expect(measured).to_be_visible()
        # The front is upright: what was measured lies in its plane, straight up.
        self.assertRegex(measured.inner_text(), r"^(\d+\.\d\d) mm 0\.00 · 0\.00 · \1$")
        page.get_by_role("button", name="Stand on a face").click()
        canvas.click(position=self.part_of(canvas, 0.5, 0.5))  # type: ignore[arg-type]
        self.expect_size("10.0 × 30.0 × 20.0")
        page.get_by_label("Height of the section").fill("500")
        expect(page.get_by_text("10.0 mm", exact=True)).to_be_visible()

    @only_long
    def test_until_its_mesh_has_come_a_turned_part_is_measured_by_its_facts(self) -> None:
        self.ready(trimesh.creation.box((10, 20, 30)), "turned.stl")
        page = self.page
        expect(page.get_by_text("Fetching the mesh")).to_have_count(0)
        kept: list[Route] = []
        page.route("**/mesh**", lambda route: kept.append(route))
        page.get_by_role("tab", name="Turn and size").click()
        page.get_by_role("button", name="around x").click()
        self.expect_size("10.0 × 30.0 × 20.0")
        expect(page.get_by_text("Fetching the mesh")).to_be_visible()
        page.get_by_label("Height of the section").fill("500")
        expect(page.get_by_text("10.0 mm", exact=True)).to_be_visible()
        # What is still drawn is the part as it stood: a click lays no face of that down.
        page.get_by_role("button", name="Stand on a face").click()
        canvas = page.get_by_role("img", name="Turned as it stands")
        canvas.click(position=self.part_of(canvas, 0.5, 0.5))  # type: ignore[arg-type]
        expect(page.get_by_role("button", name="Stand on a face")).to_have_attribute("aria-pressed", "true")
        for route in kept:
            route.continue_()
        expect(page.get_by_text("Fetching the mesh")).to_have_count(0)
        self.expect_size("10.0 × 30.0 × 20.0")

    def part_of(self, canvas: object, x: float, y: float) -> dict[str, float]:
        box = canvas.bounding_box()  # type: ignore[attr-defined]
        return {"x": x * box["width"], "y": y * box["height"]}

    def test_ways_to_stand_are_compared_and_one_is_taken(self) -> None:
        self.ready(trimesh.creation.box((8, 10, 30)), "stick.stl")
        page = self.page
        page.get_by_role("tab", name="Ways to stand").click()
        page.get_by_role("button", name="Compare ways to stand").click()
        expect(page.get_by_text("as it stands now")).to_be_visible()
        first = page.get_by_role("button", name=re.compile("Stand it this way")).first
        expect(first).to_be_visible()
        expect(page.get_by_role("progressbar")).to_have_count(0)
        self.assertEqual(self.axe(), [])
        first.click()
        expect(page.get_by_text(re.compile(r"× 8\.0 mm"))).to_be_visible()
        # Its figures are those of the new way: the bench computes them anew.
        page.get_by_role("link", name="Bench").click()
        self.wait_for_figures()
        self.assertEqual(self.result("Layers", "Everyday"), "40")

    @only_long
    def test_bodies_are_split_and_brought_together_again(self) -> None:
        two = as_trimesh(block(10, 10, 10) + block(6, 6, 6, (30, 0, 0)))
        self.ready(two, "pair.stl")
        page = self.page
        page.get_by_role("button", name="Split into 2 parts").click()
        expect(page.get_by_role("link", name="Pair, 1")).to_be_visible()
        expect(page.get_by_role("link", name="Pair, 2")).to_be_visible()
        page.get_by_role("status").get_by_role("button", name="Undo").click()
        expect(page.get_by_role("link", name="Pair", exact=True)).to_be_visible()
        expect(page.get_by_role("link", name="Pair, 2")).to_have_count(0)

    def test_what_it_is_for_sets_limits_that_can_be_changed(self) -> None:
        self.ready(trimesh.creation.box((12, 12, 12)), "cube.stl")
        page = self.page
        page.get_by_role("tab", name="What it is for").click()
        page.get_by_role("button", name="Workhorse").click()
        shell = page.get_by_label("Least shell mm", exact=True)
        expect(shell).to_have_value("1.6")
        shell.fill("2")
        shell.press("Enter")
        expect(page.get_by_role("button", name="Undo", exact=True)).to_have_attribute("title", re.compile("limits"))
        page.get_by_label("How many").fill("12")
        page.get_by_label("How many").press("Enter")
        page.get_by_label("By", exact=True).fill("2027-03-01")
        expect(page.get_by_text("12 wanted")).to_be_visible()
        expect(page.get_by_text("by 2027-03-01")).to_be_visible()
        self.assertEqual(self.axe(), [])
        page.reload()
        page.get_by_role("tab", name="What it is for").click()
        expect(page.get_by_label("Least shell mm", exact=True)).to_have_value("2")
        expect(page.get_by_role("button", name="Workhorse")).to_have_attribute("aria-pressed", "true")


class NoPicture(UiCase):
    """A browser without 3D still shows every figure."""

    def test_it_says_so_and_the_facts_hold(self) -> None:
        self.scripted("HTMLCanvasElement.prototype.getContext = () => null")
        self.open(f"/parts/{self.add_part(trimesh.creation.box(np.array([9, 9, 9])), 'flatland.stl')}/ready")
        expect(self.page.get_by_text("This browser draws no 3D here.")).to_be_visible()
        expect(self.page.get_by_role("button", name="Thinnest walls")).to_contain_text("9.00 mm")
