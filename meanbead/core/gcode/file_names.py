"""Names of files that say part, nozzle, height and minutes, as a machine's card reader can take them."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Collection

from meanbead.core.model.machine_file import FileNames

__all__ = ["file_name"]

_LONGEST = 60
_SHORT = 8


def file_name(
    part: str, bore_mm: float, height_mm: float, time_s: float, kind: FileNames, taken: Collection[str] = ()
) -> str:
    """``desk-hook-04n-020h-2h05.gcode``, or in eight letters and three ``DESK0420.GCO``: the first of the part, then the bore in
    tenths and the height in hundredths of a millimetre. A height of 0 is not known, and
    left out. A name that is ``taken`` (whatever its case) gets a number."""
    known = {name.upper() for name in taken}
    if kind == "short":
        return _short(part, bore_mm, height_mm, known)
    minutes = max(1, round(time_s / 60))
    height = f"-{_digits(height_mm * 100, 3)}h" if height_mm > 0 else ""
    tail = f"-{_digits(bore_mm * 10, 2)}n{height}-{minutes // 60}h{minutes % 60:02d}"
    stem = "-".join(re.findall(r"[a-z0-9]+", _ascii(part).lower())) or "part"
    for number in range(1, 1000):
        more = "" if number == 1 else f"-{number}"
        name = f"{stem[: _LONGEST - len(tail) - len(more)].rstrip('-')}{tail}{more}.gcode"
        if name.upper() not in known:
            break
    return name


def _short(part: str, bore_mm: float, height_mm: float, known: set[str]) -> str:
    tail = _digits(bore_mm * 10, 2) + (_digits(height_mm * 100, 2)[:2] if height_mm > 0 else "")
    letters = "".join(re.findall(r"[A-Z0-9]+", _ascii(part).upper())) or "PART"
    for number in range(1, 1000):
        # A second one of its kind gives up figures of the tail, not letters of the part.
        ending = tail if number == 1 else f"{tail[:2]}{number}"
        name = f"{letters[: _SHORT - len(ending)]}{ending}.GCO"
        if name not in known:
            break
    return name


def _ascii(text: str) -> str:
    return unicodedata.normalize("NFKD", text).encode("ascii", "ignore").decode()


def _digits(value: float, count: int) -> str:
    return f"{round(value):0{count}d}"
