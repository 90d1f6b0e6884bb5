"""What a follow-up run shows of the fault that it was to cure: something, if one thing was changed; otherwise nothing."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from meanbead.core.faults.knowledge import JOURNAL_KINDS, Cause, JournalKind, Knowledge
from meanbead.core.faults.order import CureCount
from meanbead.core.log.differences import Difference
from meanbead.core.model.base import Result
from meanbead.core.model.run import RunEntry

__all__ = ["Proof", "counted", "proof"]

_TOLD_BY_SNAPSHOT: dict[JournalKind, str] = {
    "nozzle_swapped": "nozzle",
    "spool_changed": "spool",
    "spool_opened": "spool",
    "limits_changed": "limits",
}
"""Journal entries of what the snapshots show, too: one thing, not two."""


class Proof(Result):
    """What a run showed against the one that it follows. ``things`` were changed, in words; ``cause`` is what was tried,
    empty where that cannot be told. ``counts`` where it says something of the cause: one thing was changed, and the run came
    to an end that can be judged."""

    things: list[str]
    cause: str
    counts: bool
    cured: list[str]
    stayed: list[str]
    new: list[str]
    says: str
    tells: Literal["cure", "no_cure", "nothing", "open"]


def proof(
    known: Knowledge,
    before: RunEntry,
    after: RunEntry,
    changed: Sequence[Difference],
    journal: Sequence[JournalKind],
    tries: str = "",
) -> Proof:
    """Hold a run against the one that it follows.

    ``changed`` is what the snapshots tell, ``journal`` the kinds of what was done in between, ``tries`` the cause that the
    follow-up was made to try. Settings that follow from others are no changes of their own; several settings that one cause
    changes together are one thing.
    """
    own = [difference for difference in changed if difference.what != "follows"]
    if not own and changed:
        own = [changed[0]]  # nobody chose it, and yet it is otherwise: the house's rules or a default have changed
    shown = {difference.what for difference in own}
    done = [kind for kind in dict.fromkeys(journal) if _TOLD_BY_SNAPSHOT.get(kind) not in shown]
    tried = known.causes.get(tries)
    together = tried is not None and _is_its_change(tried, own)
    things = [tried.name] if together and tried is not None else [_named(difference) for difference in own]
    things += [JOURNAL_KINDS[kind].lower() for kind in done]
    cause = ""
    if len(things) == 1:
        cause = _cause(known, before, own, done, tries, together)
    gone = [fault for fault in before.faults if fault not in after.faults]
    stayed = [fault for fault in before.faults if fault in after.faults]
    new = [fault for fault in after.faults if fault not in before.faults]
    judged = after.state in ("kept", "scrapped") or (after.state == "stopped" and bool(stayed))
    counts = len(things) == 1 and judged and bool(before.faults)
    says, tells = _sentence(known, things, judged, gone, stayed)
    return Proof(
        things=things,
        cause=cause,
        counts=counts,
        cured=gone if judged else [],
        stayed=stayed,
        new=new,
        says=says,
        tells=tells,
    )


def counted(proofs: Sequence[Proof]) -> dict[tuple[str, str], CureCount]:
    """How often each cause alone was changed against each fault, and how often that cured it."""
    found: dict[tuple[str, str], CureCount] = {}
    for one in proofs:
        if not one.counts or not one.cause:
            continue
        for faults, cured in ((one.cured, 1), (one.stayed, 0)):
            for fault in faults:
                last = found.get((fault, one.cause), CureCount())
                found[fault, one.cause] = CureCount(last.tried + 1, last.cured + cured)
    return found


def _is_its_change(cause: Cause, own: Sequence[Difference]) -> bool:
    wanted = {change.key.split(".")[0] for change in cause.change}
    return bool(own) and all(
        difference.what == "setting" and difference.key.split(".")[0] in wanted for difference in own
    )


def _cause(
    known: Knowledge,
    before: RunEntry,
    own: Sequence[Difference],
    done: Sequence[JournalKind],
    tries: str,
    together: bool,
) -> str:
    if together:
        return tries
    kinds = set(done)
    for kind, what in _TOLD_BY_SNAPSHOT.items():
        if any(difference.what == what for difference in own):
            kinds.add(kind)
    suspects = [cause for fault in before.faults if fault in known.faults for cause in known.faults[fault].causes]
    fitting = [cause for cause in dict.fromkeys(suspects) if _fits(known.causes[cause], own, kinds)]
    if tries in fitting:
        return tries
    return fitting[0] if len(fitting) == 1 else ""


def _fits(cause: Cause, own: Sequence[Difference], kinds: set[JournalKind]) -> bool:
    if cause.journal is not None and cause.journal in kinds:
        return True
    return len(own) == 1 and own[0].what == "setting" and _same_way(cause, own[0])


def _same_way(cause: Cause, difference: Difference) -> bool:
    for change in cause.change:
        if change.key != difference.key:
            continue
        if change.set is not None:
            return str(change.set).replace("_", " ") == difference.after
        try:
            old, new = (float(text.split()[0]) for text in (difference.before, difference.after))
        except (ValueError, IndexError):
            return False
        up = change.add > 0 if change.add is not None else (change.times or 1.0) > 1
        return (new > old) == up
    return False


def _named(difference: Difference) -> str:
    return f"{difference.label}: {difference.before} → {difference.after}"


def _sentence(
    known: Knowledge, things: Sequence[str], judged: bool, gone: Sequence[str], stayed: Sequence[str]
) -> tuple[str, Literal["cure", "no_cure", "nothing", "open"]]:
    if not judged:
        return "Nobody has said yet what came of it.", "open"
    names = {key: fault.name.lower() for key, fault in known.faults.items()}

    def listed(faults: Sequence[str]) -> str:
        return ", ".join(names.get(fault, fault) for fault in faults)

    outcome = "; ".join(
        part
        for part in (f"gone: {listed(gone)}" if gone else "", f"still there: {listed(stayed)}" if stayed else "")
        if part
    )
    if not things:
        return f"Nothing that is on record was changed; {outcome or 'no fault was tagged before'}.", "nothing"
    if len(things) > 1:
        return (
            f"{len(things)} things were changed at once, which proves nothing about each; {outcome or 'no fault'}.",
            "nothing",
        )
    if not gone and not stayed:
        return "One thing was changed; the run before had no fault to cure.", "nothing"
    return f"One thing was changed; {outcome}.", "cure" if gone else "no_cure"
