"""One's own account over HTTP: who one is, signing in and out, taking an invitation, devices, the passphrase."""

from __future__ import annotations

import re

from apiflask import APIBlueprint
from flask import Response, make_response, request
from sqlalchemy.orm import Session

from meanbead import services, store
from meanbead.api import access
from meanbead.api.access import Actor
from meanbead.api.context import session
from meanbead.api.people_schemas import (
    AcceptAsk,
    ConfirmAsk,
    DevicesOut,
    InvitationLook,
    InvitationToken,
    Me,
    OwnerAsk,
    PassphraseAsk,
    SignInAsk,
    device_out,
)
from meanbead.api.problems import Refused
from meanbead.core.errors import MeanBeadError
from meanbead.core.text.durations import duration
from meanbead.store.people import Role
from meanbead.store.sessions import ENDS
from meanbead.store.tables import Person

blueprint = APIBlueprint("sign_in", __name__, url_prefix="/api", tag="Sign in")


@blueprint.get("/me")
@blueprint.output(Me)
def who_am_i() -> Me:
    """Who asks, and what the page has to send along with changes."""
    return _me()


def _me() -> Me:
    alone = not access.accounts_exist()
    who = access.actor()
    return Me(
        alone=alone,
        network=access.over_network(),
        served=bool(access.access().urls),
        may_make_owner=alone and not access.over_network(),
        name=who.name if who else "",
        role=who.role if who else None,
        csrf=access.csrf_token(),
        confirmed=bool(who and who.confirmed),
    )


@blueprint.post("/owner")
@blueprint.input(OwnerAsk)
@blueprint.output(Me)
def make_owner(json_data: OwnerAsk) -> Response:
    """Make the first account, at this machine; it is an owner's."""
    if access.over_network() or access.accounts_exist():
        raise Refused(403, "not-allowed", "The first account is made at this machine, while there is none.")
    services.passphrases.refuse_weak(json_data.passphrase, json_data.name)
    hashed = services.passphrases.hash_of(json_data.passphrase)
    with session() as db:
        store.people.lock_people(db)
        if store.people.any_account(db):
            raise Refused(403, "not-allowed", "Somebody has made the first account meanwhile. Sign in.")
        person = store.people.add_person(db, json_data.name, "owner", hashed)
    access.accounts_were_made()
    access.note("Made the first account", person.name, who=person.name)
    return _signed_in(person, remember=True)


@blueprint.post("/sign-in")
@blueprint.input(SignInAsk)
@blueprint.output(Me)
def sign_in(json_data: SignInAsk) -> Response:
    """Sign this device in."""
    with session() as db:
        person = _checked(db, json_data.name, json_data.passphrase)
        if person is not None and services.passphrases.is_outdated(person.passphrase):
            person.passphrase = services.passphrases.hash_of(json_data.passphrase)
    if person is None:
        access.note("Sign-in failed", who=json_data.name)
        raise MeanBeadError("Name and passphrase do not belong together.", field="passphrase", code="wrong")
    access.note("Signed in", services.devices.name_of(_agent()), who=person.name)
    return _signed_in(person, remember=json_data.remember)


def _checked(db: Session, name: str, passphrase: str) -> Person | None:
    """The person whose name and passphrase these are. After several failures one has to wait: by the account, so that
    nobody guesses it from many addresses, and by the address, so that nobody guesses many accounts. At this machine the
    account's wait does not count: nobody out there can lock its owner out."""
    by_address, by_account = ("address", access.here()), ("account", name.strip().lower()[:120])
    keys = [by_address, by_account] if access.over_network() else [by_address]
    left = store.tries.left_s(db, keys)
    if left > 0:
        raise Refused(
            429, "wait", f"Too many tries failed. Wait {duration(max(left, 1))}, then try again.", after_s=left
        )
    person = store.people.by_name(db, name)
    if services.passphrases.verified(person.passphrase if person else None, passphrase):
        store.tries.succeeded(db, [by_address, by_account])
        return person
    store.tries.failed(db, keys)
    return None


def _signed_in(person: Person, *, remember: bool) -> Response:
    """Answer with a new session, whatever one there was before: nobody's chosen cookie is carried on."""
    old = request.cookies.get(access.cookie_name(), "")
    with session() as db:
        if old:
            store.sessions.end(db, token_digest=store.people.digest_of(old))
        row, token = store.sessions.begin(
            db, person, device=services.devices.name_of(_agent()), address=access.here(), remembered=remember
        )
    role: Role = person.role  # type: ignore[assignment]
    access.adopt(row.token, Actor(person.name, role, person.id, row.token))
    response = make_response(_me().model_dump(mode="json"))
    response.set_cookie(
        access.cookie_name(),
        token,
        max_age=ENDS[True] if remember else None,
        secure=request.is_secure,
        httponly=True,
        samesite="Strict",
        path="/",
    )
    return response


