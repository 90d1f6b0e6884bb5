"""A machine's console: send a file to its card, select and start it, ask how far it is, pause it, stop it at once.

Spoken are the common commands of hobby firmware: ``M20`` list, ``M23`` select, ``M24`` start or go on, ``M25`` pause, ``M27``
progress, ``M28``/``M29`` write, ``M30`` delete, ``M31`` print time, ``M105`` temperatures, ``M112`` emergency stop. A link is kept
open, because opening a serial line restarts many machines.
"""

from __future__ import annotations

import re
import threading
from collections import deque
from collections.abc import Iterable, Iterator
from contextlib import ExitStack, suppress
from dataclasses import dataclass

from meanbead.core.errors import MeanBeadError
from meanbead.devices.console import OpenConsole, open_console
from meanbead.devices.reachable import within_reach
from meanbead.devices.ways import SendProgress, Unreachable, WayDescription

__all__ = ["CardFile", "ConsoleWay", "Link", "Status", "bare_lines", "checked_line"]

ANSWER_S = 6.0
SETTLE_S = 0.4
_TRIES = 12
_KEPT_LINES = 200

_PROGRESS = re.compile(r"SD printing byte (\d+)/(\d+)")
_NOT_PRINTING = re.compile(r"Not SD printing", re.IGNORECASE)
_PRINT_TIME = re.compile(r"Print time:\s*((?:\d+\s*[dhms]\s*)+)", re.IGNORECASE)
_TIME_WORD = re.compile(r"(\d+)\s*([dhms])")
_SECONDS = {"d": 86_400, "h": 3600, "m": 60, "s": 1}
_NOZZLE = re.compile(r"\bT0?:\s*(-?\d+(?:\.\d+)?)\s*/\s*(-?\d+(?:\.\d+)?)")
_BED = re.compile(r"\bB:\s*(-?\d+(?:\.\d+)?)\s*/\s*(-?\d+(?:\.\d+)?)")
_RESEND = re.compile(r"(?:^|\n)(?:Resend:|rs)\s*N?(\d+)", re.IGNORECASE)
_OPENED = re.compile(r"File opened:\s*(\S+)\s+Size:\s*(\d+)")
_LISTED = re.compile(r"^(\S+\.\S+)\s+(\d+)\s*$", re.MULTILINE)
_STARTED_ANEW = re.compile(r"(?:^|\n)start\r?\n")
_DONE = re.compile(r"Done printing file", re.IGNORECASE)
_FAILED = re.compile(r"open failed|volume\.init failed|no sd card|error writing|full", re.IGNORECASE)


@dataclass(frozen=True)
class CardFile:
    """A file on a machine's card, with its size in bytes."""

    name: str
    size_bytes: int


@dataclass(frozen=True)
class Status:
    """What a machine said of itself: whether it prints, how far it has read of how much, for how long, s, by its own clock, and
    its temperatures, degrees C. None where it did not say. ``restarted`` and ``done`` tell what was heard since the last look."""

    printing: bool | None
    byte: int | None
    size_bytes: int | None
    clock_s: float | None
    nozzle_c: float | None
    nozzle_target_c: float | None
    bed_c: float | None
    bed_target_c: float | None
    restarted: bool
    done: bool


