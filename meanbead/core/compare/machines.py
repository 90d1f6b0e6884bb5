"""Two machines, one part, different minutes: which of their limits makes how much of the difference."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from itertools import combinations
from typing import Any

from meanbead.core.errors import RecipeError
from meanbead.core.estimate.engine import Engine
from meanbead.core.estimate.job import PrintJob
from meanbead.core.estimate.sample import SAMPLE_LAYERS
from meanbead.core.model import Printer
from meanbead.core.model.base import Result

__all__ = [
    "GROUPS",
    "FieldDifference",
    "MachineGroup",
    "MachineShare",
    "MachinesCompared",
    "compare_machines",
    "with_group",
]


@dataclass(frozen=True)
class MachineGroup:
    """What belongs together of a machine: its name, in words, and its dotted fields."""

    name: str
    words: str
    fields: tuple[str, ...]


GROUPS: tuple[MachineGroup, ...] = (
    MachineGroup(
        "acceleration",
        "acceleration",
        (
            "acceleration_mm_s2.print",
            "acceleration_mm_s2.travel",
            "acceleration_mm_s2.wipe",
            "max_acceleration_mm_s2.x",
            "max_acceleration_mm_s2.y",
            "clean_acceleration_mm_s2",
            "kinematics",
        ),
    ),
    MachineGroup("corners", "corners", ("corner",)),
    MachineGroup(
        "retraction",
        "pulling filament back",
        (
            "acceleration_mm_s2.retract",
            "max_speed_mm_s.e",
            "max_acceleration_mm_s2.e",
            "drive",
            "pull_length_mm",
        ),
    ),
    MachineGroup("speeds", "speeds of x and y", ("max_speed_mm_s.x", "max_speed_mm_s.y", "narrow_line_speed_mm_s")),
    MachineGroup(
        "z", "lifts and layer changes", ("max_speed_mm_s.z", "max_acceleration_mm_s2.z", "z_step_mm", "z_screw")
    ),
    MachineGroup("melt", "what the hot end melts", ("hotend", "measured_melts", "flow_margin", "filament_diameter_mm")),
)
"""What the printing time hangs on; heating and start come on top and depend on nothing else."""

_AROUND: tuple[MachineGroup, ...] = (
    MachineGroup("heating", "heating", ("hotend", "bed_heater", "heating", "room_temp_c", "enclosed")),
    MachineGroup("start", "start and end routine", ("start_time_s", "end_time_s")),
)


LABELS: dict[str, tuple[str, str]] = {
    "acceleration_mm_s2.print": ("printing", "mm/s²"),
    "acceleration_mm_s2.travel": ("travel", "mm/s²"),
    "acceleration_mm_s2.wipe": ("wipes accelerate as", ""),
    "acceleration_mm_s2.retract": ("pulls accelerate by", "mm/s²"),
    "max_acceleration_mm_s2.x": ("limit of x", "mm/s²"),
    "max_acceleration_mm_s2.y": ("limit of y", "mm/s²"),
    "max_acceleration_mm_s2.z": ("limit of z", "mm/s²"),
    "max_acceleration_mm_s2.e": ("limit of the drive", "mm/s²"),
    "clean_acceleration_mm_s2": ("outer walls stay clean up to", "mm/s²"),
    "kinematics": ("kinematics", ""),
    "corner": ("law of corners", ""),
    "max_speed_mm_s.x": ("limit of x", "mm/s"),
    "max_speed_mm_s.y": ("limit of y", "mm/s"),
    "max_speed_mm_s.z": ("limit of z", "mm/s"),
    "max_speed_mm_s.e": ("fastest pull", "mm/s"),
    "drive": ("drive", ""),
    "pull_length_mm": ("pull", "mm"),
    "narrow_line_speed_mm_s": ("narrow lines", "mm/s"),
    "z_step_mm": ("full step", "mm"),
    "z_screw": ("screw", ""),
    "hotend": ("hot end", ""),
    "measured_melts": ("flow tests", ""),
    "flow_margin": ("margin under what melts", ""),
    "filament_diameter_mm": ("filament", "mm"),
    "bed_heater": ("bed's heater", ""),
    "heating": ("heats", ""),
    "room_temp_c": ("room", "°C"),
    "enclosed": ("enclosed", ""),
    "start_time_s": ("start routine", "s"),
    "end_time_s": ("end routine", "s"),
}
"""What people call a field, and its unit."""


class FieldDifference(Result):
    """A field in which two machines differ, in words and as each has it."""

    field: str
    label: str
    here: str
    there: str
    copyable: bool


class MachineShare(Result):
    """A group's part of the difference in whole time, s, and the fields that differ in it."""

    name: str
    words: str
    time_s: float
    fields: list[FieldDifference]


class MachinesCompared(Result):
    """From one machine to another: whole times, printing times, and the shares that add up to the difference of whole times;
    ``rest_s`` is what samples of layers and full estimates differ by."""

    from_s: float
    to_s: float
    from_print_s: float
    to_print_s: float
    shares: list[MachineShare]
    rest_s: float


def _at(content: Mapping[str, Any], field: str) -> Any:
    found: Any = content
    for name in field.split("."):
        found = found.get(name) if isinstance(found, Mapping) else None
    return found


