"""Extended commands that set limits, matched by a pattern of the user's own and said in words that the reader knows."""

from __future__ import annotations

import math
import re
from collections.abc import Iterable

from meanbead.core.errors import MeanBeadError
from meanbead.core.gcode.parser import SAME_LINE
from meanbead.core.model.printer import Printer

__all__ = ["with_limits"]


def with_limits(pieces: Iterable[bytes], pattern: str, printer: Printer) -> Iterable[bytes]:
    """Whole lines, those that match a pattern said in words that the reader knows: M204 and M205.

    By the junction-deviation law a speed ``v`` through a square corner is the deviation ``v^2 (sqrt(2) - 1) / a``.
    """
    try:
        requested = re.compile(pattern.encode())
    except re.error as problem:
        raise MeanBeadError(
            f"The limits pattern is no regular expression: {problem}.", field="limits_pattern"
        ) from None
    if not {"acceleration", "corner"} & set(requested.groupindex):
        raise MeanBeadError(
            "The limits pattern has neither a group named acceleration nor one named corner.",
            field="limits_pattern",
            remedy="Write (?P<acceleration>...), (?P<corner>...) or both.",
        )
    acceleration = printer.acceleration_mm_s2.print

    def said(line: bytes) -> bytes:
        nonlocal acceleration
        found = requested.match(line)
        if found is None:
            return line
        groups, words = found.groupdict(), []
        try:
            if groups.get("acceleration"):
                acceleration = float(groups["acceleration"])
                words.append(f"M204 S{acceleration:.4f}")
            if groups.get("corner"):
                corner = float(groups["corner"])
                deviation = corner**2 * (math.sqrt(2) - 1) / max(acceleration, 1e-9)
                by_angle = printer.corner.law == "junction_deviation"
                words.append(f"M205 J{deviation:.7f}" if by_angle else f"M205 X{corner:.4f} Y{corner:.4f}")
        except ValueError:
            return line
        return SAME_LINE.join(word.encode() for word in words) if words else line

    for piece in pieces:
        yield b"\n".join(said(line) for line in piece.split(b"\n"))
