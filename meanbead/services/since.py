"""What has changed on a machine since its last good run, and how long things have been as they are: what to look at before
any setting is touched."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import date

from sqlalchemy.orm import Session

from meanbead import store
from meanbead.core.faults.knowledge import knowledge
from meanbead.core.log import Difference, differences
from meanbead.core.model.run import RunEntry, Snapshot
from meanbead.store.tables import JournalRow, RunRow

__all__ = ["Look", "SinceGood", "since_good"]

_LOOKED_BACK = 200
_MANY_GOOD = 5
"""So many good runs in a row before a fault: it came suddenly."""

_WORN_H, _WORN_ABRASIVE_G = 300.0, 1000.0
"""When to look at a nozzle: a judgement. Abrasive plastic wears brass within a spool."""


@dataclass(frozen=True)
class Look:
    """Something to look at, and what the records say of it; ``suspect`` where they speak against it."""

    what: str
    says: str
    suspect: bool = False


@dataclass(frozen=True)
class SinceGood:
    """What is known since the last good run of the same machine (``good`` is None where there was none)."""

    good: RunRow | None
    good_in_a_row: int
    verdict: str
    looks: list[Look]
    changed: list[Difference]
    journal: list[JournalRow] = field(default_factory=list)


def since_good(session: Session, run: RunRow) -> SinceGood:
    """The records between a run and the last kept one of its machine that nobody tagged with a fault: of the same part, if
    there is one."""
    earlier = store.runs.before(session, run, limit=_LOOKED_BACK)
    good = _comparable(run, [row for row in earlier if _is_good(row)])
    in_a_row = next((number for number, row in enumerate(earlier) if not _is_good(row)), len(earlier))
    changed: list[Difference] = []
    journal: list[JournalRow] = []
    here = Snapshot.model_validate(run.snapshot)
    if good is not None:
        full = store.runs.get_full(session, good.id)
        assert full is not None
        changed = differences(
            Snapshot.model_validate(full.snapshot),
            RunEntry.model_validate(good.entry),
            here,
            RunEntry.model_validate(run.entry),
        )
        journal = list(
            store.journal.between(
                session, good.started_at, run.started_at, machine_id=run.machine_id, spool_id=run.spool_id
            )
        )
    looks = _looks(run, here, changed, journal)
    return SinceGood(good, in_a_row, _verdict(run, good, in_a_row, changed, journal, looks), looks, changed, journal)


def _comparable(run: RunRow, good: list[RunRow]) -> RunRow | None:
    """The last good run that can be compared best: of the same part, else with the same nozzle and plastic, else any."""
    same_part = (row for row in good if row.part_id is not None and row.part_id == run.part_id)
    alike = (row for row in good if (row.nozzle_id, row.plastic) == (run.nozzle_id, run.plastic))
    return next(same_part, None) or next(alike, None) or next(iter(good), None)


def _is_good(run: RunRow) -> bool:
    return run.state == "kept" and not run.faults


def _looks(run: RunRow, here: Snapshot, changed: list[Difference], journal: list[JournalRow]) -> list[Look]:
    found = [Look("Cables, screws and belts", "By hand, power off: nothing may give. No record can tell.")]
    known = knowledge().faults
    for fault in run.faults:
        if fault in known:
            found += [Look(says, f"For “{known[fault].name.lower()}”.") for says in known[fault].first]
    hours = float(here.nozzle.state.get("hours", 0.0))
    abrasive = float(here.nozzle.state.get("abrasive_g", 0.0))
    worn = hours > _WORN_H or (abrasive > _WORN_ABRASIVE_G and not here.nozzle_model().hard)
    swapped = any(difference.what == "nozzle" for difference in changed)
    says = f"{here.nozzle.name}: {hours:.0f} h" + (f", {abrasive:.0f} g of abrasive plastic" if abrasive else "")
    found.append(Look("The nozzle", says + (", swapped since" if swapped else ""), suspect=worn or swapped))
    if here.spool is not None:
        found.append(_of_spool(run, here, changed))
    limits = [difference for difference in changed if difference.what == "limits"]
    if limits:
        told = "; ".join(f"{one.label}: {one.before} → {one.after}" for one in limits[:4])
        found.append(Look("The machine's limits", told, suspect=True))
    found += [
        Look(entry.name, f"{entry.at.date()}{f', {entry.who}' if entry.who else ''}", suspect=True) for entry in journal
    ]
    return found


def _of_spool(run: RunRow, here: Snapshot, changed: list[Difference]) -> Look:
    spool = here.spool
    assert spool is not None
    opened = spool.described.get("opened_on")
    days = None if opened is None else (run.started_at.date() - date.fromisoformat(opened)).days
    other = any(difference.what == "spool" for difference in changed)
    says = str(spool.state.get("says", "")).rstrip(".")
    told = [f"{spool.name}, when the run began: “{says}”" if says else spool.name]
    if days is not None:
        told.append(f"open for {days} days")
    if other:
        told.append("another one than then")
    wet = spool.state.get("dryness") in ("damp", "doubtful")
    return Look("The spool", "; ".join(told), suspect=wet or other)


def _verdict(
    run: RunRow,
    good: RunRow | None,
    in_a_row: int,
    changed: list[Difference],
    journal: list[JournalRow],
    looks: list[Look],
) -> str:
    if good is None:
        return "No good run of this machine is on record yet, so nothing can be compared."
    own = [difference for difference in changed if difference.what in ("setting", "temperature")]
    suspects = sum(look.suspect for look in looks)
    if not own and (journal or suspects):
        return "No setting was changed since the last good run. What is marked here was: look at that first."
    if not own:
        return (
            "No setting and nothing else on record was changed since the last good run: look for what came loose, wore out "
            "or drew water before touching the recipe."
        )
    if in_a_row >= _MANY_GOOD and suspects:
        return (
            f"After {in_a_row} good runs in a row a sudden fault is seldom a setting. What is marked here has changed, too: look "
            "at that first."
        )
    count = "One setting is" if len(own) == 1 else f"{len(own)} settings are"
    same = good.part_id is not None and good.part_id == run.part_id
    return f"{count} other than in the last good run{'' if same else ', which was of another part'}."
