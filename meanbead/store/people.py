"""People with accounts, and links that invite them."""

from __future__ import annotations

import hashlib
import secrets
from collections.abc import Sequence
from datetime import timedelta
from typing import Literal

from sqlalchemy import exists, func, select, text
from sqlalchemy.orm import Session

from meanbead.core.errors import MeanBeadError
from meanbead.store.rows import NotFound
from meanbead.store.tables import Invitation, Person, now

Role = Literal["owner", "member", "guest"]

INVITATION_LASTS = timedelta(days=1)


def digest_of(token: str) -> str:
    """What is stored of a token, so that whoever reads the database cannot use it."""
    return hashlib.sha256(token.encode()).hexdigest()


def any_account(session: Session) -> bool:
    """Whether anybody has an account."""
    return bool(session.scalar(select(exists().where(Person.deleted_at.is_(None)))))


def any_owner(session: Session) -> bool:
    """Whether there is an owner."""
    return bool(session.scalar(select(exists().where(Person.deleted_at.is_(None), Person.role == "owner"))))


def everybody(session: Session) -> Sequence[Person]:
    """All accounts, by name."""
    return session.scalars(select(Person).where(Person.deleted_at.is_(None)).order_by(func.lower(Person.name))).all()


def by_name(session: Session, name: str) -> Person | None:
    """Whoever goes by a name, in capitals or not."""
    return session.scalars(
        select(Person).where(Person.deleted_at.is_(None), func.lower(Person.name) == name.strip().lower())
    ).one_or_none()


def refuse_taken(session: Session, name: str, but: int | None = None) -> None:
    """Raise :class:`MeanBeadError` where somebody, ``but`` one, goes by a name."""
    known = by_name(session, name)
    if known is not None and known.id != but:
        raise MeanBeadError(f"Somebody goes by the name {name.strip()} already.", field="name", code="taken")


def add_person(session: Session, name: str, role: Role, passphrase_hash: str) -> Person:
    """A new account. Raises :class:`MeanBeadError` where the name is taken."""
    refuse_taken(session, name)
    row = Person(name=name.strip(), role=role, passphrase=passphrase_hash)
    session.add(row)
    session.flush()
    return row


def keep_an_owner(session: Session, row: Person, *, role: Role | None) -> None:
    """Refuse what would leave no owner: ``role`` is what the person is to be, None where it goes. Raises
    :class:`MeanBeadError`."""
    owners = session.scalars(
        select(Person.id).where(Person.deleted_at.is_(None), Person.role == "owner").with_for_update()
    ).all()
    if role != "owner" and list(owners) == [row.id]:
        raise MeanBeadError(
            f"{row.name} is the last owner.",
            field="role",
            remedy="Make somebody else an owner first.",
            code="last_owner",
        )


def invite(session: Session, role: Role, made_by: str, person_id: int | None = None) -> tuple[Invitation, str]:
    """A link's token, which is told once, and what is kept of it. With ``person_id`` it sets that person's passphrase."""
    token = secrets.token_urlsafe(24)
    at = now()
    row = Invitation(
        token=digest_of(token),
        role=role,
        made_by=made_by,
        person_id=person_id,
        created_at=at,
        ends_at=at + INVITATION_LASTS,
    )
    session.add(row)
    session.flush()
    return row, token


def open_invitations(session: Session) -> Sequence[Invitation]:
    """Invitations that may still be used."""
    return session.scalars(
        select(Invitation)
        .where(Invitation.used_at.is_(None), Invitation.ends_at > now())
        .order_by(Invitation.created_at.desc())
    ).all()


def find_invitation(session: Session, token: str) -> Invitation:
    """The invitation of a token, locked so that it is used once. Raises :class:`NotFound`."""
    row = session.scalars(
        select(Invitation)
        .where(Invitation.token == digest_of(token), Invitation.used_at.is_(None), Invitation.ends_at > now())
        .with_for_update()
    ).one_or_none()
    if row is None:
        raise NotFound("This invitation was used already, was taken back, or is over a day old. Ask for a new one.")
    return row


def withdraw(session: Session, invitation_id: int) -> None:
    """Take an invitation back."""
    row = session.get(Invitation, invitation_id)
    if row is not None:
        session.delete(row)


def used(row: Invitation) -> None:
    """An invitation works once."""
    row.used_at = now()


def lock_people(session: Session) -> None:
    """Until the end of the transaction nobody else adds people."""
    session.execute(text("lock table people in share row exclusive mode"))
