"""Who may ask for what: every route with every role, and what stands at the door."""

import unittest
from datetime import timedelta
from typing import Any, ClassVar
from unittest.mock import patch

from apiflask import APIFlask
from argon2 import Type
from sqlalchemy import text

from meanbead import store
from meanbead.api import access, create_app
from meanbead.api.rights import RIGHTS, Right
from meanbead.demo.workshop import fill_if_empty
from meanbead.store import sessions, tries
from meanbead.store.database import Database
from meanbead.store.tables import now
from tests.support.people import CHEAP, HOST, NETWORK, PASSPHRASE, USED, Browser, add_people, network_app
from tests.support.server import new_database


class Case(unittest.TestCase):
    name: ClassVar[str] = "access"
    database: ClassVar[Database]
    app: ClassVar[APIFlask]

    @classmethod
    def setUpClass(cls) -> None:
        cls.database = new_database(cls.name)
        add_people(cls.database, Ida="owner", Bo="member", Gus="guest", Cai="member")
        cls.app = network_app(cls.database)

    @classmethod
    def tearDownClass(cls) -> None:
        cls.database.close()

    def setUp(self) -> None:
        with self.database.session.begin() as session:
            session.execute(text("delete from tries"))

    def browser(self, name: str | None = None, **how: Any) -> Browser:
        made = Browser(self.app, **how)
        if name is not None:
            self.assertEqual(made.sign_in(name).status_code, 200)
        return made

    def refused(self, answer: Any, status: int, code: str) -> dict[str, Any]:
        self.assertEqual(answer.status_code, status, answer.text)
        problem: dict[str, Any] = answer.get_json(force=True)
        self.assertEqual(problem["type"], f"urn:meanbead:{code}")
        self.assertTrue(problem["detail"])
        return problem

    def journal(self) -> list[str]:
        with self.database.session.begin() as session:
            return [f"{line.who}: {line.what}; {line.about}" for line in store.audit.lines(session, limit=400)]


