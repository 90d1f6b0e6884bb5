"""Work that goes on only while somebody asks: an iterator of ever better answers, advanced for a while at each look.

Nobody has to stop it: who no longer looks, no longer asks.
"""

from __future__ import annotations

import time
from collections.abc import Iterator
from threading import Lock
from typing import Generic, TypeVar

__all__ = ["Pulled"]

Answer = TypeVar("Answer")


class Pulled(Generic[Answer]):
    """An iterator of answers, each holding all that those before it did. Safe to share between threads: two that look at once
    look at the same."""

    def __init__(self, answers: Iterator[Answer]) -> None:
        self._answers = answers
        self._lock = Lock()
        self._last: list[Answer] = []
        self._done = False
        self._problem: Exception | None = None

    def pull(self, seconds: float) -> tuple[Answer, bool]:
        """Go on for about so many seconds, at least to the first answer; the newest answer, and whether it is the last.

        Raises what the work raises, each time anew; :class:`ValueError` where there is no answer at all.
        """
        until = time.monotonic() + seconds
        with self._lock:
            while not self._done and (not self._last or time.monotonic() < until):
                try:
                    self._last = [next(self._answers)]
                except StopIteration:
                    self._done = True
                except Exception as problem:
                    self._done, self._problem = True, problem
            if self._problem is not None:
                raise self._problem
            if not self._last:
                raise ValueError("there was nothing to answer")
            return self._last[0], self._done
