"""Labels for printed pieces as a PDF: what it was printed with, its minutes, its number, and a code that opens its run."""

from __future__ import annotations

import io
from collections.abc import Sequence
from dataclasses import dataclass

import segno
from reportlab.lib.units import mm
from reportlab.pdfbase.pdfmetrics import stringWidth
from reportlab.pdfgen.canvas import Canvas

from meanbead.core.errors import MeanBeadError
from meanbead.core.model.run import RunEntry, Snapshot
from meanbead.core.text.durations import duration
from meanbead.services.pdf_text import BOLD, FONT, set_in
from meanbead.store.tables import RunRow

__all__ = ["Label", "Sheet", "label_of", "labels_pdf"]


@dataclass(frozen=True)
class Sheet:
    """A page of labels, mm: the label, the gaps, the margins. ``page_mm`` of None is one label a page, as label printers
    want it. ``skip`` leaves the first places of the first page empty, where they were used before."""

    label_mm: tuple[float, float] = (62.0, 29.0)
    page_mm: tuple[float, float] | None = None
    margin_mm: tuple[float, float] = (8.0, 12.0)
    gap_mm: tuple[float, float] = (2.0, 2.0)
    skip: int = 0

    def counts(self) -> tuple[int, int]:
        """Labels across and down. Raises :class:`MeanBeadError` where not one fits."""
        if self.page_mm is None:
            return 1, 1
        found = []
        for page, margin, gap, size in zip(self.page_mm, self.margin_mm, self.gap_mm, self.label_mm, strict=True):
            found.append(int((page - 2 * margin + gap + 1e-6) // (size + gap)))
        if min(found) < 1:
            raise MeanBeadError(
                "Not one label fits on the page.", field="label_mm", remedy="Make the label or the margins smaller."
            )
        return found[0], found[1]


@dataclass(frozen=True)
class Label:
    """What stands on one label."""

    number: int
    title: str
    lines: tuple[str, ...]
    url: str


def label_of(run: RunRow, url: str) -> Label:
    """A run's label. Minutes are the real ones where they are known, else marked as predicted."""
    frozen = Snapshot.model_validate(run.snapshot)
    entry = RunEntry.model_validate(run.entry)
    settings = frozen.settings
    width = (settings.get("line_width_mm") or {}).get("outer_wall")
    temp = entry.nozzle_temp_c or settings.get("nozzle_temp_c")
    bead = (
        f"h {settings['layer_height_mm']:g}" if "layer_height_mm" in settings else "",
        f"w {width:g}" if width else "",
        f"{temp:g} °C" if temp else "",
    )
    took = (
        f"{duration(run.real_s)} real"
        if run.real_s
        else f"{duration(run.predicted_s)} pred."
        if run.predicted_s
        else ""
    )
    grams = f"{entry.weight_g:.1f} g" if entry.weight_g else f"{run.predicted_g:.1f} g pred." if run.predicted_g else ""
    lines = (
        _joined(*bead),
        _joined(run.nozzle_name, run.machine_name),
        run.material_name,
        _joined(took, grams),
        _joined(run.started_at.date().isoformat(), run.column_name),
    )
    return Label(run.id, run.name, tuple(line for line in lines if line), url)


def _joined(*parts: str) -> str:
    return " · ".join(part for part in parts if part)


def labels_pdf(labels: Sequence[Label], sheet: Sheet) -> bytes:
    """Labels as a PDF. Raises :class:`MeanBeadError` for a size on which nothing can be read."""
    wide, high = sheet.label_mm
    if wide < 20 or high < 10:
        raise MeanBeadError("A label has to be at least 20 x 10 mm.", field="label_mm")
    across, down = sheet.counts()
    page = sheet.page_mm or sheet.label_mm
    out = io.BytesIO()
    canvas = Canvas(out, pagesize=(page[0] * mm, page[1] * mm), pageCompression=1)
    canvas.setTitle("Labels")
    canvas.setCreator("Mean Bead")
    place = min(sheet.skip, across * down - 1)
    for number, label in enumerate(labels):
        if number and place == across * down:
            canvas.showPage()
            place = 0
        row, column = divmod(place, across)
        left = 0.0 if sheet.page_mm is None else sheet.margin_mm[0] + column * (wide + sheet.gap_mm[0])
        top = page[1] if sheet.page_mm is None else page[1] - sheet.margin_mm[1] - row * (high + sheet.gap_mm[1])
        _draw(canvas, label, left, top - high, wide, high)
        place += 1
    canvas.showPage()
    canvas.save()
    return out.getvalue()


def _draw(canvas: Canvas, label: Label, left: float, bottom: float, wide: float, high: float) -> None:
    pad = max(1.0, 0.05 * min(wide, high))
    side = min(high - 2 * pad, 0.38 * wide)
    _code(canvas, label.url, left + wide - pad - side, bottom + (high - side) / 2, side)
    room = wide - side - 3 * pad
    step = (high - 2 * pad) / (len(label.lines) + 1.6)
    baseline = bottom + high - pad - 1.15 * step
    number = f"#{label.number}"
    large = min(1.35 * step * mm * 0.8, 16.0)
    canvas.setFont(BOLD, large)
    canvas.drawString((left + pad) * mm, baseline * mm, number)
    own = stringWidth(number + " ", BOLD, large) / mm
    title = _size_for([label.title], BOLD, 0.85 * large, room - own)
    _line(canvas, label.title, BOLD, title, left + pad + own, baseline, room - own)
    size = _size_for(label.lines, FONT, min(step * mm * 0.82, 11.0), room)
    for at, line in enumerate(label.lines, start=1):
        _line(canvas, line, FONT, size, left + pad, baseline - (at + 0.2) * step, room)


def _size_for(lines: Sequence[str], font: str, largest: float, room: float) -> float:
    """The size at which all lines fit, down to two thirds of the largest: below that nobody reads it at a glance."""
    fitted = (set_in(line, font) for line in lines)
    widest = max((stringWidth(shown, face, largest) for shown, face in fitted), default=0.0)
    return largest * max(2 / 3, min(1.0, room * mm / widest if widest > 0 else 1.0))


def _line(canvas: Canvas, text: str, font: str, size: float, left: float, bottom: float, room: float) -> None:
    """A line; what has no room is cut, for the code leads to the rest."""
    shown, face = set_in(text, font)
    while len(shown) > 1 and stringWidth(shown, face, size) > room * mm + 0.01:
        shown = shown[:-2].rstrip(" ·") + "…"
    canvas.setFont(face, size)
    canvas.drawString(left * mm, bottom * mm, shown)


def _code(canvas: Canvas, url: str, left: float, bottom: float, side: float) -> None:
    matrix = segno.make(url, error="m", micro=False).matrix
    cell = side / len(matrix)
    for row, cells in enumerate(matrix):
        at = 0
        while at < len(cells):
            run = at
            while run < len(cells) and cells[run]:
                run += 1
            if run > at:
                # A hair wider than its cells, so that no light shows between them.
                canvas.rect(
                    (left + at * cell) * mm,
                    (bottom + side - (row + 1) * cell) * mm,
                    (run - at) * cell * mm + 0.05,
                    cell * mm + 0.05,
                    stroke=0,
                    fill=1,
                )
            at = max(run, at + 1)
