"""What the API takes and gives: people, their devices, invitations, the audit journal."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated

from pydantic import Field

from meanbead.api.schema import Name, RowId, Schema, Version
from meanbead.store.people import Role
from meanbead.store.tables import AuditRow, Invitation, Person, SessionRow

Passphrase = Annotated[str, Field(max_length=1000)]
PersonName = Annotated[str, Field(min_length=1, max_length=60, pattern=r"^[^\x00-\x1f\x7f]*\S[^\x00-\x1f\x7f]*$")]
Token = Annotated[str, Field(min_length=1, max_length=200)]


class Me(Schema):
    """Who asks. ``alone``: nobody has an account, and whoever is at this machine opens straight in. ``csrf`` has to be sent
    along with every change."""

    alone: bool
    network: bool
    served: bool
    may_make_owner: bool
    name: str = ""
    role: Role | None = None
    csrf: str | None = None
    confirmed: bool = False


class OwnerAsk(Schema):
    """The first account, made at this machine."""

    name: PersonName
    passphrase: Passphrase


class SignInAsk(Schema):
    """``remember``: this device stays signed in for up to 60 days."""

    name: Annotated[str, Field(max_length=120)]
    passphrase: Passphrase
    remember: bool = False


class ConfirmAsk(Schema):
    """The passphrase once more."""

    passphrase: Passphrase


class PassphraseAsk(Schema):
    """A new passphrase in place of the old one."""

    old: Passphrase
    new: Passphrase


class InvitationToken(Schema):
    """What an invitation's link holds."""

    token: Token


class AcceptAsk(Schema):
    """An invitation taken: the account's name and passphrase."""

    token: Token
    name: PersonName
    passphrase: Passphrase
    remember: bool = False


class InvitationLook(Schema):
    """What an invitation is for; with ``name`` it sets that person's passphrase anew."""

    role: Role
    made_by: str
    name: str | None


class DeviceOut(Schema):
    """A device that is signed in."""

    number: int
    device: str
    address: str
    remembered: bool
    created_at: datetime
    seen_at: datetime
    this_one: bool


class DevicesOut(Schema):
    """Devices on which one is signed in."""

    devices: list[DeviceOut]


class PersonOut(Schema):
    """An account."""

    id: int
    name: str
    version: int
    role: Role
    devices: int
    seen_at: datetime | None


class InvitationOut(Schema):
    """An invitation that has not been used yet."""

    id: int
    role: Role
    made_by: str
    ends_at: datetime
    person_id: int | None


class InvitationMade(InvitationOut):
    """A new invitation. Its ``url`` is told this once; ``qr`` is the same as an image."""

    url: str
    qr: str


class PeopleOut(Schema):
    """Accounts, and invitations that are open."""

    people: list[PersonOut]
    invitations: list[InvitationOut]


class InviteAsk(Schema):
    """Whom to invite; with ``person_id`` the link sets that person's passphrase anew."""

    role: Role = "member"
    person_id: RowId | None = None


class PersonEdit(Schema):
    """A change of an account; what is left out stays."""

    version: Version
    name: Name | None = None
    role: Role | None = None


class AuditAsk(Schema):
    """The newest lines, or those before a number."""

    before: Annotated[int, Field(ge=1, le=2**62)] | None = None


class AuditLine(Schema):
    """Who did what, when, from where."""

    id: int
    at: datetime
    who: str
    what: str
    about: str
    address: str


class AuditOut(Schema):
    """Lines of the audit journal, the newest first."""

    lines: list[AuditLine]


class TrustStep(Schema):
    """How a kind of device comes to trust this workshop's certificate."""

    device: str
    steps: list[str]


class NetworkOut(Schema):
    """Where phones open the application, and how they come to trust it. ``qr`` is an image of the first address."""

    urls: list[str]
    qr: str | None
    fingerprint: str
    certificate_ends_at: datetime | None
    own_authority: bool
    trust: list[TrustStep]


def device_out(row: SessionRow, token: str | None) -> DeviceOut:
    """A device's row as it is given out: its token is not."""
    return DeviceOut(
        number=row.number,
        device=row.device,
        address=row.address,
        remembered=row.remembered,
        created_at=row.created_at,
        seen_at=row.seen_at,
        this_one=row.token == token,
    )


def person_out(row: Person, devices: list[SessionRow] | None = None) -> PersonOut:
    """A person's row as it is given out."""
    role: Role = row.role  # type: ignore[assignment]
    known = devices or []
    seen = max((device.seen_at for device in known), default=None)
    return PersonOut(id=row.id, name=row.name, version=row.version, role=role, devices=len(known), seen_at=seen)


def invitation_out(row: Invitation) -> InvitationOut:
    """An invitation as it is given out: its token is not."""
    role: Role = row.role  # type: ignore[assignment]
    return InvitationOut(id=row.id, role=role, made_by=row.made_by, ends_at=row.ends_at, person_id=row.person_id)


def audit_line(row: AuditRow) -> AuditLine:
    """A line of the journal as it is given out."""
    return AuditLine(id=row.id, at=row.at, who=row.who, what=row.what, about=row.about, address=row.address)