class Rights(Case):
    name = "access_rights"

    def routes(self) -> list[tuple[str, str, str]]:
        """Endpoint, method and an address of every route."""
        found = []
        adapter = self.app.url_map.bind(HOST)
        for rule in self.app.url_map.iter_rules():
            values: dict[str, Any] = {}
            for argument in rule.arguments:
                kind = type(rule._converters[argument]).__name__
                values[argument] = 1 if "Integer" in kind else "csv" if "Any" in kind else "x"
            methods = sorted((rule.methods or set()) - {"HEAD", "OPTIONS"})
            found += [
                (rule.endpoint, method, adapter.build(rule.endpoint, values, method=method)) for method in methods
            ]
        return found

    def test_every_route_has_an_entry_and_every_entry_a_route(self) -> None:
        self.assertEqual({endpoint for endpoint, _, _ in self.routes()}, set(RIGHTS))

    def test_only_files_of_the_pages_the_door_and_a_sign_of_life_are_open_to_anybody(self) -> None:
        open_ones = {endpoint for endpoint, right in RIGHTS.items() if right.role is None}
        self.assertEqual({endpoint.split(".")[0] for endpoint in open_ones}, {"pages", "health", "sign_in", "network"})
        # Nothing that is read by a safe method may change anything, and what changes the workshop is no guest's.
        for endpoint, method, _ in self.routes():
            # A look computes and changes nothing, but what it takes does not fit an address.
            if method != "GET" and not endpoint.startswith("sign_in.") and ".look_at_" not in endpoint:
                self.assertNotIn(RIGHTS[endpoint], (Right.READ, Right.ANYBODY, Right.ANYBODY_WITHOUT_ASKING), endpoint)

    def test_each_role_at_each_route(self) -> None:
        levels = {None: 0, "guest": 1, "member": 2, "owner": 3}
        skipped = {"sign_in.sign_out", "sign_in.sign_out_others", "sign_in.sign_out_device", "sign_in.confirm"}
        for name, role in ((None, None), ("Gus", "guest"), ("Bo", "member"), ("Ida", "owner")):
            browser = self.browser(name)
            with patch.object(access, "note"):  # thousands of lines are not what is looked at here
                for endpoint, method, path in self.routes():
                    if endpoint in skipped:
                        continue  # they would end what the others are asked with; they have tests of their own
                    right = RIGHTS[endpoint]
                    with self.subTest(role=role, endpoint=endpoint):
                        kind = self.verdict(browser, method, path)
                        if right.role is None or levels[role] >= levels[right.role]:
                            self.assertEqual(kind, "let in")
                        else:
                            self.assertEqual(kind, "sign-in" if role is None else "not-allowed")

    def verdict(self, browser: Browser, method: str, path: str) -> str:
        """Whether a request got past the door: the views themselves are not run."""
        with patch.dict(self.app.view_functions, {endpoint: lambda **_: ("", 204) for endpoint in RIGHTS}):
            answer = browser.ask(method, path)
        if answer.status_code in (401, 403):
            return str(answer.get_json(force=True)["type"]).removeprefix("urn:meanbead:")
        self.assertEqual(answer.status_code, 204, answer.text)
        return "let in"

    def test_a_route_that_nobody_thought_of_is_refused_to_an_owner_too(self) -> None:
        app = create_app(self.database, served=NETWORK)
        app.add_url_rule("/api/forgotten", "forgotten", lambda: "all of it")
        browser = Browser(app)
        browser.sign_in("Ida")
        self.refused(browser.ask("GET", "/api/forgotten"), 403, "not-allowed")

    def test_what_matters_most_asks_for_the_passphrase_once_more(self) -> None:
        browser = self.browser("Ida")
        with self.database.session.begin() as session:
            session.execute(text("update sessions set confirmed_at = now() - interval '11 minutes'"))
        self.refused(browser.ask("POST", "/api/invitations", {"role": "guest"}), 403, "confirm")
        self.assertEqual(browser.ask("GET", "/api/people").status_code, 200)
        wrong = browser.ask("POST", "/api/confirm", {"passphrase": "not this one at all"})
        self.assertEqual(wrong.get_json(force=True)["errors"][0]["field"], "passphrase")
        self.refused(browser.ask("POST", "/api/invitations", {"role": "guest"}), 403, "confirm")
        self.assertTrue(browser.ask("POST", "/api/confirm", {"passphrase": PASSPHRASE}).get_json()["confirmed"])
        self.assertEqual(browser.ask("POST", "/api/invitations", {"role": "guest"}).status_code, 201)

    def test_guest_reads_and_enters_and_changes_nothing_else(self) -> None:
        guest = self.browser("Gus")
        self.assertEqual(guest.ask("GET", "/api/parts").status_code, 200)
        told = self.refused(guest.ask("PATCH", "/api/house-rules", {"version": 1}), 403, "not-allowed")
        self.assertIn("members and owners", told["detail"])
        self.assertTrue(any(line.startswith("Gus:") and "refused (403)" in line for line in self.journal()))
        # There is no such strand: but a guest may ask.
        self.assertEqual(guest.ask("POST", "/api/flow-points/77/restore").status_code, 404)


class Alone(unittest.TestCase):
    """Nobody has an account: this machine opens straight in, and the network not at all."""

    def test_life_before_and_after_the_first_account(self) -> None:
        database = new_database("access_alone")
        self.addCleanup(database.close)
        here, there = Browser(create_app(database), over_network=False), Browser(network_app(database))
        me = here.ask("GET", "/api/me").get_json()
        self.assertEqual((me["alone"], me["role"], me["may_make_owner"], me["csrf"]), (True, "owner", True, None))
        self.assertEqual(here.ask("GET", "/api/parts").status_code, 200)
        # From the network nothing opens, and nobody makes himself the owner.
        self.assertEqual(there.ask("GET", "/api/parts").status_code, 401)
        told = there.ask("POST", "/api/owner", {"name": "Eve", "passphrase": PASSPHRASE})
        self.assertEqual(told.status_code, 403, told.text)
        for weak in ("short", "passwordpassword", "aaaaaaaaaaaaaaaa", "meanbead meanbead", "Ida Ida Ida Ida"):
            answer = here.ask("POST", "/api/owner", {"name": "Ida", "passphrase": weak})
            self.assertEqual(
                (answer.status_code, answer.get_json(force=True)["errors"][0]["field"]), (422, "passphrase"), weak
            )
        made = here.ask("POST", "/api/owner", {"name": "Ida", "passphrase": PASSPHRASE})
        self.assertEqual((made.status_code, made.get_json()["role"], made.get_json()["alone"]), (200, "owner", False))
        # From now on somebody else at this machine has to sign in, and nobody makes a second first account.
        other = Browser(here.client.application, over_network=False)  # type: ignore[arg-type]
        self.assertEqual(other.ask("GET", "/api/parts").status_code, 401)
        self.assertEqual(other.ask("POST", "/api/owner", {"name": "Eve", "passphrase": PASSPHRASE}).status_code, 403)
        self.assertEqual(here.ask("GET", "/api/parts").status_code, 200)


