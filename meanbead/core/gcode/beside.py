"""What stands in a file beside its moves, by line: temperatures, accelerations, dwells, the marks of printing; and where lines
begin, so that a byte can be told for a line."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import BinaryIO

import numpy as np
from numpy.typing import NDArray

from meanbead.core.model.nozzle import Nozzle

__all__ = ["BEGINS", "BORE_PATTERN", "ENDS", "Beside", "nozzle_of_head", "read_beside"]

BEGINS, ENDS = "; print begins", "; print ends"
"""Between these two lines stands what an estimate counts as printing."""

BORE_PATTERN = r"(?i)^[^\n]*?\bnozzle\b[^0-9\n]{0,24}(?P<bore>\d*\.?\d+) ?mm\b"
"""Comments in a file's head that name the bore that it was made for, mm: the group ``bore``."""
_HEAD_BYTES, _HEAD_LINE = 16_384, 200
_BORES_MM = (0.1, 2.0)
"""What a nozzle may have; other numbers are not taken for a bore."""

_LINES_A_MARK = 64
_PIECE_BYTES = 4 * 1024 * 1024

_LOOKED_FOR = re.compile(
    rb"^[ \t]*(?:[Nn]\d+[ \t]*)?(?:[Mm](?P<code>104|109|140|190|204)|(?P<dwell>[Gg]0*4))\b(?P<words>[^;\n]*)"
    rb"|^(?P<mark>; print (?:begins|ends))\r?$",
    re.MULTILINE,
)
_WORD = re.compile(rb"([A-Za-z])[ \t]*(-?\d*\.?\d+)")

Ints = NDArray[np.int64]


@dataclass
class Beside:
    """``nozzle`` and ``bed`` are targets with their lines, degrees C, and whether the file waits there; ``accelerations`` by line
    and letter, mm/s2; ``dwells`` by line, s; ``begins`` and ``ends`` the lines of the marks, None where there are none; ``bore_mm`` is what the head names, if it does."""

    nozzle: list[tuple[int, float, bool]] = field(default_factory=list)
    bed: list[tuple[int, float, bool]] = field(default_factory=list)
    accelerations: list[tuple[int, str, float]] = field(default_factory=list)
    dwells: list[tuple[int, float]] = field(default_factory=list)
    begins: int | None = None
    ends: int | None = None
    bore_mm: float | None = None
    size_bytes: int = 0
    lines: int = 0
    _starts: list[Ints] = field(default_factory=lambda: [np.zeros(1, np.int64)])

    def byte_of(self, line: int) -> int:
        """About where a line, counted from 1, begins: to some sixty lines."""
        starts = self._all_starts()
        before = max(1, line) - 1
        low = min(before // _LINES_A_MARK, len(starts) - 1)
        last = low + 1 == len(starts)
        end = self.size_bytes if last else int(starts[low + 1])
        count = max(1, self.lines - low * _LINES_A_MARK) if last else _LINES_A_MARK
        return int(starts[low] + min(1.0, (before - low * _LINES_A_MARK) / count) * (end - starts[low]))

    def _all_starts(self) -> Ints:
        if len(self._starts) > 1:
            self._starts = [np.concatenate(self._starts)]
        return self._starts[0]

    def inside(self, line: Ints) -> NDArray[np.bool_]:
        """True for lines between the marks of printing; for all where there are none."""
        if self.begins is None or self.ends is None:
            return np.ones(len(line), dtype=bool)
        found: NDArray[np.bool_] = (line > self.begins) & (line < self.ends)
        return found


def _bore_of_head(head: bytes) -> float | None:
    """The bore that a file says it was made for, mm, from the comments before its first command; None where it says none. The
    last one counts: a title comes first, and may hold any words."""
    bore_mm = None
    for line in head[:_HEAD_BYTES].decode("utf-8", "replace").splitlines():
        comment = line.strip()
        if comment and not comment.startswith(";"):
            break
        found = re.match(BORE_PATTERN, comment[1:_HEAD_LINE])
        if found and _BORES_MM[0] <= float(found["bore"]) <= _BORES_MM[1]:
            bore_mm = float(found["bore"])
    return bore_mm


def nozzle_of_head(stream: BinaryIO) -> Nozzle:
    """The nozzle that a file was made for, as its head says, else a usual one; the stream begins anew."""
    bore_mm = _bore_of_head(stream.read(_HEAD_BYTES))
    stream.seek(0)
    return Nozzle() if bore_mm is None else Nozzle(bore_mm=bore_mm)


def read_beside(stream: BinaryIO) -> Beside:
    """Read a file from its start to its end, in pieces."""
    told = Beside()
    for text in _pieces(stream):
        if not told.size_bytes:
            told.bore_mm = _bore_of_head(text)
        newlines = np.flatnonzero(np.frombuffer(text, np.uint8) == 10)
        # The line that begins after the k-th newline of the file is line k + 2.
        numbers = told.lines + 1 + np.arange(len(newlines))
        kept = newlines[numbers % _LINES_A_MARK == 0] + 1 + told.size_bytes
        if len(kept):
            told._starts.append(kept.astype(np.int64))
        for found in _LOOKED_FOR.finditer(text):
            line = told.lines + 1 + int(np.searchsorted(newlines, found.start()))
            _take(told, found, line)
        told.lines += len(newlines)
        told.size_bytes += len(text)
    return told


def _pieces(stream: BinaryIO) -> Iterator[bytes]:
    rest = b""
    while block := stream.read(_PIECE_BYTES):
        block = rest + block
        cut = block.rfind(b"\n") + 1
        rest = block[cut:]
        if cut:
            yield block[:cut]
    if rest:
        yield rest


def _take(told: Beside, found: re.Match[bytes], line: int) -> None:
    mark = found["mark"]
    if mark is not None:
        if mark == BEGINS.encode() and told.begins is None:
            told.begins = line
        elif mark == ENDS.encode():
            told.ends = line
        return
    words = {letter.decode().upper(): float(value) for letter, value in _WORD.findall(found["words"])}
    if found["dwell"] is not None:
        told.dwells.append((line, words["S"] if "S" in words else words.get("P", 0.0) / 1000))
        return
    code = int(found["code"])
    target = words.get("S", words.get("R"))
    if code in (104, 109) and target is not None:
        told.nozzle.append((line, target, code == 109))
    elif code in (140, 190) and target is not None:
        told.bed.append((line, target, code == 190))
    elif code == 204:
        told.accelerations.extend((line, letter, value) for letter, value in words.items() if letter in "SPTR")
