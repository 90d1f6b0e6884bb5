"""The pages' process and the engine's, together: what is handed on is decided on before, and answers are the same."""

import io
import unittest

import trimesh

from meanbead.api import create_app
from meanbead.api.access import Access
from meanbead.api.asgi import Application
from meanbead.api.changes import ChangeFeed
from meanbead.api.heavy import HEAVY, Inside
from meanbead.api.rights import RIGHTS
from meanbead.listen import Server, bound, port_of
from tests.support.people import NETWORK, Browser, add_people
from tests.support.server import new_database
from tests.support.solids import stl_bytes

SECRET = "between the two"


class TwoProcesses(unittest.TestCase):
    """Here both are in one process; tests of ``./start`` have them apart."""

    def setUp(self) -> None:
        self.database = new_database("heavy", usual=True)
        self.addCleanup(self.database.close)
        add_people(self.database, Ida="owner", Gus="guest")
        self.inner = create_app(self.database, inside_secret=SECRET)
        door = bound("127.0.0.1", 0)
        server = Server(Application(self.inner, self.database, ChangeFeed(self.database)), [door])
        server.start()
        self.addCleanup(server.stop)
        self.engine: str | None = f"http://127.0.0.1:{port_of(door)}"
        self.front = create_app(self.database, served=NETWORK, inside=Inside(SECRET, lambda: self.engine))

    def upload(self, browser: Browser, size_mm: float) -> int:
        data = {"file": (io.BytesIO(stl_bytes(trimesh.creation.box((size_mm, 20, 6)))), "block.stl")}
        answer = browser.client.post(
            "/api/parts",
            data=data,
            base_url=browser.origin,
            headers={"Origin": browser.origin, "X-CSRFToken": browser.csrf},
            environ_overrides=browser.environ,
        )
        self.assertEqual(answer.status_code, 201, answer.text)
        return int(answer.get_json()["id"])

    def test_every_handed_on_endpoint_exists(self) -> None:
        self.assertLessEqual(HEAVY, set(RIGHTS))

    def test_files_edits_and_figures_through_both(self) -> None:
        ida = Browser(self.front)
        ida.sign_in("Ida")
        part = self.upload(ida, 20)
        columns = ida.ask("GET", f"/api/parts/{part}/recipes").get_json()["recipes"]
        sample = ida.ask("POST", f"/api/recipes/{columns[0]['id']}/estimate?layers=24")
        self.assertEqual(sample.status_code, 200, sample.text)
        same = Browser(create_app(self.database, served=NETWORK))  # both in one
        same.sign_in("Ida")
        again = same.ask("POST", f"/api/recipes/{columns[0]['id']}/estimate?layers=24")
        self.assertEqual(again.get_json(), sample.get_json())
        stands = ida.ask("GET", f"/api/parts/{part}").get_json()
        renamed = ida.ask("PATCH", f"/api/parts/{part}", {"version": stands["version"], "name": "Brick"})
        self.assertEqual(renamed.get_json()["name"], "Brick")
        # A stale write comes back as the problem that it is.
        stale = ida.ask("PATCH", f"/api/parts/{part}", {"version": stands["version"], "name": "Stone"})
        self.assertEqual((stale.status_code, stale.content_type), (409, "application/problem+json"))
        self.assertEqual(stale.get_json(force=True)["stored"]["name"], "Brick")

    def test_a_flood_of_sign_ins_holds_up_nothing_but_sign_ins(self) -> None:
        feed = ChangeFeed(self.database)
        application = Application(self.front, self.database, feed)
        kinds = {
            kind: application.threads_for(path, method)
            for kind, method, path in (
                ("list", "GET", "/api/parts"),
                ("edit", "PATCH", "/api/recipes/1"),
                ("engine", "POST", "/api/recipes/1/estimate"),
                ("sign-in", "POST", "/api/sign-in"),
                ("join", "POST", "/api/invitations/accept"),
                ("nowhere", "GET", "/api/nowhere"),
            )
        }
        self.assertIs(kinds["list"], kinds["edit"])
        self.assertIs(kinds["sign-in"], kinds["join"])
        self.assertEqual(len({id(kinds[kind]) for kind in ("list", "engine", "sign-in")}), 3)
        other = Application(self.front, self.database, feed)
        # The network's door and this machine's do not share theirs.
        self.assertIsNot(other.threads_for("/api/sign-in", "POST"), kinds["sign-in"])

    def test_what_is_too_large_is_told_as_such(self) -> None:
        ida = Browser(self.front)
        ida.sign_in("Ida")
        part = self.upload(ida, 21)
        ida.environ["CONTENT_LENGTH"] = "300000000"
        answer = ida.ask("PATCH", f"/api/parts/{part}", {"version": 1})
        self.assertEqual(answer.status_code, 413)

    def test_what_may_not_be_asked_for_is_never_handed_on(self) -> None:
        guest, stranger = Browser(self.front), Browser(self.front)
        guest.sign_in("Gus")
        self.engine = "http://127.0.0.1:9"  # nothing listens: a request that is handed on would be told so
        self.assertEqual(guest.ask("PATCH", "/api/parts/1", {"version": 1}).status_code, 403)
        self.assertEqual(stranger.ask("GET", "/api/recipes/1/layers").status_code, 401)
        away = guest.ask("GET", "/api/recipes/1/layers")
        self.assertEqual(away.status_code, 503)
        self.assertIn("starts again", away.get_json(force=True)["detail"])
        self.assertEqual(guest.ask("GET", "/api/parts").status_code, 200)

    def test_the_engine_answers_to_nobody_else(self) -> None:
        client = self.inner.test_client()
        for headers in ({}, {"X-Meanbead-Inside": "guess"}, {"X-Meanbead-Actor": '{"name": "Eve", "role": "owner"}'}):
            self.assertEqual(client.get("/api/parts", headers=headers).status_code, 403)
        # And what a browser says of itself is not handed on.
        guest = Browser(self.front)
        guest.sign_in("Gus")
        told = guest.ask(
            "PATCH",
            "/api/parts/1",
            {"version": 1},
            X_Meanbead_Actor='{"name": "Eve", "role": "owner"}',
            X_Meanbead_Inside=SECRET,
        )
        self.assertEqual(told.status_code, 403)

    def test_one_process_needs_no_other(self) -> None:
        app = create_app(self.database, served=Access())
        self.assertEqual(Browser(app, over_network=False).ask("GET", "/api/health").status_code, 200)


if __name__ == "__main__":
    unittest.main()
