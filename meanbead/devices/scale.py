"""Read a weight from a scale that sends its reading line by line, over the network."""

from __future__ import annotations

import re
import socket
import time
from dataclasses import dataclass

from meanbead.core.errors import MeanBeadError
from meanbead.devices.console import split_address

__all__ = ["Weight", "read_line", "read_weight"]

_LINE = re.compile(r"^\s*(?:(ST|US|S|D)\b[\s,A-Z]*)?([+-]?)\s*(\d+(?:\.\d+)?)\s*(mg|g|kg)\s*$")
_GRAMS = {"mg": 0.001, "g": 1.0, "kg": 1000.0}


@dataclass(frozen=True)
class Weight:
    """``grams`` as shown; ``step_g`` is the last digit's worth, and ``stable`` what the scale itself says."""

    grams: float
    step_g: float
    stable: bool


def read_line(line: str) -> Weight | None:
    """One line of a scale; None where it is damaged or says something else."""
    found = _LINE.match(line)
    if found is None:
        return None
    mark, sign, number, unit = found.groups()
    digits = len(number.partition(".")[2])
    factor = _GRAMS[unit]
    grams = float(number) * factor * (-1 if sign == "-" else 1)
    return Weight(round(grams, 6), round(factor * 10.0**-digits, 6), mark not in ("US", "D"))


def read_weight(address: str, timeout_s: float = 8.0) -> Weight:
    """The weight once it rests: two stable lines that agree. Raises :class:`MeanBeadError` where nothing answers or rests."""
    host, port = split_address(address, "scale_address")
    until, last, text = time.monotonic() + timeout_s, None, b""
    try:
        with socket.create_connection((host, port), timeout=min(5.0, timeout_s)) as line:
            while time.monotonic() < until:
                line.settimeout(max(0.05, until - time.monotonic()))
                data = line.recv(512)
                if not data:
                    break
                *whole, text = (text + data).split(b"\n")
                text = text[-200:]
                for entry in whole:
                    weight = read_line(entry.decode("ascii", errors="replace").strip("\r"))
                    if weight is None or not weight.stable:
                        last = None if weight is not None else last
                    elif last == weight:
                        return weight
                    else:
                        last = weight
    except TimeoutError:
        pass
    except OSError as problem:
        raise MeanBeadError(
            f"No scale answers at {address} ({problem.strerror or problem}).",
            field="scale_address",
            remedy="Check that it is on and sends its readings.",
        ) from None
    raise MeanBeadError(
        "The scale does not come to rest.", field="scale_address", remedy="Keep draughts away, or type the weight."
    )