class Door(Case):
    name = "access_door"

    def test_wrong_passphrases_wait_ever_longer_by_account_and_nobody_learns_who_exists(self) -> None:
        for who in ("Bo", "Nobody"):
            with self.subTest(who=who):
                waits, said = [], set()
                moment = now()
                for number in range(9):
                    # Each try comes from another address: the account waits all the same.
                    browser = self.browser(address=f"10.0.1.{number}")
                    with patch.object(tries, "now", lambda at=moment: at):
                        answer = browser.sign_in(who, "not the right words at all")
                    if answer.status_code == 429:
                        waits.append(int(answer.headers["Retry-After"]))
                        moment += timedelta(seconds=waits[-1])
                        continue
                    said.add(answer.text)
                self.assertEqual(len(said), 1)
                self.assertEqual(waits, [2, 4, 8])

    def test_the_wait_grows_by_its_formula_and_ends(self) -> None:
        free = tries.FREE["account"]
        self.assertEqual(
            [tries.wait_s(failed, free) for failed in (0, free - 1, free, free + 1, free + 5)], [0, 0, 2, 4, 64]
        )
        self.assertEqual(tries.wait_s(10_000, free), 900)

    def stop_the_clock(self) -> None:
        """Waits of seconds must not run out while a slow machine computes."""
        moment = now()
        clock = patch.object(tries, "now", lambda: moment)
        clock.start()
        self.addCleanup(clock.stop)

    def test_the_right_passphrase_waits_too_but_never_at_this_machine(self) -> None:
        self.stop_the_clock()
        for number in range(tries.FREE["account"]):
            self.browser(address=f"10.0.2.{number}").sign_in("Ida", "not the right words at all")
        self.refused(self.browser().sign_in("Ida"), 429, "wait")
        at_home = Browser(self.app, over_network=False)
        self.assertEqual(at_home.sign_in("Ida").status_code, 200)
        # Having signed in there, the account is free for the network again.
        self.assertEqual(self.browser().sign_in("Ida").status_code, 200)

    def test_an_address_that_guesses_many_accounts_waits(self) -> None:
        self.stop_the_clock()
        browser = self.browser(address="10.0.3.1")
        codes = [
            browser.sign_in(f"name {number}", "not the right words at all").status_code
            for number in range(tries.FREE["address"] + 1)
        ]
        self.assertEqual(codes, [422] * tries.FREE["address"] + [429])
        self.assertEqual(self.browser(address="10.0.3.2").sign_in("Bo").status_code, 200)

    def test_a_clock_that_was_set_back_makes_nobody_wait_for_ever(self) -> None:
        for number in range(tries.FREE["account"] + 2):
            with (
                self.database.session.begin() as session,
                patch.object(tries, "now", lambda: now() + timedelta(days=400)),
            ):
                tries.failed(session, [("account", "bo")])
            self.assertLess(number, 10)
        with self.database.session.begin() as session:
            self.assertLessEqual(tries.left_s(session, [("account", "bo")]), tries.LONGEST.total_seconds())

    def test_a_session_is_new_at_every_sign_in_and_a_planted_cookie_is_worth_nothing(self) -> None:
        browser = self.browser()
        planted = "planted-by-somebody-else"
        browser.client.set_cookie("__Host-meanbead", planted, domain=HOST, secure=True)
        browser.sign_in("Bo")
        first = browser.cookie
        self.assertNotEqual(first, planted)
        browser.sign_in("Bo")
        self.assertNotEqual(browser.cookie, first)
        # The one before has ended with it.
        other = self.browser()
        other.client.set_cookie("__Host-meanbead", str(first), domain=HOST, secure=True)
        self.assertEqual(other.ask("GET", "/api/parts").status_code, 401)

    def test_the_cookie_is_for_us_alone(self) -> None:
        held = self.browser().sign_in("Bo").headers["Set-Cookie"]
        for word in ("__Host-meanbead=", "Secure", "HttpOnly", "SameSite=Strict", "Path=/"):
            self.assertIn(word, held)
        self.assertNotIn("Domain", held)
        self.assertNotIn("Max-Age", held)
        self.assertIn("Max-Age=5184000", self.browser().sign_in("Bo", remember=True).headers["Set-Cookie"])

    def test_only_digests_of_tokens_are_stored(self) -> None:
        browser = self.browser("Bo")
        with self.database.session.begin() as session:
            stored = session.scalars(text("select token from sessions")).all()
        self.assertNotIn(browser.cookie, stored)
        self.assertIn(store.people.digest_of(str(browser.cookie)), stored)

    def test_a_change_needs_the_token_of_its_own_session(self) -> None:
        mine, theirs = self.browser("Bo"), self.browser("Ida")
        for token in ("", "made up", theirs.csrf):
            self.refused(mine.ask("POST", "/api/sign-out", X_CSRFToken=token), 403, "csrf")
        self.assertEqual(mine.ask("POST", "/api/sign-out").status_code, 200)

    def test_a_change_comes_from_our_own_pages_or_not_at_all(self) -> None:
        browser = self.browser("Bo")
        for origin in ("https://elsewhere.test", f"http://{HOST}:1", "null", ""):
            self.assertEqual(browser.ask("POST", "/api/sign-out", Origin=origin).status_code, 403, origin)
        self.assertEqual(browser.ask("GET", "/api/parts", Host="elsewhere.test").status_code, 403)
        browser.origin = f"http://{HOST}"
        plain = browser.ask("GET", "/api/health")
        self.assertEqual(plain.status_code, 403)
        self.assertIn("TLS", plain.text)

    def test_a_proxy_at_the_door_of_this_machine_is_refused(self) -> None:
        home = Browser(self.app, over_network=False)
        for header in ("X-Forwarded-For", "Forwarded", "Via"):
            told = home.ask("GET", "/api/health", **{header.replace("-", "_"): "1.2.3.4"})
            self.assertIn("--behind-proxy", told.text)

    def test_headers(self) -> None:
        answer = self.browser().ask("GET", "/api/health")
        self.assertEqual(answer.headers["Strict-Transport-Security"], "max-age=31536000")
        self.assertIn("frame-ancestors 'none'", answer.headers["Content-Security-Policy"])
        self.assertEqual(answer.headers["Cache-Control"], "no-store")
        self.assertNotIn(
            "Strict-Transport-Security", Browser(self.app, over_network=False).ask("GET", "/api/health").headers
        )


