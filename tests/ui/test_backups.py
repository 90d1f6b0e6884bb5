"""Backups as people use them: written and downloaded, brought back after a question, and refused when damaged."""

from __future__ import annotations

import re

import trimesh
from playwright.sync_api import expect

from tests.support.server import empty_server
from tests.ui.browser import UiCase


class Backups(UiCase):
    expected_errors = ("422",)

    def setUp(self) -> None:
        super().setUp()
        self.address = empty_server().address  # what is restored here is nobody else's

    def test_out_back_and_what_is_damaged(self) -> None:
        self.add_part(trimesh.creation.box((10, 10, 4)), "kept-one.stl")
        page = self.open("/backups")
        expect(page.get_by_text("None is made at night")).to_be_visible()
        with page.expect_download() as started:
            page.get_by_role("button", name="Back up now, and download").click()
        file = started.value.path()
        self.assertRegex(started.value.suggested_filename, r"^workshop-by-hand-.*\.zip$")
        expect(page.get_by_role("listitem").filter(has_text="by hand")).to_have_count(1)
        self.assertEqual(self.axe(), [])

        self.add_part(trimesh.creation.box((10, 10, 5)), "later-one.stl")
        broken = file.read_bytes()[:-400]
        chooser = page.get_by_label("Restore from a file …")
        chooser.set_input_files({"name": "broken.zip", "mimeType": "application/zip", "buffer": broken})
        expect(page.get_by_text(re.compile("Nothing was touched"))).to_be_visible()
        chooser.set_input_files({"name": "w.zip", "mimeType": "application/zip", "buffer": file.read_bytes()})
        question = page.get_by_role("region", name=re.compile("^Restore the workshop of"))
        expect(question).to_contain_text("holds 1 parts")
        expect(question).to_contain_text("the 2 parts")
        self.assertEqual(self.axe(), [])
        question.get_by_role("button", name="Leave everything as it is").click()
        self.open("/")
        expect(page.get_by_role("link", name="Later one")).to_be_visible()

        page = self.open("/backups")
        page.get_by_role("button", name=re.compile("^Restore by-hand")).click()
        page.get_by_role("button", name="Restore it", exact=True).click()
        expect(page.get_by_role("listitem").filter(has_text="put aside by a restore")).to_have_count(1)
        page.get_by_role("link", name="Parts", exact=True).click()
        expect(page.get_by_role("link", name="Kept one")).to_be_visible()
        expect(page.get_by_role("link", name="Later one")).to_have_count(0)

        # And back again: what was there is lost to nobody.
        page.goto(f"{self.address}/backups")
        page.get_by_role("button", name=re.compile("^Restore before-restore")).click()
        page.get_by_role("button", name="Restore it", exact=True).click()
        expect(page.get_by_role("listitem").filter(has_text="put aside by a restore")).to_have_count(2)
        self.open("/")
        expect(page.get_by_role("link", name="Later one")).to_be_visible()