class Link:
    """An open console. Commands take turns; the emergency stop waits for none, and with ``stop`` is the first word on the line."""

    def __init__(self, described: WayDescription, *, stop: bool = False) -> None:
        self.described = described
        self._stack = ExitStack()
        address = within_reach(described.address, allowed=described.allowed)
        try:
            self._console: OpenConsole = self._stack.enter_context(
                open_console(address, baud=described.baud, timeout_s=5.0)
            )
        except MeanBeadError as problem:
            raise Unreachable(problem.message, field="address", remedy=problem.remedy) from None
        self._lock = threading.Lock()
        self._restarted = self._done = False
        if stop:
            self.stop_at_once()  # before anything is listened to: a greeting may take seconds
        with self._lock, suppress(OSError):
            self._heard(self._console.hear(3.0, SETTLE_S))
        # Whoever connects is greeted, too: what was heard so far says nothing of a print that is followed.
        self._restarted = self._done = False

    def close(self) -> None:
        """Let the line go."""
        self._stack.close()

    def ask(self, command: str, timeout_s: float = ANSWER_S) -> str:
        """One command, and what is answered up to its ``ok``. Raises :class:`Unreachable` where the line is dead."""
        with self._lock:
            try:
                text = self._console.command(command, timeout_s)
            except (MeanBeadError, OSError):
                raise _silent(command) from None
        self._heard(text)
        return text

    def stop_at_once(self) -> None:
        """The emergency stop, without waiting for anything. Raises :class:`Unreachable` where the line is dead."""
        try:
            self._console.send(b"M112\n")
        except OSError:
            raise _silent("M112") from None

    def status(self) -> Status:
        """How far the machine is."""
        progress, clock, heat = self.ask("M27"), self.ask("M31"), self.ask("M105")
        at, nozzle, bed = _PROGRESS.search(progress), _NOZZLE.search(heat), _BED.search(heat)
        restarted, done = self._restarted, self._done
        self._restarted = self._done = False
        return Status(
            printing=True if at else (False if _NOT_PRINTING.search(progress) else None),
            byte=int(at[1]) if at else None,
            size_bytes=int(at[2]) if at else None,
            clock_s=_print_time(clock),
            nozzle_c=float(nozzle[1]) if nozzle else None,
            nozzle_target_c=float(nozzle[2]) if nozzle else None,
            bed_c=float(bed[1]) if bed else None,
            bed_target_c=float(bed[2]) if bed else None,
            restarted=restarted,
            done=done,
        )

    def files(self) -> list[CardFile]:
        """What lies on the card."""
        return [CardFile(name, int(size)) for name, size in _LISTED.findall(self.ask("M20", 20.0).replace("\r", ""))]

    def start(self, name: str) -> None:
        """Select a file and start it. Raises :class:`MeanBeadError` where the machine has none of that name."""
        self.select(name)
        self.ask("M24")

    def select(self, name: str) -> int:
        """Select a file; its size in bytes."""
        told = self.ask(f"M23 {name}")
        found = _OPENED.search(told)
        if found is None:
            raise MeanBeadError(
                f"The machine has no file {name}.", field="file_name", remedy="Send it again; is the card in?"
            )
        return int(found[2])

    def pause(self) -> None:
        """Stand still where it is."""
        self.ask("M25")

    def resume(self) -> None:
        """Go on."""
        self.ask("M24")

    def write(self, name: str, content: Iterable[bytes], size_bytes: int, progress: SendProgress) -> None:
        """Write a file to the card, line by line with a checksum each, and see that all of it is there.

        Raises :class:`MeanBeadError` for a full card or a size that is not right; what was written is deleted then.
        """
        told = self.ask(f"M28 {name}", 20.0)
        if _FAILED.search(told):
            raise MeanBeadError(
                "The machine cannot write to its card.",
                field="address",
                remedy="Is it in, and not locked or full?",
                code="full",
            )
        sent = lines = 0
        try:
            with self._lock:
                numbered = _Numbered(self._console)
                for line in bare_lines(content):
                    numbered.send(line)
                    sent += len(line) + 1
                    lines += 1
                    if lines % 50 == 0:
                        progress(sent)
        except OSError:
            raise _silent("a line of the file") from None
        except BaseException:
            with suppress(MeanBeadError):
                self._end_writing()
                self.ask(f"M30 {name}", 20.0)
            raise
        self._end_writing()
        size = self.select(name)
        if size not in (sent, sent + lines):  # some end their lines with two letters
            with suppress(MeanBeadError):
                self.ask(f"M30 {name}", 20.0)
            raise MeanBeadError(
                f"{sent:,} bytes were sent, and {size:,} lie on the card.",
                field="address",
                remedy="Send it again; if it happens again, try another card.",
            )
        progress(sent)

    def _end_writing(self) -> None:
        self.ask("M29", 20.0)

    def _heard(self, text: str) -> None:
        plain = text.replace("\r\n", "\n")
        self._restarted = self._restarted or bool(_STARTED_ANEW.search(plain))
        self._done = self._done or bool(_DONE.search(plain))


