"""From one recipe to another: which of the changed settings makes how much of the difference."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import permutations
from typing import Any

import numpy as np
from pydantic import BaseModel

from meanbead.core.errors import RecipeError
from meanbead.core.estimate.engine import Engine
from meanbead.core.estimate.job import PrintJob
from meanbead.core.estimate.sample import SAMPLE_LAYERS
from meanbead.core.model import Estimate, Recipe
from meanbead.core.model.estimate import Result
from meanbead.core.recipe.choices import choices, value_at, with_value

__all__ = [
    "MAX_PLAYERS",
    "ORDERS_TRIED",
    "Change",
    "Step",
    "Waterfall",
    "changes_between",
    "mixed",
    "waterfall",
    "with_files",
]

MAX_PLAYERS = 6
"""Up to so many changes all orders are gone through; with more, those of one group count as one change."""

ORDERS_TRIED = 60


class Step(Result):
    """What one change, or a group of changes, contributes: seconds and grams, on average over the orders."""

    label: str
    keys: list[str]
    time_s: float
    filament_g: float


class Waterfall(Result):
    """From one recipe to another in steps that add up.

    The ends are full estimates. Steps are found on samples of layers; ``rest_s`` and ``rest_g`` is what samples and
    full estimates differ by. ``orders`` is how many orders were averaged, ``all_orders`` whether these are all.
    """

    from_s: float
    to_s: float
    from_g: float
    to_g: float
    steps: list[Step]
    rest_s: float
    rest_g: float
    orders: int
    all_orders: bool


@dataclass(frozen=True)
class Change:
    """A setting, or a group of them, in which two recipes differ."""

    label: str
    keys: tuple[str, ...]


def changes_between(before: PrintJob, after: PrintJob) -> list[Change]:
    """Settings in which two jobs differ, in the order of the sheet; grouped where they are many."""
    named: list[tuple[str, Change]] = []
    for choice in choices():
        if choice.kind in ("machine", "nozzle", "material"):
            name = "printer" if choice.kind == "machine" else choice.kind
            differs = getattr(before, name) != getattr(after, name)
        else:
            differs = value_at(before.recipe, choice.key) != value_at(after.recipe, choice.key)
        if differs:
            named.append((choice.group, Change(choice.label, (choice.key,))))
    if len(named) <= MAX_PLAYERS:
        return [change for _, change in named]
    groups = dict.fromkeys(group for group, _ in named)
    merged = []
    for group in groups:
        mine = [change for where, change in named if where == group]
        label = mine[0].label if len(mine) == 1 else group
        merged.append(Change(label, tuple(key for change in mine for key in change.keys)))
    return merged


def _as_json(value: Any) -> Any:
    """A setting's value as JSON has it: height ranges are lists of models, angles lists of numbers."""
    if isinstance(value, tuple):
        return [item.model_dump() if isinstance(item, BaseModel) else item for item in value]
    return value


def mixed(before: PrintJob, after: PrintJob, changes: Sequence[Change]) -> PrintJob:
    """The first job with some of its settings taken from the other."""
    parts: dict[str, Any] = {"printer": before.printer, "nozzle": before.nozzle, "material": before.material}
    recipe: Recipe = before.recipe
    for key in (key for change in changes for key in change.keys):
        if key in ("machine", "nozzle", "material"):
            name = "printer" if key == "machine" else key
            parts[name] = getattr(after, name)
        else:
            recipe = with_value(recipe, key, _as_json(value_at(after.recipe, key)))
    return PrintJob(before.solid, recipe, **parts)