@blueprint.post("/sign-out")
@blueprint.output(Me)
def sign_out() -> Response:
    """Sign this device out. What the browser keeps of us is wiped."""
    who = access.me()
    if who.token is None:
        raise Refused(403, "not-allowed", "Nobody is signed in: this machine opens straight in.")
    with session() as db:
        store.sessions.end(db, token_digest=who.token)
    access.note("Signed out")
    access.leave()
    response = make_response(_me().model_dump(mode="json"))
    response.delete_cookie(access.cookie_name(), path="/", secure=request.is_secure, httponly=True, samesite="Strict")
    response.headers["Clear-Site-Data"] = '"cache", "storage"'
    return response


@blueprint.post("/confirm")
@blueprint.input(ConfirmAsk)
@blueprint.output(Me)
def confirm(json_data: ConfirmAsk) -> Me:
    """Give the passphrase once more, for what matters most."""
    who = access.me()
    if who.token is None:
        return _me()
    with session() as db:
        right = _checked(db, who.name, json_data.passphrase) is not None
        if right:
            store.sessions.confirm(db, who.token)
    if not right:
        access.note("Passphrase was wrong when asked once more")
        raise MeanBeadError("That is not your passphrase.", field="passphrase", code="wrong")
    access.adopt_confirmed(who)
    return _me()


@blueprint.post("/passphrase")
@blueprint.input(PassphraseAsk)
@blueprint.output(Me)
def change_passphrase(json_data: PassphraseAsk) -> Response:
    """Change one's passphrase. All other devices are signed out."""
    who = access.me()
    if who.person_id is None:
        raise Refused(403, "not-allowed", "There is no account to change.")
    with session() as db:
        person = _checked(db, who.name, json_data.old)
    if person is None:
        raise MeanBeadError("That is not your passphrase now.", field="old", code="wrong")
    services.passphrases.refuse_weak(json_data.new, who.name)
    hashed = services.passphrases.hash_of(json_data.new)
    with session() as db:
        row = store.rows.get(db, Person, who.person_id)
        row.passphrase = hashed
        remembered = store.sessions.is_remembered(db, who.token)
        store.sessions.end(db, person_id=row.id)
    return _signed_in(person, remember=remembered)


@blueprint.get("/devices")
@blueprint.output(DevicesOut)
def list_devices() -> DevicesOut:
    """Devices on which one is signed in."""
    who = access.me()
    if who.person_id is None:
        return DevicesOut(devices=[])
    with session() as db:
        return DevicesOut(devices=[device_out(row, who.token) for row in store.sessions.devices_of(db, who.person_id)])


@blueprint.post("/devices/<int:number>/sign-out")
@blueprint.output(DevicesOut)
def sign_out_device(number: int) -> DevicesOut:
    """Sign one of one's own devices out."""
    who = access.me()
    if who.person_id is not None:
        with session() as db:
            store.sessions.end(db, person_id=who.person_id, number=number)
    return list_devices()


@blueprint.post("/devices/sign-out")
@blueprint.output(DevicesOut)
def sign_out_others() -> DevicesOut:
    """Sign all of one's other devices out."""
    who = access.me()
    if who.person_id is not None:
        with session() as db:
            store.sessions.end(db, person_id=who.person_id, but=who.token)
    return list_devices()


@blueprint.post("/invitations/look")
@blueprint.input(InvitationToken)
@blueprint.output(InvitationLook)
def look_at_invitation(json_data: InvitationToken) -> InvitationLook:
    """What an invitation is for."""
    with session() as db:
        row = store.people.find_invitation(db, json_data.token)
        role: Role = row.role  # type: ignore[assignment]
        person = None if row.person_id is None else store.rows.get(db, Person, row.person_id)
        return InvitationLook(role=role, made_by=row.made_by, name=person.name if person else None)


@blueprint.post("/invitations/accept")
@blueprint.input(AcceptAsk)
@blueprint.output(Me)
def accept_invitation(json_data: AcceptAsk) -> Response:
    """Take an invitation: an account with a passphrase of one's own, and this device signed in."""
    with session() as db:
        store.people.find_invitation(db, json_data.token)  # before work is spent on a passphrase
    services.passphrases.refuse_weak(json_data.passphrase, json_data.name)
    hashed = services.passphrases.hash_of(json_data.passphrase)
    with session() as db:
        row = store.people.find_invitation(db, json_data.token)
        role: Role = row.role  # type: ignore[assignment]
        if row.person_id is None:
            person = store.people.add_person(db, json_data.name, role, hashed)
        else:
            person = store.rows.get(db, Person, row.person_id)
            person.passphrase = hashed
            store.sessions.end(db, person_id=person.id)
            store.tries.succeeded(db, [("account", person.name.lower())])
        store.people.used(row)
    access.note("Took an invitation", f"as {role}", who=person.name)
    return _signed_in(person, remember=json_data.remember)


def _agent() -> str:
    return re.sub(r"[^\x20-\x7e]", "", request.headers.get("User-Agent", ""))[:400]
