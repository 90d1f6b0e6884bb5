"""Failed tries to sign in: after a few the wait grows, for the account and for the address that they come from."""

from __future__ import annotations

from datetime import timedelta

from sqlalchemy import delete, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from meanbead.store.tables import Tries, now

FREE = {"account": 4, "address": 12}
"""So many tries may fail before one has to wait: several people may share an address."""

LONGEST = timedelta(minutes=15)
FORGOTTEN = timedelta(hours=24)


def wait_s(failed: int, free: int) -> float:
    """How long to wait after so many failures: 2, 4, 8 ... seconds, a quarter of an hour at most."""
    return 0.0 if failed < free else min(2.0 ** min(failed - free + 1, 20), LONGEST.total_seconds())


def left_s(session: Session, keys: list[tuple[str, str]]) -> float:
    """How many seconds are left to wait for the slowest of several (kind, what). Rows are locked: tries that come at the
    same moment count one after the other."""
    left = 0.0
    for kind, what in sorted(keys):
        key = f"{kind}:{what}"[:140]
        session.execute(insert(Tries).values(key=key, failed=0, last_at=now()).on_conflict_do_nothing())
        row = session.scalars(select(Tries).where(Tries.key == key).with_for_update()).one()
        at = now()
        age_s = (at - row.last_at).total_seconds()
        # A clock that was set back must not make anybody wait for longer than the longest wait.
        left = max(left, wait_s(row.failed, FREE[kind]) - max(age_s, 0.0))
    return left


def failed(session: Session, keys: list[tuple[str, str]]) -> None:
    """Count a failure."""
    for kind, what in sorted(keys):
        made = insert(Tries).values(key=f"{kind}:{what}"[:140], failed=1, last_at=now())
        session.execute(
            made.on_conflict_do_update(index_elements=["key"], set_={"failed": Tries.failed + 1, "last_at": now()})
        )


def succeeded(session: Session, keys: list[tuple[str, str]]) -> None:
    """Somebody has signed in: their account's failures are forgotten."""
    session.execute(delete(Tries).where(Tries.key.in_([f"{kind}:{what}"[:140] for kind, what in keys])))


def forget_old(session: Session) -> None:
    """Forget failures of yesterday."""
    session.execute(delete(Tries).where(Tries.last_at < now() - FORGOTTEN))
