"""Labels: what stands on them, where, and that the code is the code, read back from the PDF itself."""

from __future__ import annotations

import base64
import io
import re
import unittest
import zlib
from typing import Any
from unittest import mock

import numpy as np
import segno
from pypdf import PdfReader

from meanbead.core.errors import MeanBeadError
from meanbead.services import pdf_text
from meanbead.services.labels import Label, Sheet, labels_pdf

MM = 72 / 25.4
URL = "https://192.168.7.20:8443/run/123456"


def pages(pdf: bytes) -> list[str]:
    """What each page draws, as PDF operators."""
    found = []
    for data in re.findall(rb"stream\r?\n(.*?)endstream", pdf, re.S):
        try:
            packed = base64.a85decode(data.strip().removesuffix(b"~>"))
            found.append(zlib.decompress(packed).decode("latin-1"))
        except (ValueError, zlib.error):
            continue
    return found


def texts(page: str) -> list[str]:
    """The lines of text of a page, in the order in which they are drawn."""
    plain = [
        re.sub(r"\\([0-7]{3})", lambda m: chr(int(m[1], 8)), text) for text in re.findall(r"\((.*?)(?<!\\)\) Tj", page)
    ]
    return [text.encode("latin-1", "replace").decode("cp1252", "replace") for text in plain]


def boxes(page: str) -> np.ndarray[Any, Any]:
    """Filled boxes of a page: left, bottom, width, height, mm."""
    found = re.findall(r"([\d.]+) ([\d.]+) ([\d.]+) ([\d.]+) re f", page)
    return np.array(found, dtype=float) / MM


def label(
    number: int = 7, title: str = "Herb trough", lines: tuple[str, ...] = ("h 0.2 · w 0.44 · 210 °C", "1 h 49 real")
) -> Label:
    return Label(number, title, lines, URL)


class Written(unittest.TestCase):
    def test_number_title_and_lines_stand_on_it(self) -> None:
        page = pages(labels_pdf([label()], Sheet()))[0]
        self.assertEqual(texts(page), ["#7", "Herb trough", "h 0.2 · w 0.44 · 210 °C", "1 h 49 real"])

    def test_what_has_no_room_is_cut_and_the_number_never(self) -> None:
        long = label(123456, "A part with a name that goes on and on and on", ("x" * 200,))
        shown = texts(pages(labels_pdf([long], Sheet(label_mm=(40.0, 15.0), page_mm=None)))[0])
        self.assertEqual(shown[0], "#123456")
        self.assertTrue(all(text.endswith("…") for text in shown[1:]), shown)

    def test_names_in_other_letters_are_set_in_a_font_that_has_them(self) -> None:
        name = "Blumentöpfe č λ Жук 花"
        pdf = labels_pdf([label(title=name)], Sheet(label_mm=(150.0, 30.0)))
        self.assertIn("Blumentöpfe č λ Жук ?", PdfReader(io.BytesIO(pdf)).pages[0].extract_text())

    def test_where_that_font_is_missing_letters_are_replaced_and_nothing_fails(self) -> None:
        with mock.patch.object(pdf_text, "_registered", return_value=False):
            shown = texts(pages(labels_pdf([label(title="Blumentöpfe č λ 花")], Sheet(label_mm=(150.0, 30.0))))[0])
        self.assertEqual(shown[1], "Blumentöpfe c ? ?")

    def test_the_code_that_is_drawn_is_the_addresss_own(self) -> None:
        for size in ((62.0, 29.0), (25.0, 12.0), (120.0, 80.0)):
            page = pages(labels_pdf([label()], Sheet(label_mm=size, page_mm=None)))[0]
            drawn = boxes(page)
            truth = np.array(segno.make(URL, error="m", micro=False).matrix, dtype=bool)
            count = len(truth)
            left, bottom = drawn[:, 0].min(), drawn[:, 1].min()
            cell = (drawn[:, 1].max() - bottom) / (count - 1)
            seen = np.zeros_like(truth)
            for x, y, wide, _ in drawn:
                row = count - 1 - round((y - bottom) / cell)
                column = round((x - left) / cell)
                seen[row, column : column + round(wide / cell)] = True
            np.testing.assert_array_equal(seen, truth)
            # It stands inside of its label, with a quiet edge beside the text.
            self.assertGreaterEqual(bottom, 0)
            self.assertLessEqual(left + count * cell, size[0])
            self.assertGreater(left, 0.5 * size[0])


class Laid(unittest.TestCase):
    def test_counts_are_those_of_trying(self) -> None:
        rng = np.random.default_rng(8)
        for _ in range(200):
            wide, high, mx, my, gx, gy = (
                float(value) for value in rng.uniform((20, 10, 0, 0, 0, 0), (120, 90, 30, 30, 8, 8))
            )
            across = sum(mx + n * (wide + gx) + wide <= 210 - mx + 1e-6 for n in range(40))
            down = sum(my + n * (high + gy) + high <= 297 - my + 1e-6 for n in range(60))
            sheet = Sheet((wide, high), (210.0, 297.0), (mx, my), (gx, gy))
            if across and down:
                self.assertEqual(sheet.counts(), (across, down))
            else:
                with self.assertRaises(MeanBeadError):
                    sheet.counts()

    def test_labels_go_on_over_pages_after_the_places_that_were_used(self) -> None:
        sheet = Sheet((60.0, 30.0), (210.0, 297.0), (10.0, 10.0), (5.0, 5.0), skip=5)
        across, down = sheet.counts()
        count = across * down
        made = pages(labels_pdf([label(number) for number in range(1, count + 1)], sheet))
        self.assertEqual([sum(text.startswith("#") for text in texts(page)) for page in made], [count - 5, 5])
        # The first stands in the sixth place: row by row, from the top.
        row, column = divmod(5, across)
        first = re.search(r"1 0 0 1 ([\d.]+) ([\d.]+) Tm \(#1\)", made[0])
        assert first is not None
        x, y = float(first[1]) / MM, float(first[2]) / MM
        left, top = 10 + column * 65, 297 - 10 - row * 35
        self.assertTrue(left <= x <= left + 5, (x, left))
        self.assertTrue(top - 30 <= y <= top, (y, top))

    def test_a_size_that_nobody_can_read_is_refused(self) -> None:
        with self.assertRaises(MeanBeadError):
            labels_pdf([label()], Sheet(label_mm=(15.0, 8.0), page_mm=None))


if __name__ == "__main__":
    unittest.main()
