"""Chains of tries: from the run that had a fault first to those that were to do better."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy.orm import Session

from meanbead import store
from meanbead.core.faults import Proof
from meanbead.core.log import Difference, differences
from meanbead.core.model.run import RunEntry, Snapshot
from meanbead.store.tables import JournalRow, RunRow

__all__ = ["Link", "chain_of", "in_vain", "runs_of_chain", "told"]

_LONGEST = 200


@dataclass(frozen=True)
class Link:
    """A run of a chain, and what was otherwise than in the one that it follows (nothing for the first)."""

    run: RunRow
    changed: list[Difference]
    journal: list[JournalRow]
    proof: Proof | None


def runs_of_chain(session: Session, run: RunRow) -> list[RunRow]:
    """All runs of a run's chain, with their snapshots, in the order of their start."""
    first = run
    for _ in range(_LONGEST):
        earlier = None if first.follows_id is None else store.runs.get_full(session, first.follows_id)
        if earlier is None or earlier.deleted_at is not None:
            break
        first = earlier
    found = {first.id: first}
    newest = [first.id]
    while newest and len(found) < _LONGEST:
        added = [row for row in store.runs.followers(session, newest) if row.id not in found]
        found |= {row.id: row for row in added}
        newest = [row.id for row in added]
    return sorted(found.values(), key=lambda row: (row.started_at, row.id))


def chain_of(session: Session, run: RunRow) -> list[Link]:
    """All runs of a run's chain, each with what was otherwise than in the one that it follows, in the order of their start."""
    runs = runs_of_chain(session, run)
    by_id = {row.id: row for row in runs}
    return [_link(session, by_id.get(row.follows_id or 0), row) for row in runs]


def in_vain(session: Session, run: RunRow) -> dict[tuple[str, str], int]:
    """What a run's chain has tried alone without a cure, by fault and cause: the last run that did."""
    proofs = [(row.id, Proof.model_validate(row.proof)) for row in runs_of_chain(session, run) if row.proof is not None]
    return {
        (fault, proof.cause): run_id
        for run_id, proof in proofs
        if proof.counts and proof.cause
        for fault in proof.stayed
    }


def _link(session: Session, before: RunRow | None, run: RunRow) -> Link:
    if before is None:
        return Link(run, [], [], None)
    changed = differences(
        Snapshot.model_validate(before.snapshot),
        RunEntry.model_validate(before.entry),
        Snapshot.model_validate(run.snapshot),
        RunEntry.model_validate(run.entry),
    )
    entries = store.journal.between(
        session, before.started_at, run.started_at, machine_id=run.machine_id, spool_id=run.spool_id
    )
    return Link(run, changed, list(entries), None if run.proof is None else Proof.model_validate(run.proof))


def told(links: list[Link], names: dict[str, str]) -> str:
    """How a chain stands, in a sentence."""
    last = links[-1]
    first = links[0]
    if len(links) == 1:
        return "Nothing was tried yet."
    tries = f"{len(links) - 1} {'try' if len(links) == 2 else 'tries'}"
    if last.run.state == "running":
        return f"{tries}; the last one is under way."
    left = [fault for fault in first.run.faults if fault in last.run.faults]
    if left:
        listed = ", ".join(names.get(fault, fault).lower() for fault in left)
        return f"{tries}, and it is still there: {listed}."
    cure = next(
        (link.proof for link in links if link.proof is not None and link.proof.counts and link.proof.cured), None
    )
    if cure is None:
        return f"Gone after {tries}; more than one thing was changed, so it is not known what did it."
    return f"Cured after {tries}, by: {cure.things[0]}."
