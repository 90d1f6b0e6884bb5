"""Words in braces in a machine's own start and end text: what they stand for, and the text with the figures put in."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass

from meanbead.core.errors import MeanBeadError

__all__ = ["PLACEHOLDERS", "SIMPLE_END", "SIMPLE_START", "Placeholder", "fill_in", "unknown_words"]

_WORD = re.compile(r"\{([^{}\n]*)\}")


@dataclass(frozen=True)
class Placeholder:
    """A word that may stand in braces; ``example`` is what a usual print puts there."""

    word: str
    says: str
    unit: str
    example: str


PLACEHOLDERS: tuple[Placeholder, ...] = (
    Placeholder("first_layer_nozzle_temp_c", "the nozzle's temperature on the first layer", "°C", "215"),
    Placeholder("nozzle_temp_c", "the nozzle's temperature above it", "°C", "210"),
    Placeholder("first_layer_bed_temp_c", "the bed's temperature on the first layer", "°C", "60"),
    Placeholder("bed_temp_c", "the bed's temperature above it", "°C", "60"),
    Placeholder("first_layer_left_mm", "where the first layer's plastic begins in x", "mm", "80.5"),
    Placeholder("first_layer_right_mm", "where it ends in x", "mm", "139.5"),
    Placeholder("first_layer_front_mm", "where it begins in y", "mm", "90.2"),
    Placeholder("first_layer_back_mm", "where it ends in y", "mm", "129.8"),
    Placeholder("size_x_mm", "how wide everything on the plate is", "mm", "59"),
    Placeholder("size_y_mm", "how deep it is", "mm", "39.6"),
    Placeholder("size_z_mm", "how high it is", "mm", "40"),
    Placeholder("bed_x_mm", "how wide the bed is", "mm", "220"),
    Placeholder("bed_y_mm", "how deep it is", "mm", "220"),
    Placeholder("bed_z_mm", "how high the machine prints", "mm", "250"),
    Placeholder("layer_height_mm", "the layers' height", "mm", "0.2"),
    Placeholder("layers", "how many layers there are", "", "200"),
    Placeholder("bore_mm", "the nozzle's bore", "mm", "0.4"),
    Placeholder("print_time_s", "the printing time that was worked out", "s", "5400"),
    Placeholder("filament_g", "the plastic that it takes", "g", "21.4"),
    Placeholder("retraction_mm", "how far filament is pulled back", "mm", "0.8"),
    Placeholder("travel_mm_s", "how fast travels are", "mm/s", "150"),
)

_KNOWN = {placeholder.word for placeholder in PLACEHOLDERS}

SIMPLE_START = """\
G21
G90
M140 S{first_layer_bed_temp_c}
M104 S{first_layer_nozzle_temp_c}
G28
M190 S{first_layer_bed_temp_c}
M109 S{first_layer_nozzle_temp_c}
G92 E0
G1 Z5 F600
"""
"""A start that heats, homes and waits: something to begin with where a machine has no text of its own yet."""

SIMPLE_END = """\
M104 S0
M140 S0
M107
G91
G1 E-2 F1800
G1 Z10 F600
G90
M84
"""
"""An end that switches everything off and lifts the nozzle clear."""


def unknown_words(text: str) -> list[str]:
    """Words in braces that stand for nothing, in the text's order."""
    return [word for word in _WORD.findall(_plain(text)) if word not in _KNOWN]


def fill_in(text: str, values: Mapping[str, float], field: str) -> str:
    """The text with figures for its words. Raises :class:`MeanBeadError`, naming ``field``, for a word that stands for nothing."""
    unknown = unknown_words(text)
    if unknown:
        raise MeanBeadError(
            f"“{{{unknown[0]}}}” stands for nothing.",
            field=field,
            remedy=f"Use one of {', '.join(sorted(_KNOWN))}.",
        )

    def figure(found: re.Match[str]) -> str:
        return f"{round(values[found[1]], 3):.10g}" if found[1] in _KNOWN else found[0]

    # Comments are left as they are: braces in them are nobody's business.
    lines = []
    for line in text.splitlines():
        command, mark, comment = line.partition(";")
        lines.append(_WORD.sub(figure, command) + mark + comment)
    return "\n".join(lines)


def _plain(text: str) -> str:
    return "\n".join(line.partition(";")[0] for line in text.splitlines())