def with_group(printer: Printer, other: Printer, fields: tuple[str, ...]) -> Printer:
    """A machine with some fields of another."""
    mine, its = printer.model_dump(mode="json"), other.model_dump(mode="json")
    for field in fields:
        *path, last = field.split(".")
        place = mine
        for name in path:
            place = place[name]
        place[last] = _at(its, field)
    if any(field in ("z_step_mm", "z_screw") for field in fields):
        mine["z_step_mm"], mine["z_screw"] = its["z_step_mm"], its["z_screw"]
    return Printer.model_validate(mine)


def compare_machines(
    engine: Engine,
    job: PrintJob,
    other: Printer,
    progress: Callable[[float, str], None] = lambda fraction, message: None,
) -> MachinesCompared:
    """Share the difference between a job and the same job on another machine out among what the machines differ in.

    A group counts as what it adds on average over all orders (the Shapley value, as in
    :func:`~meanbead.core.compare.waterfall.waterfall`), here from all subsets of the groups that differ; heating and start
    add to whatever the printing takes, so their share is their own. Raises :class:`RecipeError` where the part cannot be
    printed on one of them.
    """
    there = replace(job, printer=other)
    ends = [engine.sampled(one, None).estimate for one in (job, there)]
    base = engine.sampled(job, SAMPLE_LAYERS)
    players = [group for group in GROUPS if _differing(job.printer, other, group.fields)]
    count = len(players)
    worth: dict[frozenset[int], float] = {}
    subsets = [frozenset(chosen) for size in range(count + 1) for chosen in combinations(range(count), size)]
    for number, subset in enumerate(subsets):
        progress(number / len(subsets), f"{number + 1} of {len(subsets)} combinations")
        fields = tuple(field for k in sorted(subset) for field in players[k].fields)
        mixed = replace(job, printer=with_group(job.printer, other, fields))
        try:
            worth[subset] = engine.sampled(mixed, SAMPLE_LAYERS, base).estimate.print_time_s
        except RecipeError:
            # A mixture that cannot be printed: the nearer end stands in.
            worth[subset] = ends[2 * len(subset) > count].print_time_s
    shares = []
    for k, group in enumerate(players):
        seconds = 0.0
        for subset in subsets:
            if k in subset:
                continue
            weight = math.factorial(len(subset)) * math.factorial(count - len(subset) - 1) / math.factorial(count)
            seconds += weight * (worth[subset | {k}] - worth[subset])
        shares.append(_share(group, seconds, job.printer, other))
    heating, start = _AROUND
    around = (
        (heating, ends[1].heat_up_s - ends[0].heat_up_s),
        (start, ends[1].start_time_s + ends[1].end_time_s - ends[0].start_time_s - ends[0].end_time_s),
    )
    shares += [
        _share(group, seconds, job.printer, other)
        for group, seconds in around
        if abs(seconds) > 0.5 or _differing(job.printer, other, group.fields)
    ]
    whole = ends[1].whole_time_s - ends[0].whole_time_s
    return MachinesCompared(
        from_s=ends[0].whole_time_s,
        to_s=ends[1].whole_time_s,
        from_print_s=ends[0].print_time_s,
        to_print_s=ends[1].print_time_s,
        shares=sorted(shares, key=lambda share: -abs(share.time_s)),
        rest_s=whole - sum(share.time_s for share in shares),
    )


def _differing(one: Printer, other: Printer, fields: tuple[str, ...]) -> list[str]:
    mine, its = one.model_dump(mode="json"), other.model_dump(mode="json")
    return [field for field in fields if _at(mine, field) != _at(its, field)]


_NO_COPY = ("measured_melts", "hotend", "bed_heater")
"""What a machine is built of is not copied with a click."""


def _share(group: MachineGroup, seconds: float, one: Printer, other: Printer) -> MachineShare:
    mine, its = one.model_dump(mode="json", exclude_none=True), other.model_dump(mode="json", exclude_none=True)
    fields = [
        FieldDifference(
            field=field,
            label=LABELS[field][0],
            here=_shown(_at(mine, field), _at(its, field), LABELS[field][1]),
            there=_shown(_at(its, field), _at(mine, field), LABELS[field][1]),
            copyable=field not in _NO_COPY,
        )
        for field in _differing(one, other, group.fields)
    ]
    return MachineShare(name=group.name, words=group.words, time_s=seconds, fields=fields)


def _shown(value: Any, other: Any, unit: str) -> str:
    """A value as people read it; of a nested one only what the other has otherwise."""
    if value is None:
        return "open"
    if isinstance(value, Mapping):
        others = other if isinstance(other, Mapping) else {}
        parts = [
            f"{_words(name)} {_shown(inner, others.get(name), '')}"
            for name, inner in value.items()
            if inner is not None and inner != others.get(name)
        ]
        return ", ".join(parts) or "the same"
    if isinstance(value, list):
        return f"{len(value)} measured"
    if isinstance(value, bool):
        return "yes" if value else "no"
    text = f"{value:g}" if isinstance(value, float) else str(value).replace("_", " ")
    return f"{text} {unit}" if unit else text


_UNITS = ("_mm_s", "_mm", "_j_k", "_w_k", "_w", "_c")


def _words(name: str) -> str:
    for unit in _UNITS:
        if name.endswith(unit):
            return name.removesuffix(unit).replace("_", " ")
    return name.replace("_", " ")
