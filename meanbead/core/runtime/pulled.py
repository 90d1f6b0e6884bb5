"""Work that goes on only while somebody asks: an iterator of ever better answers, advanced for a while at each look.

Nobody has to stop it: who no longer looks, no longer asks.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from threading import Lock
from typing import Generic, TypeVar

__all__ = ["First", "Pulled"]

Answer = TypeVar("Answer")


class First:
    """What somebody waits for goes first: while any such work is under way, looks at growing answers end early."""

    def __init__(self) -> None:
        self._lock = Lock()
        self._under_way = 0

    def __enter__(self) -> None:
        with self._lock:
            self._under_way += 1

    def __exit__(self, *_: object) -> None:
        with self._lock:
            self._under_way -= 1

    @property
    def waiting(self) -> bool:
        """Whether such work is under way."""
        return self._under_way > 0


class Pulled(Generic[Answer]):
    """Answers as ``begin`` gives them, each holding all that those before it did. Safe to share between threads: two that look at
    once look at the same."""

    def __init__(self, begin: Callable[[], Iterator[Answer]]) -> None:
        self._begin: Callable[[], Iterator[Answer]] | None = begin
        self._answers: Iterator[Answer] | None = None
        self._lock = Lock()
        self._last: list[Answer] = []

    def pull(self, seconds: float, first: First | None = None) -> tuple[Answer, bool]:
        """Go on for about so many seconds, at least to the first answer; the newest answer, and whether it is the last. Ends
        early while other work goes ``first``.

        Raises what the work raises: the next look begins anew, for what failed may have passed. :class:`ValueError` where there
        is no answer at all.
        """
        until = time.monotonic() + seconds
        with self._lock:
            while self._begin is not None and (
                not self._last or (time.monotonic() < until and not (first is not None and first.waiting))
            ):
                if self._answers is None:
                    self._answers = self._begin()
                try:
                    self._last = [next(self._answers)]
                except StopIteration:
                    # What it was made of is let go: an answer is small, a part is not.
                    self._begin = self._answers = None
                except BaseException:
                    self._answers, self._last = None, []
                    raise
            if not self._last:
                raise ValueError("there was nothing to answer")
            return self._last[0], self._begin is None
