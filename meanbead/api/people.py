"""People over HTTP: accounts, invitations, the audit journal. For owners."""

from __future__ import annotations

from collections import defaultdict

from apiflask import APIBlueprint
from sqlalchemy.orm import Session

from meanbead import store
from meanbead.api import access
from meanbead.api.context import session
from meanbead.api.network import qr_of
from meanbead.api.people_schemas import (
    AuditAsk,
    AuditOut,
    InvitationMade,
    InviteAsk,
    PeopleOut,
    PersonEdit,
    PersonOut,
    audit_line,
    invitation_out,
    person_out,
)
from meanbead.api.schema import VersionOnly
from meanbead.store.tables import Person, SessionRow

blueprint = APIBlueprint("people", __name__, url_prefix="/api", tag="People")


@blueprint.get("/people")
@blueprint.output(PeopleOut)
def list_people() -> PeopleOut:
    """Who has an account, and which invitations are open."""
    with session() as db:
        return _people(db)


def _people(db: Session) -> PeopleOut:
    devices: dict[int, list[SessionRow]] = defaultdict(list)
    for row in store.sessions.all_devices(db):
        devices[row.person_id].append(row)
    return PeopleOut(
        people=[person_out(row, devices[row.id]) for row in store.people.everybody(db)],
        invitations=[invitation_out(row) for row in store.people.open_invitations(db)],
    )


@blueprint.post("/invitations")
@blueprint.input(InviteAsk)
@blueprint.output(InvitationMade, status_code=201)
def invite(json_data: InviteAsk) -> InvitationMade:
    """Invite somebody, or let somebody set a new passphrase: a link that works once, for a day."""
    with session() as db:
        role = json_data.role
        if json_data.person_id is not None:
            role = person_out(store.rows.get(db, Person, json_data.person_id)).role
        row, token = store.people.invite(db, role, access.me().name, json_data.person_id)
        # Behind the #: what stands there is sent to no server and stands in no log.
        url = f"{access.base_url()}/join#{token}"
        return InvitationMade(**invitation_out(row).model_dump(), url=url, qr=qr_of(url))


@blueprint.post("/invitations/<int:invitation_id>/withdraw")
@blueprint.output(PeopleOut)
def withdraw(invitation_id: int) -> PeopleOut:
    """Take an invitation back."""
    with session() as db:
        store.people.withdraw(db, invitation_id)
        return _people(db)


@blueprint.patch("/people/<int:person_id>")
@blueprint.input(PersonEdit)
@blueprint.output(PersonOut)
def edit_person(person_id: int, json_data: PersonEdit) -> PersonOut:
    """Rename somebody, or change what they may. Their devices are signed out where that changes."""
    with session() as db:
        row = store.rows.get_for_edit(db, Person, person_id, json_data.version)
        if json_data.name is not None:
            store.people.refuse_taken(db, json_data.name, but=row.id)
            row.name = json_data.name.strip()
        if json_data.role is not None and json_data.role != row.role:
            store.people.keep_an_owner(db, row, role=json_data.role)
            row.role = json_data.role
            if row.id != access.me().person_id:
                store.sessions.end(db, person_id=row.id)
        db.flush()
        return person_out(row, list(store.sessions.devices_of(db, row.id)))


@blueprint.post("/people/<int:person_id>/delete")
@blueprint.input(VersionOnly)
@blueprint.output(PersonOut)
def delete_person(person_id: int, json_data: VersionOnly) -> PersonOut:
    """Take somebody's account away and sign their devices out; it can be restored."""
    with session() as db:
        row = store.rows.get_for_edit(db, Person, person_id, json_data.version)
        store.people.keep_an_owner(db, row, role=None)
        store.rows.delete(db, row)
        store.sessions.end(db, person_id=row.id)
        return person_out(row)


@blueprint.post("/people/<int:person_id>/restore")
@blueprint.output(PersonOut)
def restore_person(person_id: int) -> PersonOut:
    """Give somebody their account back."""
    with session() as db:
        row = store.rows.get(db, Person, person_id, deleted=True)
        store.people.refuse_taken(db, row.name, but=row.id)
        store.rows.restore(db, row)
        return person_out(row)


@blueprint.post("/people/<int:person_id>/sign-out")
@blueprint.output(PersonOut)
def sign_person_out(person_id: int) -> PersonOut:
    """Sign all devices of somebody out."""
    with session() as db:
        row = store.rows.get(db, Person, person_id)
        store.sessions.end(db, person_id=row.id, but=access.me().token)
        return person_out(row, list(store.sessions.devices_of(db, row.id)))


@blueprint.get("/audit")
@blueprint.input(AuditAsk, location="query")
@blueprint.output(AuditOut)
def audit(query_data: AuditAsk) -> AuditOut:
    """The audit journal: who did what, when, from where."""
    with session() as db:
        return AuditOut(lines=[audit_line(row) for row in store.audit.lines(db, before=query_data.before)])
