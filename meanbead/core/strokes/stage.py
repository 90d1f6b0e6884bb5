"""What each stage of planning reads. Such inputs are a stage's only argument and what its result is remembered by.

A stage that wants to read something more has to be given it there, and so cannot answer with what was right for another
recipe. Results of earlier stages stand for the inputs that they were made of.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable, Sequence
from dataclasses import dataclass, fields
from typing import Generic, Protocol, Self, TypeVar

import numpy as np

from meanbead.core.part.solid import Solid
from meanbead.core.runtime.cache import BoundedCache

__all__ = ["Remembered", "StageInputs", "remembered", "with_new"]

Value = TypeVar("Value")
Inputs = TypeVar("Inputs", bound="StageInputs")


@dataclass(frozen=True)
class StageInputs:
    """Base of all inputs: fields that can be hashed, arrays, solids, and results of earlier stages."""

    @property
    def key(self) -> Hashable:
        """The inputs by content. Large things are not held by it: an array is its bytes, a solid its digest, an earlier
        result the key of what it was made of."""
        return (type(self).__name__, *(_key_of(getattr(self, field.name)) for field in fields(self)))


@dataclass(frozen=True)
class Remembered(Generic[Value]):
    """The result of a stage, and the key of the inputs that it was made of."""

    key: Hashable
    value: Value


def _key_of(value: object) -> Hashable:
    if isinstance(value, np.ndarray):
        return (value.dtype.str, value.shape, value.tobytes())
    if isinstance(value, Solid):
        return value.digest
    if isinstance(value, StageInputs | Remembered):
        return value.key
    assert isinstance(value, Hashable)
    return value


def remembered(cache: BoundedCache[Value], inputs: Inputs, make: Callable[[Inputs], Value]) -> Remembered[Value]:
    """A stage's result, made now if the cache does not hold it."""
    key = inputs.key
    return Remembered(key, cache.get(key, lambda: make(inputs)))


class Rows(Protocol):
    """Rows of work done so far, found by name."""

    @property
    def names(self) -> dict[Hashable, int]: ...

    def and_(self, other: Self) -> Self:
        """These and others, the others' rows after these."""
        ...


SomeRows = TypeVar("SomeRows", bound=Rows)


def with_new(
    memory: BoundedCache[SomeRows] | None,
    key: Hashable,
    known: SomeRows | None,
    fresh: SomeRows,
    names: Sequence[Hashable],
) -> SomeRows:
    """What was ``known`` with what is ``fresh``, all ``names`` among it, remembered. What others have added meanwhile stays."""
    mine = fresh if known is None else known.and_(fresh)

    def added(held: SomeRows | None) -> SomeRows:
        if held is None or held is known:
            return mine
        both = held.and_(fresh)
        return both if all(name in both.names for name in names) else mine

    return mine if memory is None else memory.update(key, added)