class Sessions(Case):
    name = "access_sessions"

    def after(self, browser: Browser, **passed: float) -> int:
        later = now() + timedelta(**passed)
        with patch.object(sessions, "now", lambda: later):
            return browser.ask("GET", "/api/parts").status_code

    def test_they_end_unused_and_they_end_at_last(self) -> None:
        browser = self.browser("Bo")
        self.assertEqual(self.after(browser, hours=3.9), 200)
        self.assertEqual(self.after(browser, hours=7.7), 200)  # in use
        self.assertEqual(self.after(browser, hours=11.8), 401)  # unused for four
        busy = self.browser("Bo")
        self.assertEqual([self.after(busy, hours=hours) for hours in (3, 6, 9, 12, 15, 15.9, 16.1)], [200] * 6 + [401])

    def test_a_remembered_phone_lasts_for_sixty_days(self) -> None:
        browser = self.browser()
        browser.sign_in("Bo", remember=True)
        self.assertEqual([self.after(browser, days=day) for day in (29, 57, 59.9, 60.1)], [200, 200, 200, 401])
        unused = self.browser()
        unused.sign_in("Bo", remember=True)
        self.assertEqual(self.after(unused, days=31), 401)

    def test_a_clock_that_was_set_back_ends_sessions_from_the_future(self) -> None:
        browser = self.browser("Bo")
        self.assertEqual(self.after(browser, minutes=-4), 200)
        self.assertEqual(self.after(browser, days=-2), 401)
        self.assertEqual(self.after(browser), 200)

    def test_devices_are_listed_and_signed_out_one_by_one_or_all(self) -> None:
        first, second, third = (self.browser("Ida") for _ in range(3))
        devices = first.ask("GET", "/api/devices").get_json()["devices"]
        mine = [one for one in devices if one["this_one"]]
        self.assertEqual(len(mine), 1)
        self.assertFalse(any(key in devices[0] for key in ("token", "data")))
        other = self.browser("Bo")
        # Nobody signs somebody else's device out by its number.
        other.ask("POST", f"/api/devices/{mine[0]['number']}/sign-out")
        self.assertEqual(first.ask("GET", "/api/parts").status_code, 200)
        number = second.ask("GET", "/api/devices").get_json()["devices"]
        number = next(one["number"] for one in number if one["this_one"])
        first.ask("POST", f"/api/devices/{number}/sign-out")
        self.assertEqual([b.ask("GET", "/api/parts").status_code for b in (first, second, third)], [200, 401, 200])
        first.ask("POST", "/api/devices/sign-out")
        self.assertEqual([b.ask("GET", "/api/parts").status_code for b in (first, third)], [200, 401])
        out = first.ask("POST", "/api/sign-out")
        self.assertEqual(out.headers["Clear-Site-Data"], '"cache", "storage"')
        self.assertEqual(first.ask("GET", "/api/parts").status_code, 401)

    def test_a_new_passphrase_signs_other_devices_out(self) -> None:
        mine, other = self.browser("Cai"), self.browser("Cai")
        fresh = "a different lot of loose words"
        answer = mine.ask("POST", "/api/passphrase", {"old": "not the right words at all", "new": fresh})
        self.assertEqual(answer.get_json(force=True)["errors"][0]["field"], "old")
        answer = mine.ask("POST", "/api/passphrase", {"old": PASSPHRASE, "new": fresh})
        self.assertEqual(answer.status_code, 200, answer.text)
        self.assertEqual(
            (mine.ask("GET", "/api/parts").status_code, other.ask("GET", "/api/parts").status_code), (200, 401)
        )
        self.assertEqual(self.browser().sign_in("Cai").status_code, 422)
        self.assertEqual(self.browser().sign_in("Cai", fresh).status_code, 200)

    def test_forgetting_what_has_ended(self) -> None:
        self.browser("Bo")
        with self.database.session.begin() as session:
            before = session.scalar(text("select count(*) from sessions"))
            later = now() + timedelta(days=61)
            with patch.object(sessions, "now", lambda: later):
                self.assertEqual(sessions.forget_ended(session), before)


