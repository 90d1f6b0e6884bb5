"""Text in PDFs: which font has its letters, and what stands in for those that none has."""

from __future__ import annotations

import unicodedata
from collections.abc import Callable
from functools import cache
from pathlib import Path

from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFError, TTFont

__all__ = ["BOLD", "FONT", "set_in"]

FONT, BOLD = "Helvetica", "Helvetica-Bold"
_WIDE = {FONT: "DejaVuSans", BOLD: "DejaVuSans-Bold"}
"""What a line is set in that has letters which the PDF's own fonts lack: Latin with all its accents, Greek, Cyrillic and more.
It runs wider, so that it stands in only where it is needed."""

_FONT_FOLDER = Path("/usr/share/fonts/truetype/dejavu")
"""Of Debian's fonts-dejavu-core."""


def set_in(text: str, font: str) -> tuple[str, str]:
    """What is drawn of a text, and in which font: accents go before letters do, and a letter that no font has is a question
    mark."""
    if not _foreign(text):
        return text, font
    wide = _WIDE[font]
    if not _registered(wide):
        return "".join(_plainer(letter, lambda form: not _foreign(form)) for letter in text), font
    glyphs = pdfmetrics.getFont(wide).face.charToGlyph
    return "".join(_plainer(letter, lambda form: ord(form) in glyphs) for letter in text), wide


def _foreign(text: str) -> bool:
    """Whether it has letters that the PDF's own fonts lack."""
    return text.encode("cp1252", "ignore").decode("cp1252") != text


def _plainer(letter: str, has: Callable[[str], bool]) -> str:
    forms = (letter, unicodedata.normalize("NFKD", letter)[:1])
    return next((form for form in forms if has(form)), "?")


@cache
def _registered(name: str) -> bool:
    """Whether the wide font is on this machine, and known to the PDF library."""
    try:
        pdfmetrics.registerFont(TTFont(name, _FONT_FOLDER / f"{name}.ttf"))
    except (TTFError, OSError):
        return False
    return True