def waterfall(
    engine: Engine,
    before: PrintJob,
    after: PrintJob,
    progress: Callable[[float, str], None] = lambda fraction, message: None,
) -> Waterfall:
    """Share the difference between two recipes out among their changed settings.

    A change counts as what it adds on average over all orders in which the changes can be made one after another: the
    Shapley value (L. S. Shapley, "A value for n-person games", 1953), the one division that adds up, treats equal
    changes alike and gives nothing to a change without effect. Orders that pass through a recipe that contradicts
    itself (a layer higher than the old nozzle's bore) are left out; where none remains, all changes count as one.
    With more than :data:`MAX_PLAYERS` changes a fixed sample of orders, each with its reverse, stands for all.
    """
    changes = changes_between(before, after)
    ends = [engine.sampled(job, None).estimate for job in (before, after)]
    base = engine.sampled(before, SAMPLE_LAYERS)
    known: dict[frozenset[int], tuple[float, float] | None] = {}
    orders, complete = _orders(len(changes))
    needed = {frozenset(order[:k]) for order in orders for k in range(len(order) + 1)}

    def worth(members: frozenset[int]) -> tuple[float, float] | None:
        if members not in known:
            progress(len(known) / max(len(needed), 1), f"{len(known)} of {len(needed)} combinations")
            try:
                job = mixed(before, after, [changes[k] for k in sorted(members)])
                found = engine.sampled(job, SAMPLE_LAYERS, base).estimate
                known[members] = (found.print_time_s, found.filament_g)
            except RecipeError:
                known[members] = None
        return known[members]

    totals, used = _average(len(changes), orders, worth)
    if not used and changes:
        changes = [Change("All changes together", tuple(key for change in changes for key in change.keys))]
        whole = np.array([ends[1].print_time_s - ends[0].print_time_s, ends[1].filament_g - ends[0].filament_g])
        totals = whole[None, :]
    difference = np.array([ends[1].print_time_s - ends[0].print_time_s, ends[1].filament_g - ends[0].filament_g])
    rest = difference - totals.sum(axis=0)
    return Waterfall(
        from_s=ends[0].print_time_s,
        to_s=ends[1].print_time_s,
        from_g=ends[0].filament_g,
        to_g=ends[1].filament_g,
        steps=[
            Step(label=change.label, keys=list(change.keys), time_s=float(total[0]), filament_g=float(total[1]))
            for change, total in zip(changes, totals, strict=True)
        ],
        rest_s=float(rest[0]),
        rest_g=float(rest[1]),
        orders=used,
        all_orders=complete,
    )


def _average(
    count: int, orders: Sequence[tuple[int, ...]], worth: Callable[[frozenset[int]], tuple[float, float] | None]
) -> tuple[np.ndarray[Any, np.dtype[np.float64]], int]:
    """What each change adds on average, float64 (changes, 2), over the orders that are possible; and how many are."""
    totals, used = np.zeros((count, 2)), 0
    for order in orders:
        values = [worth(frozenset(order[:k])) for k in range(len(order) + 1)]
        if any(value is None for value in values):
            continue
        reached = np.array(values, dtype=np.float64)
        totals[list(order)] += np.diff(reached, axis=0)
        used += 1
    return totals / max(used, 1), used


def _orders(count: int) -> tuple[list[tuple[int, ...]], bool]:
    """All orders of so many changes, or a fixed sample of them, each with its reverse."""
    if count <= MAX_PLAYERS:
        return list(permutations(range(count))), True
    random = np.random.default_rng(20240517)
    half = [tuple(int(k) for k in random.permutation(count)) for _ in range(ORDERS_TRIED // 2)]
    return [*half, *(order[::-1] for order in half)], False


def with_files(found: Waterfall, before: Estimate | None, after: Estimate | None) -> Waterfall:
    """A waterfall between recipes of which one or both were read from a file's comments: it goes from and to what the files
    themselves take (``before``, ``after``; None for a recipe of ours), and what the same settings take differently there is a step
    of its own."""
    steps = list(found.steps)
    ends = {"from_s": found.from_s, "from_g": found.from_g, "to_s": found.to_s, "to_g": found.to_g}
    if before is not None:
        steps.insert(0, _of_file(found.from_s - before.print_time_s, found.from_g - before.filament_g))
        ends |= {"from_s": before.print_time_s, "from_g": before.filament_g}
    if after is not None:
        steps.append(_of_file(after.print_time_s - found.to_s, after.filament_g - found.to_g))
        ends |= {"to_s": after.print_time_s, "to_g": after.filament_g}
    return found.model_copy(update=ends | {"steps": steps})


def _of_file(time_s: float, grams: float) -> Step:
    return Step(label="Laid by another program, not as here", keys=[], time_s=time_s, filament_g=grams)