class Hashes(unittest.TestCase):
    def test_cost_what_rfc_9106_asks_where_memory_is_short(self) -> None:
        self.assertEqual((USED.type, USED.memory_cost, USED.time_cost), (Type.ID, 64 * 1024, 3))
        self.assertTrue(USED.check_needs_rehash(CHEAP.hash("seven wet herons")), "one that cost less is made anew")


class People(Case):
    name = "access_people"

    def test_an_invitation_works_once_and_for_a_day(self) -> None:
        owner = self.browser("Ida")
        made = owner.ask("POST", "/api/invitations", {"role": "guest"}).get_json()
        self.assertTrue(made["url"].startswith(f"https://{HOST}/join#"))
        self.assertTrue(made["qr"].startswith("data:image/png;base64,"))
        token = made["url"].split("#")[1]
        with self.database.session.begin() as session:
            self.assertNotIn(token, session.scalars(text("select token from invitations")).all())
        phone = self.browser()
        self.assertEqual(phone.ask("POST", "/api/invitations/look", {"token": token}).get_json()["role"], "guest")
        taken = phone.ask("POST", "/api/invitations/accept", {"token": token, "name": "ida", "passphrase": PASSPHRASE})
        self.assertEqual(taken.get_json(force=True)["errors"][0]["field"], "name")
        joined = phone.ask("POST", "/api/invitations/accept", {"token": token, "name": "Pia", "passphrase": PASSPHRASE})
        self.assertEqual((joined.status_code, joined.get_json()["role"]), (200, "guest"))
        again = self.browser().ask(
            "POST", "/api/invitations/accept", {"token": token, "name": "Eve", "passphrase": PASSPHRASE}
        )
        self.assertEqual(again.status_code, 404)
        late = owner.ask("POST", "/api/invitations", {"role": "member"}).get_json()["url"].split("#")[1]
        tomorrow = now() + timedelta(hours=24, minutes=1)
        with patch("meanbead.store.people.now", lambda: tomorrow):
            self.assertEqual(self.browser().ask("POST", "/api/invitations/look", {"token": late}).status_code, 404)
        withdrawn = owner.ask("POST", "/api/invitations", {"role": "member"}).get_json()
        owner.ask("POST", f"/api/invitations/{withdrawn['id']}/withdraw")
        token = withdrawn["url"].split("#")[1]
        self.assertEqual(self.browser().ask("POST", "/api/invitations/look", {"token": token}).status_code, 404)

    def test_an_owner_lets_somebody_set_a_new_passphrase(self) -> None:
        owner, old = self.browser("Ida"), self.browser("Cai")
        cai = next(one for one in owner.ask("GET", "/api/people").get_json()["people"] if one["name"] == "Cai")
        token = owner.ask("POST", "/api/invitations", {"person_id": cai["id"]}).get_json()["url"].split("#")[1]
        fresh = "brisk wooden moons for sale"
        phone = self.browser()
        answer = phone.ask("POST", "/api/invitations/accept", {"token": token, "name": "Cai", "passphrase": fresh})
        self.assertEqual(answer.get_json()["role"], "member")
        self.assertEqual(old.ask("GET", "/api/parts").status_code, 401)
        self.assertEqual(self.browser().sign_in("Cai", fresh).status_code, 200)

    def test_the_last_owner_stays(self) -> None:
        owner = self.browser("Ida")

        def ida() -> dict[str, Any]:
            people = owner.ask("GET", "/api/people").get_json()["people"]
            return next(one for one in people if one["name"] == "Ida")

        me = ida()
        for answer in (
            owner.ask("PATCH", f"/api/people/{me['id']}", {"version": me["version"], "role": "member"}),
            owner.ask("POST", f"/api/people/{me['id']}/delete", {"version": me["version"]}),
        ):
            self.refused(answer, 422, "last-owner")
        gus = next(one for one in owner.ask("GET", "/api/people").get_json()["people"] if one["name"] == "Gus")
        theirs = self.browser("Gus")
        answer = owner.ask("PATCH", f"/api/people/{gus['id']}", {"version": gus["version"], "role": "owner"})
        self.assertEqual(answer.get_json()["role"], "owner")
        # Whoever may do something else has to sign in anew.
        self.assertEqual(theirs.ask("GET", "/api/parts").status_code, 401)
        me = ida()
        gone = owner.ask("POST", f"/api/people/{me['id']}/delete", {"version": me["version"]})
        self.assertEqual(gone.status_code, 200, gone.text)
        self.assertEqual(owner.ask("GET", "/api/parts").status_code, 401)
        other = self.browser("Gus")
        self.assertEqual(other.ask("POST", f"/api/people/{me['id']}/restore").status_code, 200)
        self.assertEqual(self.browser().sign_in("Ida").status_code, 200)

    def test_names_stand_at_what_people_change(self) -> None:
        fill_if_empty(self.database, samples=False)
        browser = self.browser("Bo")
        shelf = browser.ask("GET", "/api/shelf").get_json()
        nozzle = shelf["nozzles"][0]
        browser.ask("PATCH", f"/api/nozzles/{nozzle['id']}", {"version": nozzle["version"], "name": "old faithful"})
        line = next(line for line in self.journal() if line.startswith("Bo: Edit nozzle"))
        self.assertNotIn("old faithful", line)

    def test_the_journal_holds_no_secrets_and_only_owners_see_it(self) -> None:
        browser = self.browser("Bo")
        self.browser().sign_in("Bo", "not the right words at all")
        self.assertEqual(browser.ask("GET", "/api/audit").status_code, 403)
        lines = self.browser("Ida").ask("GET", "/api/audit").text
        self.assertIn("Sign-in failed", lines)
        for secret in (PASSPHRASE, "not the right words", str(browser.cookie), browser.csrf):
            self.assertNotIn(secret, lines)

    def test_the_journal_is_kept_for_a_year(self) -> None:
        with self.database.session.begin() as session:
            store.audit.note(session, "Old", "did something")
            session.execute(text("update audit set at = now() - interval '367 days' where who = 'Old'"))
            store.audit.forget_old(session)
            self.assertFalse([line for line in store.audit.lines(session, limit=500) if line.who == "Old"])


if __name__ == "__main__":
    unittest.main()
