"""A part's report as a PDF, to print or to send: the chosen recipe, its figures with their interval, the others beside it, where
the time goes, the first layer, and every setting."""

from __future__ import annotations

import io
from collections.abc import Sequence
from dataclasses import dataclass
from xml.sax.saxutils import escape

import numpy as np
from reportlab.graphics.shapes import Drawing, Line, Rect
from reportlab.lib import colors
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.platypus import Flowable, Image, KeepTogether, Paragraph, SimpleDocTemplate, Spacer, Table, TableStyle

from meanbead.core.model import Estimate
from meanbead.core.recipe.settings_sheet import Setting
from meanbead.core.strokes import FEATURES, Strokes
from meanbead.core.text.durations import duration, duration_difference
from meanbead.services.pdf_text import BOLD, FONT, set_in

__all__ = ["Compared", "ReportContent", "report_pdf"]

_INK, _QUIET, _RULE = colors.HexColor("#2b2622"), colors.HexColor("#6b6259"), colors.HexColor("#d5ccba")
_TONES = ("#2b2622", "#b5400b", "#4d5b66", "#8a7a5c", "#c9854b", "#9aa5ad", "#d6c7a8", "#6b3a52", "#3f6042", "#b9b1a3")
_BODY = ParagraphStyle("body", fontName=FONT, fontSize=9, leading=11.5, textColor=_INK)
_SMALL = ParagraphStyle("small", parent=_BODY, fontSize=8, leading=10, textColor=_QUIET)
_HEAD = ParagraphStyle("head", parent=_BODY, fontName=BOLD, fontSize=12, leading=15, spaceBefore=9, spaceAfter=3)
_TITLE = ParagraphStyle("title", parent=_HEAD, fontSize=18, leading=22, spaceBefore=0)
_LARGE = ParagraphStyle("large", parent=_BODY, fontName=BOLD, fontSize=16, leading=19)
_RIGHT = ParagraphStyle("right", parent=_BODY, alignment=2)
_WIDE = A4[0] - 36 * mm
_DRAWN_MM = 70.0


@dataclass(frozen=True)
class Compared:
    """A column of the sheet beside the one that is reported."""

    name: str
    estimate: Estimate


@dataclass(frozen=True)
class ReportContent:
    """All that a report says. ``currency`` is written after amounts; ``picture`` is a PNG; ``strokes`` are those of all
    layers, of which the lowest is drawn, None for a replayed file; ``printed_with`` are machine, nozzle and material."""

    part_name: str
    note: str
    size_mm: tuple[float, float, float]
    picture: bytes
    recipe_name: str
    printed_with: tuple[str, str, str]
    estimate: Estimate
    currency: str
    others: Sequence[Compared]
    strokes: Strokes | None
    settings: Sequence[Setting]
    made_on: str


def report_pdf(content: ReportContent) -> bytes:
    """The report, A4."""
    out = io.BytesIO()
    document = SimpleDocTemplate(
        out,
        pagesize=A4,
        leftMargin=18 * mm,
        rightMargin=18 * mm,
        topMargin=16 * mm,
        bottomMargin=16 * mm,
        title=f"{content.part_name}: {content.recipe_name}",
        author="Mean Bead",
    )
    story: list[Flowable] = [
        *_heading(content),
        *_figures(content),
        *_comparison(content),
        *_ledgers(content.estimate),
        *_first_layer(content.strokes),
        *_settings(content.settings),
        Spacer(1, 4 * mm),
        _text(
            "Strength indices are no ratings, and unattended printing is a fire risk: follow the makers' instructions, local codes and "
            "licensed practice.",
            _SMALL,
        ),
    ]
    document.build(story)
    return out.getvalue()


def _text(text: str, style: ParagraphStyle = _BODY) -> Paragraph:
    shown, face = set_in(text.replace("−", "–"), style.fontName)
    return Paragraph(
        escape(shown), style if face == style.fontName else ParagraphStyle("wide", parent=style, fontName=face)
    )


def _table(rows: Sequence[Sequence[str]], widths: Sequence[float]) -> Table:
    """A table whose first row is its head, and whose first column is text."""
    cells = [
        [_text(cell, _SMALL if row == 0 else _BODY if column == 0 else _RIGHT) for column, cell in enumerate(line)]
        for row, line in enumerate(rows)
    ]
    made = Table(cells, colWidths=list(widths), repeatRows=1)
    made.setStyle(
        TableStyle(
            [
                ("LINEBELOW", (0, 0), (-1, -1), 0.4, _RULE),
                ("TOPPADDING", (0, 0), (-1, -1), 1.5),
                ("BOTTOMPADDING", (0, 0), (-1, -1), 1.5),
                ("LEFTPADDING", (0, 0), (-1, -1), 2),
                ("VALIGN", (0, 0), (-1, -1), "TOP"),
            ]
        )
    )
    return made


def _heading(content: ReportContent) -> list[Flowable]:
    size = " x ".join(f"{length:.1f}" for length in content.size_mm)
    words = [
        _text(content.part_name, _TITLE),
        _text(f"{size} mm · {content.made_on}", _SMALL),
        _text(content.note),
        _text(f"Recipe: {content.recipe_name}", _HEAD),
        _text(" · ".join(content.printed_with)),
    ]
    picture = Image(io.BytesIO(content.picture), width=44 * mm, height=33 * mm)
    head = Table([[words, picture]], colWidths=[_WIDE - 48 * mm, 48 * mm])
    head.setStyle(TableStyle([("VALIGN", (0, 0), (-1, -1), "TOP"), ("LEFTPADDING", (0, 0), (-1, -1), 0)]))
    return [head]