class _Numbered:
    """Lines with numbers and checksums, each answered before the next; what a machine asks for again is sent again."""

    def __init__(self, console: OpenConsole) -> None:
        self._console = console
        self._kept: deque[tuple[int, bytes]] = deque(maxlen=_KEPT_LINES)
        self._number = 0
        self._send(0, b"M110")
        self._answered(0)

    def send(self, line: bytes) -> None:
        self._number += 1
        self._send(self._number, line)
        self._answered(self._number)

    def _send(self, number: int, line: bytes) -> None:
        self._kept.append((number, line))
        self._console.send(checked_line(number, line))

    def _answered(self, number: int) -> None:
        """Wait until a line has arrived; it is sent again as often as the machine asks for it, or does not answer."""
        tries = 0
        while True:
            heard = self._console.answer(ANSWER_S)
            again = _RESEND.search(heard)
            if again is None and re.search(r"(^|\n)ok\b", heard):
                if _FAILED.search(heard):
                    raise MeanBeadError(
                        "The card is full.", field="address", remedy="Delete something on it.", code="full"
                    )
                return
            if again is not None and int(again[1]) > number:
                return  # it had arrived, and only the answer was lost
            tries += 1
            if tries > _TRIES:
                raise MeanBeadError(
                    "The machine asks for the same line again and again.",
                    field="address",
                    remedy="Look at the cable; a slower line may help.",
                )
            wanted = number if again is None else int(again[1])
            for held, line in list(self._kept):
                if wanted <= held <= number:
                    self._console.send(checked_line(held, line))
                    if held < number:
                        self._console.answer(ANSWER_S)


class ConsoleWay:
    """A console as a way to send files; the link is opened for it."""

    def __init__(self, described: WayDescription, link: Link | None = None) -> None:
        self._described, self._held = described, link

    def test(self) -> str:
        """Ask for temperature and card."""
        with self._link() as link:
            heat = _NOZZLE.search(link.ask("M105"))
            warm = f"; the nozzle is at {float(heat[1]):.0f} °C" if heat else ""
            told = link.ask("M20", 20.0)
            if _FAILED.search(told):
                return f"The machine answers{warm}, but has no card that can be read."
            count = len(_LISTED.findall(told.replace("\r", "")))
            return f"The machine answers{warm}; {count} file{'s lie' if count != 1 else ' lies'} on its card."

    def send(self, name: str, content: Iterable[bytes], size_bytes: int, progress: SendProgress) -> None:
        """Write a file to the machine's card."""
        with self._link() as link:
            if link.status().printing:
                raise MeanBeadError("The machine is printing.", field="machine_id", remedy="Wait until it has ended.")
            link.write(name, content, size_bytes, progress)

    def _link(self) -> _Borrowed:
        return _Borrowed(self._held or Link(self._described), close=self._held is None)


class _Borrowed:
    def __init__(self, link: Link, *, close: bool) -> None:
        self._link, self._close = link, close

    def __enter__(self) -> Link:
        return self._link

    def __exit__(self, *_: object) -> None:
        if self._close:
            self._link.close()


def bare_lines(content: Iterable[bytes]) -> Iterator[bytes]:
    """Lines as a console takes them: without comments, ends and empty ones."""
    rest = b""
    for block in content:
        rest += block
        *whole, rest = rest.split(b"\n")
        yield from (bare for line in whole if (bare := _bare(line)))
    if bare := _bare(rest):
        yield bare


def _bare(line: bytes) -> bytes:
    return line.partition(b";")[0].strip()


def checked_line(number: int, line: bytes) -> bytes:
    """``N1 G28*18``: a line with its number and the exclusive or of its letters."""
    text = b"N%d %s" % (number, line)
    total = 0
    for letter in text:
        total ^= letter
    return b"%s*%d\n" % (text, total)


def _print_time(text: str) -> float | None:
    found = _PRINT_TIME.search(text)
    if found is None:
        return None
    return float(sum(int(count) * _SECONDS[unit.lower()] for count, unit in _TIME_WORD.findall(found[1].lower())))


def _silent(command: str) -> Unreachable:
    return Unreachable(
        f"The machine does not answer “{command}”.", field="address", remedy="Look at it; the line is tried again."
    )
