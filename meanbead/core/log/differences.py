"""What was otherwise between two runs, from the snapshots that they were started with."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any, Literal

from meanbead.core.model.base import Result
from meanbead.core.model.run import RunEntry, Snapshot
from meanbead.core.recipe.choices import choices

__all__ = ["Difference", "differences", "flat", "shown"]

What = Literal["setting", "follows", "temperature", "machine", "limits", "nozzle", "plastic", "spool", "pose"]

_LIMITS = (
    "max_speed_mm_s",
    "max_acceleration_mm_s2",
    "acceleration_mm_s2",
    "corner",
    "drive",
    "drive_steps_per_mm",
    "z_screw",
)


class Difference(Result):
    """One thing that was otherwise, in words. ``follows`` is a setting that nobody chose: it follows from another."""

    what: What
    key: str
    label: str
    before: str
    after: str


def differences(before: Snapshot, first: RunEntry, after: Snapshot, second: RunEntry) -> list[Difference]:
    """What was otherwise in the second run: machine, nozzle, plastic and spool first, then chosen settings, then those that
    follow from them, and the temperatures that were really used."""
    return [
        *_things(before, after),
        *_limits(before, after),
        *_settings(before, after),
        *_temperatures(first, second),
    ]


def _things(before: Snapshot, after: Snapshot) -> Iterator[Difference]:
    for what, old, new in (
        ("machine", before.machine, after.machine),
        ("nozzle", before.nozzle, after.nozzle),
        ("plastic", before.material, after.material),
    ):
        if ((old.id, old.described) != (new.id, new.described) and what != "machine") or old.id != new.id:
            kind: What = what  # type: ignore[assignment]
            yield Difference(what=kind, key=what, label=what.capitalize(), before=old.name, after=new.name)
    old_spool, new_spool = before.spool, after.spool
    if old_spool is not None and new_spool is not None and old_spool.id != new_spool.id:
        yield Difference(what="spool", key="spool", label="Spool", before=old_spool.name, after=new_spool.name)
    if before.part_digest and after.part_digest and before.part_digest != after.part_digest:
        yield Difference(
            what="pose", key="pose", label="The part", before="as it stood", after="stands or is otherwise"
        )


def _limits(before: Snapshot, after: Snapshot) -> Iterator[Difference]:
    if before.machine.id != after.machine.id:
        return
    old, new = flat(_of(before.machine.described)), flat(_of(after.machine.described))
    for key in sorted({*old, *new}):
        if old.get(key) != new.get(key):
            yield Difference(
                what="limits",
                key=key,
                label=key.replace("_", " "),
                before=shown(old.get(key)),
                after=shown(new.get(key)),
            )


def _of(described: Mapping[str, Any]) -> dict[str, Any]:
    return {key: described[key] for key in _LIMITS if key in described}


def _settings(before: Snapshot, after: Snapshot) -> Iterator[Difference]:
    labels = {choice.key: choice for choice in choices()}
    chosen_before, chosen_after = flat(before.choices), flat(after.choices)
    old, new = flat(before.settings), flat(after.settings)
    chosen: list[Difference] = []
    following: list[Difference] = []
    for key in sorted({*old, *new}):
        if old.get(key) == new.get(key):
            continue
        choice = labels.get(key)
        told = Difference(
            what="setting" if chosen_before.get(key) != chosen_after.get(key) else "follows",
            key=key,
            label=key.replace("_", " ").replace(".", ": ") if choice is None else choice.label,
            before=shown(old.get(key), "" if choice is None else choice.unit),
            after=shown(new.get(key), "" if choice is None else choice.unit),
        )
        (chosen if told.what == "setting" else following).append(told)
    yield from chosen
    yield from following


def _temperatures(first: RunEntry, second: RunEntry) -> Iterator[Difference]:
    for key, label in (("nozzle_temp_c", "Nozzle really held"), ("bed_temp_c", "Bed really held")):
        old, new = getattr(first, key), getattr(second, key)
        if old is not None and new is not None and old != new:
            yield Difference(what="temperature", key=key, label=label, before=shown(old, "°C"), after=shown(new, "°C"))


def flat(nested: Mapping[str, Any], path: str = "") -> dict[str, Any]:
    """Values by dotted keys; lists are values, and what is None is left out."""
    found: dict[str, Any] = {}
    for key, value in nested.items():
        if isinstance(value, Mapping):
            found |= flat(value, f"{path}{key}.")
        elif value is not None:
            found[path + key] = value
    return found


def shown(value: Any, unit: str = "") -> str:
    """A value as people read it."""
    if value is None:
        return "not set"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, int | float):
        number = f"{100 * value:g}" if unit == "%" else f"{value:g}"
        return f"{number} {unit}".strip()
    return str(value).replace("_", " ")