def _figures(content: ReportContent) -> list[Flowable]:
    e, money = content.estimate, content.currency
    cells = [
        (
            "Printing time",
            duration(e.print_time_s),
            f"{duration(e.interval.low_s)} to {duration(e.interval.high_s)} here",
        ),
        ("Whole time", duration(e.whole_time_s), f"with {duration(e.heat_up_s + e.start_time_s)} of heating and start"),
        ("Filament", f"{e.filament_g:.1f} g", f"{e.filament_mm / 1000:.2f} m"),
        ("Cost", f"{e.cost:.2f} {money}", f"{e.filament_cost:.2f} of it filament"),
    ]
    made = Table(
        [[[_text(n, _SMALL), _text(v, _LARGE), _text(w, _SMALL)] for n, v, w in cells]], colWidths=[_WIDE / 4] * 4
    )
    made.setStyle(TableStyle([("BOX", (0, 0), (-1, -1), 0.6, _RULE), ("INNERGRID", (0, 0), (-1, -1), 0.4, _RULE)]))
    basis = f"The interval is {e.interval.source}: {e.interval.basis}. Engine version {e.engine_version}."
    return [Spacer(1, 2 * mm), made, _text(basis, _SMALL)]


def _comparison(content: ReportContent) -> list[Flowable]:
    if not content.others:
        return []
    mine = content.estimate
    rows = [["Recipe", "Printing time", "difference", "Filament", "difference", "Cost"]]
    for name, e in [(content.recipe_name, mine), *((other.name, other.estimate) for other in content.others)]:
        same = e is mine
        rows.append(
            [
                name,
                duration(e.print_time_s),
                "" if same else duration_difference(e.print_time_s - mine.print_time_s),
                f"{e.filament_g:.1f} g",
                "" if same else f"{e.filament_g - mine.filament_g:+.1f} g",
                f"{e.cost:.2f} {content.currency}",
            ]
        )
    widths = [_WIDE - 120 * mm, 26 * mm, 26 * mm, 22 * mm, 24 * mm, 22 * mm]
    return [KeepTogether([_text("Beside the others", _HEAD), _table(rows, widths)])]


def _ledgers(e: Estimate) -> list[Flowable]:
    by_feature = [(name, share.time_s, share.filament_g) for name, share in e.by_feature.items()]
    shown = [entry for entry in by_feature if entry[1] > 0 or entry[2] > 0]
    bar = Drawing(_WIDE, 7 * mm)
    left = 0.0
    for place, (_, seconds, _grams) in enumerate(shown):
        wide = _WIDE * seconds / max(e.print_time_s, 1e-9)
        bar.add(Rect(left, 1 * mm, wide, 5 * mm, fillColor=_tone(place), strokeColor=colors.white, strokeWidth=0.4))
        left += wide
    rows = [["By feature", "time", "share", "filament"]]
    rows += [
        [name.replace("_", " "), duration(seconds), f"{100 * seconds / e.print_time_s:.0f} %", f"{grams:.1f} g"]
        for name, seconds, grams in shown
    ]
    causes = [["By cause", "time", "share"]]
    causes += [
        [name.removesuffix("_s").replace("_", " "), duration(seconds), f"{100 * seconds / e.print_time_s:.0f} %"]
        for name, seconds in e.by_cause.model_dump().items()
        if seconds >= 0.5
    ]
    half = _WIDE / 2 - 3 * mm
    both = Table(
        [
            [
                _table(rows, [half - 54 * mm, 19 * mm, 15 * mm, 20 * mm]),
                _table(causes, [half - 38 * mm, 22 * mm, 16 * mm]),
            ]
        ],
        colWidths=[half + 6 * mm, half],
    )
    both.setStyle(TableStyle([("VALIGN", (0, 0), (-1, -1), "TOP"), ("LEFTPADDING", (0, 0), (-1, -1), 0)]))
    return [_text("Where the time goes", _HEAD), bar, both]


def _tone(place: int) -> colors.Color:
    return colors.HexColor(_TONES[place % len(_TONES)])


def _first_layer(strokes: Strokes | None) -> list[Flowable]:
    if strokes is None:
        return []
    laid = (strokes.layer == 0) & ~strokes.is_travel
    start, end = strokes.start_xy[laid], strokes.end_xy[laid]
    if not len(start):
        return []
    low = np.minimum(start.min(axis=0), end.min(axis=0))
    size = np.maximum(start.max(axis=0), end.max(axis=0)) - low
    scale = _DRAWN_MM * mm / max(float(size.max()), 1.0)
    drawing = Drawing(float(size[0]) * scale + 4, float(size[1]) * scale + 4)
    codes, widths = strokes.feature[laid], strokes.width_mm[laid]
    used = np.unique(codes).tolist()
    for (ax, ay), (bx, by), code, width in zip(
        ((start - low) * scale + 2).tolist(),
        ((end - low) * scale + 2).tolist(),
        codes.tolist(),
        widths.tolist(),
        strict=True,
    ):
        drawing.add(
            Line(ax, ay, bx, by, strokeColor=_tone(used.index(code)), strokeWidth=max(0.2, 0.8 * width * scale))
        )
    names = ", ".join(FEATURES[code].replace("_", " ") for code in used)
    return [KeepTogether([_text("The first layer", _HEAD), drawing, _text(f"{len(start)} strokes: {names}.", _SMALL)])]


def _settings(settings: Sequence[Setting]) -> list[Flowable]:
    if not settings:
        return []
    rows = [["Setting", "value", "why"]]
    rows += [[f"{entry.group}: {entry.label}", f"{entry.shown} {entry.unit}".strip(), entry.why] for entry in settings]
    return [_text("Settings", _HEAD), _table(rows, [62 * mm, 34 * mm, _WIDE - 96 * mm])]
