"""People, where they are signed in, and what they did."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import BigInteger, DateTime, ForeignKey, Identity, Index, String, text
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column, relationship

from meanbead.store.tables.base import Base, VersionedRow, now


class Person(VersionedRow, Base):
    """Somebody with an account: an ``owner``, a ``member`` or a ``guest``. ``passphrase`` is its Argon2id hash."""

    __tablename__ = "people"
    __table_args__ = (
        Index("ix_people_name", text("lower(name)"), unique=True, postgresql_where=text("deleted_at is null")),
    )
    role: Mapped[str] = mapped_column(String(10))
    passphrase: Mapped[str] = mapped_column(String(200))


class SessionRow(Base):
    """A device that is signed in. ``token`` is the SHA-256 of what its cookie holds, so that whoever reads the database
    cannot use it; ``number`` names it where the token must not be shown; ``data`` is what a request's session keeps."""

    __tablename__ = "sessions"
    token: Mapped[str] = mapped_column(String(64), primary_key=True)
    number: Mapped[int] = mapped_column(Identity())
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id", ondelete="CASCADE"), index=True)
    data: Mapped[dict[str, Any]] = mapped_column(JSONB, default=dict)
    device: Mapped[str] = mapped_column(String(120), default="")
    address: Mapped[str] = mapped_column(String(45), default="")
    remembered: Mapped[bool] = mapped_column(default=False)
    created_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)
    seen_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)
    confirmed_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)

    person: Mapped[Person] = relationship(lazy="joined", innerjoin=True)


class Invitation(Base):
    """A link that makes one account, or sets ``person_id``'s passphrase anew; ``token`` is its SHA-256."""

    __tablename__ = "invitations"
    id: Mapped[int] = mapped_column(primary_key=True)
    token: Mapped[str] = mapped_column(String(64), unique=True)
    role: Mapped[str] = mapped_column(String(10))
    person_id: Mapped[int | None] = mapped_column(ForeignKey("people.id", ondelete="CASCADE"))
    made_by: Mapped[str] = mapped_column(String(120))
    created_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)
    ends_at: Mapped[datetime] = mapped_column(DateTime(timezone=True))
    used_at: Mapped[datetime | None] = mapped_column(DateTime(timezone=True))


class Tries(Base):
    """Failed tries to sign in, by account and by address."""

    __tablename__ = "tries"
    key: Mapped[str] = mapped_column(String(140), primary_key=True)
    failed: Mapped[int] = mapped_column(default=0)
    last_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now)


class AuditRow(Base):
    """Who did what, when, from where. Written once; no secrets, no content."""

    __tablename__ = "audit"
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    at: Mapped[datetime] = mapped_column(DateTime(timezone=True), default=now, index=True)
    who: Mapped[str] = mapped_column(String(120))
    what: Mapped[str] = mapped_column(String(200))
    about: Mapped[str] = mapped_column(String(400), default="")
    address: Mapped[str] = mapped_column(String(45), default="")
