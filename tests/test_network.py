"""``./start --network`` as a process: waits for an owner, serves with TLS, and says what is wrong."""

import json
import os
import re
import signal
import ssl
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from typing import Any
from urllib.error import HTTPError, URLError
from urllib.request import Request, urlopen

from meanbead.network.certificates import own_certificate
from tests.support.network import NetworkWorkshop, unused_port
from tests.support.patience import START_S
from tests.support.people import PASSPHRASE


def ask(address: str, authority: str | None = None, body: Any = None, **headers: str) -> Any:
    """What an address answers, over TLS with what phones would trust."""
    trusted = None if authority is None else ssl.create_default_context(cafile=authority)
    data = None if body is None else json.dumps(body).encode()
    sent = {"Content-Type": "application/json"} | {name.replace("_", "-"): value for name, value in headers.items()}
    with urlopen(Request(address, data, sent), timeout=START_S, context=trusted) as answer:
        return json.load(answer)


class Served(unittest.TestCase):
    def workshop(self, *words: str, owner: bool = True) -> NetworkWorkshop:
        made = NetworkWorkshop(*words, owner=owner)
        self.addCleanup(made.stop)
        return made

    def test_nothing_is_served_before_there_is_an_owner_and_all_of_it_after(self) -> None:
        workshop = self.workshop(owner=False)
        self.assertIn("Nobody owns this workshop yet", workshop.said)
        with self.assertRaises((URLError, ConnectionError)):
            ask(f"{workshop.net}/api/health")
        self.assertTrue(ask(f"{workshop.home}/api/me")["may_make_owner"])
        ask(f"{workshop.home}/api/owner", body={"name": "Ida", "passphrase": PASSPHRASE})
        workshop.wait_for("How phones come to trust it")
        self.assertIn("https://", workshop.said)
        self.assertIn("▀", workshop.said)  # the code that phones read

        # The certificate holds, for an address of this machine; without trusting it nothing is told.
        self.assertEqual(ask(f"{workshop.net}/api/health", workshop.authority)["status"], "ok")
        with self.assertRaises(URLError):
            ask(f"{workshop.net}/api/health")
        # Plain HTTP is answered by nobody there.
        with self.assertRaises((URLError, ConnectionError, OSError)):
            ask(f"{workshop.net.replace('https', 'http')}/api/health")
        # Nobody is somebody at this machine there, whatever he says.
        for headers in ({}, {"X_Forwarded_For": "127.0.0.1"}, {"X_Person": "Ida"}):
            with self.assertRaises(HTTPError) as refused:
                ask(f"{workshop.net}/api/parts", workshop.authority, **headers)
            self.assertEqual(refused.exception.code, 401)
            refused.exception.close()
        with self.assertRaises(HTTPError) as refused:
            ask(f"{workshop.net}/api/health", workshop.authority, Host="elsewhere.test")
        self.assertEqual(refused.exception.code, 403)
        refused.exception.close()
        for secret in ("secrets/cookie.key", "tls/authority.key", "tls/server.key"):
            self.assertEqual((workshop.data / secret).stat().st_mode & 0o777, 0o600)
        self.assertNotIn((workshop.data / "secrets/cookie.key").read_text(), workshop.said)

        # People from the shell, while it runs.
        data = ["--data", str(workshop.data)]
        NetworkWorkshop.shell("people", "add", "Gus", "--guest", *data, said=f"{PASSPHRASE}\n")
        self.assertRegex(NetworkWorkshop.shell("people", "list", *data).stdout, r"guest +Gus\nowner +Ida")
        fresh = "brisk wooden moons for sale"
        NetworkWorkshop.shell("people", "passphrase", "gus", *data, said=f"{fresh}\n")
        signed = ask(f"{workshop.home}/api/sign-in", body={"name": "Gus", "passphrase": fresh})
        self.assertEqual(signed["role"], "guest")
        with self.assertRaises(subprocess.CalledProcessError) as too_short:
            NetworkWorkshop.shell("people", "add", "Eve", *data, said="short\n")
        self.assertTrue(re.match(r"meanbead: It needs at least 12 letters", too_short.exception.stderr))

        # The engine may die: it is started again, and pages and lists never noticed.
        engine = json.loads((workshop.data / "running.json").read_text())["engine"]
        os.kill(engine, signal.SIGKILL)
        self.assertEqual(ask(f"{workshop.home}/api/health")["status"], "ok")

    def test_behind_a_proxy_its_word_is_taken_and_nobody_elses(self) -> None:
        workshop = self.workshop("--behind-proxy", "127.0.0.1", "--name", "beads.test")
        workshop.wait_for("https://beads.test")
        door = workshop.net.replace("https", "http")
        told = {"Host": "beads.test", "X_Forwarded_Proto": "https", "X_Forwarded_For": "203.0.113.9"}
        self.assertTrue(ask(f"{door}/api/me", **told)["network"])
        # A proxy that forgets to say that it spoke TLS is refused, and so is one at the door of this machine.
        for address, headers in ((door, {"Host": "beads.test"}), (workshop.home, told | {"Host": workshop.home[7:]})):
            with self.assertRaises(HTTPError) as refused:
                ask(f"{address}/api/me", **headers)
            self.assertEqual(refused.exception.code, 403)
            refused.exception.close()

    def test_contradictions_are_told_before_anything_starts(self) -> None:
        with tempfile.TemporaryDirectory(prefix="meanbead-wish-") as folder:
            os.chmod(folder, 0o755)
            made = own_certificate(Path(folder), ["loft"], ["10.0.0.1"])
            for words, sentence in (
                (["--network", "--certificate", str(made.certificate)], "belong together"),
                (["--behind-proxy", "10.0.0.2"], "--name"),
            ):
                command = [
                    sys.executable,
                    "-m",
                    "meanbead.serve",
                    "--data",
                    f"{folder}/data",
                    "--port",
                    str(unused_port()),
                ]
                done = subprocess.run([*command, *words], capture_output=True, text=True, timeout=START_S, check=False)
                self.assertEqual(done.returncode, 1)
                self.assertIn(sentence, done.stderr)
                self.assertNotIn("Traceback", done.stderr)


if __name__ == "__main__":
    unittest.main()
