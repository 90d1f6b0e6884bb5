"""What a judged piece says of the machine, the plastic, or the melt limit."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from pydantic import Field

from meanbead.core.errors import MeanBeadError
from meanbead.core.model import Material, Printer
from meanbead.core.model.base import Model, Result
from meanbead.core.model.flow_test import FlowPoint
from meanbead.core.model.printer import MeasuredOverhang
from meanbead.core.testpieces.kinds import PieceKind
from meanbead.core.testpieces.make import Band

__all__ = ["Judged", "Outcome", "PrintedPiece", "outcome"]


@dataclass(frozen=True)
class PrintedPiece:
    """A piece as it was printed: what was tried in which band, the spans of its rungs, mm, if any, and with which bore, layer
    height and temperature."""

    kind: PieceKind
    bands: tuple[Band, ...]
    spans_mm: tuple[float, ...]
    bore_mm: float
    layer_height_mm: float
    temp_c: float


class Judged(Model):
    """What was seen. ``band`` is the one that was marked, 0 where none was good; ``other_band`` the coldest that still holds, of a
    temperature tower; ``span_mm`` the longest straight rung, of a ladder."""

    band: Annotated[int, Field(ge=0, le=100)]
    other_band: Annotated[int, Field(ge=1, le=100)] | None = None
    span_mm: Annotated[float, Field(gt=0, le=500)] | None = None
    note: Annotated[str, Field(max_length=400)] = ""


class Outcome(Result):
    """The answer in words, what changes of machine and plastic (None where nothing does), and strands for a flow test."""

    sentence: str
    printer: Printer | None
    material: Material | None
    strands: list[FlowPoint]


def outcome(piece: PrintedPiece, judged: Judged, printer: Printer, material: Material) -> Outcome:
    """What a piece says. Raises :class:`MeanBeadError` for bands that it has not, or where no band was good."""
    chosen = _band(piece, judged.band, "band")
    value = chosen.value
    given: dict[str, object] = {}
    plastic: dict[str, object] = {}
    strands: list[FlowPoint] = []
    name = piece.kind.name
    height, bore_mm, temp_c = piece.layer_height_mm, piece.bore_mm, piece.temp_c
    if name == "acceleration":
        given = {"clean_acceleration_mm_s2": value}
        sentence = f"Clean up to {value:g} mm/s²."
    elif name == "overhang":
        one = MeasuredOverhang(
            bore_mm=bore_mm, layer_height_mm=height, line_width_mm=round(1.05 * bore_mm, 3), angle_deg=value
        )
        kept = [
            other
            for other in printer.measured_overhangs
            if (other.bore_mm, other.layer_height_mm) != (one.bore_mm, one.layer_height_mm)
        ]
        given = {"measured_overhangs": (*kept, one)}
        sentence = f"Clean up to {value:g}° from upright with {height:g} mm layers."
    elif name == "bridge":
        span = judged.span_mm
        if span is None or span not in piece.spans_mm:
            spans = ", ".join(f"{one:g}" for one in piece.spans_mm)
            raise MeanBeadError(
                "Which rung is the longest straight one?", field="span_mm", remedy=f"One of {spans} mm."
            )
        given = {"bridge_span_mm": span}
        plastic = {"bridge_speed_mm_s": value, "bridge_flow_ratio": chosen.flow}
        sentence = f"Straight up to {span:g} mm at {value:g} mm/s with a flow of {chosen.flow:g}."
    elif name == "pull":
        given = {"pull_length_mm": value}
        sentence = f"No strings from {value:g} mm of pull on."
    elif name == "temperature":
        coldest = _band(piece, judged.other_band or judged.band, "other_band").value
        plastic = {
            "nozzle_temp_c": value,
            "nozzle_temp_min_c": min(value, coldest),
            "first_layer_nozzle_temp_c": None
            if material.first_layer_nozzle_temp_c is None
            else max(material.first_layer_nozzle_temp_c, min(value, coldest)),
        }
        sentence = f"Best at {value:g} °C, holds from {min(value, coldest):g} °C on."
    elif name == "narrow_line":
        given = {"narrow_line_speed_mm_s": value}
        sentence = f"Narrow walls are whole up to {value:g} mm/s."
    else:
        strands = [
            FlowPoint(
                flow_mm3_s=band.value,
                temp_c=temp_c,
                fan=material.fan_max,
                strand="straight" if band.number <= judged.band else "curl",
            )
            for band in piece.bands
        ]
        sentence = f"Even and closed up to {value:g} mm³/s at {temp_c:g} °C."
    return Outcome(
        sentence=sentence,
        printer=None if not given else Printer.model_validate(printer.model_dump() | given),
        material=None if not plastic else Material.model_validate(material.model_dump() | plastic),
        strands=strands,
    )


def _band(piece: PrintedPiece, number: int, field: str) -> Band:
    found = next((band for band in piece.bands if band.number == number), None)
    if found is None:
        none = "No band was good: " if number == 0 else f"There is no band {number}: "
        raise MeanBeadError(
            f"{none}nothing can be taken from this piece.",
            field=field,
            remedy=f"Mark one of 1 to {len(piece.bands)}, or print it again with gentler settings.",
        )
    return found
