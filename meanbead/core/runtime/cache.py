"""A small memory for costly results, bounded in bytes, shared by threads."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable
from threading import Lock
from typing import Generic, TypeVar

__all__ = ["BoundedCache"]

Value = TypeVar("Value")


class _Gate:
    """Lets one thread at a time make a value."""

    def __init__(self) -> None:
        self.lock = Lock()
        self.asked_by = 0


class BoundedCache(Generic[Value]):
    """Keeps the most recently used values whose sizes sum to at most ``max_bytes``.

    Two threads that ask for the same missing value at once compute it once: the second waits.
    """

    def __init__(self, max_bytes: int, size_of: Callable[[Value], int]) -> None:
        self._max_bytes = max_bytes
        self._size_of = size_of
        self._values: OrderedDict[Hashable, Value] = OrderedDict()
        self._bytes = 0
        self._lock = Lock()
        self._changing = Lock()
        self._making: dict[Hashable, _Gate] = {}

    def __len__(self) -> int:
        return len(self._values)

    @property
    def nbytes(self) -> int:
        """Bytes held now."""
        return self._bytes

    def get(self, key: Hashable, make: Callable[[], Value]) -> Value:
        """The value of a key, made now if it is not held. Where making it fails, the next who asks tries again."""
        with self._lock:
            if key in self._values:
                self._values.move_to_end(key)
                return self._values[key]
            gate = self._making.setdefault(key, _Gate())
            gate.asked_by += 1
        try:
            with gate.lock:
                with self._lock:
                    if key in self._values:
                        return self._values[key]
                value = make()
                self._keep(key, value)
                return value
        finally:
            with self._lock:
                # It stays while anyone waits at it: two gates would let two threads make the same value.
                gate.asked_by -= 1
                if not gate.asked_by:
                    del self._making[key]

    def peek(self, key: Hashable) -> Value | None:
        """The value of a key if it is held."""
        with self._lock:
            if key not in self._values:
                return None
            self._values.move_to_end(key)
            return self._values[key]

    def peek_small(self, key: Hashable) -> Value | None:
        """:meth:`peek` at a value that its holder adds to; None as well once it has outgrown the memory, so that it begins anew."""
        held = self.peek(key)
        return None if held is None or self._size_of(held) > self._max_bytes else held

    def put(self, key: Hashable, value: Value) -> None:
        """Hold a value that was made elsewhere, in place of what was held under its key."""
        self._keep(key, value)

    def update(self, key: Hashable, change: Callable[[Value | None], Value]) -> Value:
        """Hold what is made of the value that is held, or of None as :meth:`peek_small` has it, and answer with it. One thread
        at a time, so that what two add is both kept."""
        with self._changing:
            value = change(self.peek_small(key))
            self._keep(key, value)
            return value

    def _keep(self, key: Hashable, value: Value) -> None:
        with self._lock:
            if key in self._values:
                self._bytes -= self._size_of(self._values.pop(key))
            self._values[key] = value
            self._bytes += self._size_of(value)
            while self._bytes > self._max_bytes and len(self._values) > 1:
                _, dropped = self._values.popitem(last=False)
                self._bytes -= self._size_of(dropped)
