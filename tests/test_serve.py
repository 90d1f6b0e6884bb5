"""The start command as a process: it says where, keeps the data, stops what it started."""

import contextlib
import json
import os
import re
import signal
import socket
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path
from typing import Any
from urllib.request import Request, urlopen

from meanbead.store import cluster
from tests.support.patience import PATIENCE_S


class Start(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory(prefix="meanbead-start-", ignore_cleanup_errors=True)
        self.addCleanup(folder.cleanup)
        os.chmod(folder.name, 0o755)
        self.data = Path(folder.name) / "data"
        self.addCleanup(lambda: self.run_once("--stop"))

    def command(self, *words: str) -> list[str]:
        return [sys.executable, "-m", "meanbead.serve", "--data", str(self.data), *words]

    def run_once(self, *words: str) -> str:
        return subprocess.run(
            self.command(*words), capture_output=True, text=True, timeout=PATIENCE_S, check=True
        ).stdout

    def start(self, *words: str) -> tuple[subprocess.Popen[str], str, str]:
        """A started process, its address, and what it said until then."""
        process = subprocess.Popen(self.command(*words), stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True)
        self.addCleanup(lambda: process.poll() is None and process.kill())  # type: ignore[func-returns-value]
        assert process.stdout is not None
        self.addCleanup(process.stdout.close)
        said = ""
        for line in process.stdout:
            said += line
            if found := re.match(r"Mean Bead: (http://\S+)", line):
                return process, found[1], said
        self.fail(f"it ended without an address: {said}")

    def get(self, address: str) -> Any:
        with urlopen(address, timeout=PATIENCE_S) as answer:
            return json.load(answer)

    def test_to_stop_and_to_point_to_the_other_nothing_heavy_is_imported(self) -> None:
        asked = "import sys, meanbead.serve; print(*(name for name in ('numpy', 'sqlalchemy', 'flask') if name in sys.modules))"
        said = subprocess.run([sys.executable, "-c", asked], capture_output=True, text=True, check=True).stdout
        self.assertEqual(said.strip(), "")

    def test_life_of_an_empty_workshop(self) -> None:
        with socket.socket() as busy:
            busy.bind(("127.0.0.1", 0))
            busy.listen()
            port = busy.getsockname()[1]
            process, address, said = self.start("--empty", "--port", str(port))
            self.assertIn(f"Port {port} is taken; using", said)
        self.assertEqual(self.get(f"{address}/api/parts")["parts"], [])
        self.assertEqual([row["name"] for row in self.get(f"{address}/api/shelf")["materials"]], ["PLA"])

        # A second start points to the first one and leaves it alone.
        self.assertIn(f"is running already: {address}", self.run_once("--empty"))

        # Ctrl-C stops the server and the database that it started.
        folder = cluster.database_folder(self.data)
        self.assertTrue((folder / "postmaster.pid").exists())
        process.send_signal(signal.SIGINT)
        self.assertEqual(process.wait(PATIENCE_S), 0)
        self.assertFalse((folder / "postmaster.pid").exists())

        # Started again, the data are still there; nothing is filled in twice.
        process, address, said = self.start("--port", "0")
        self.assertNotIn("has been set up", said)
        self.assertEqual(len(self.get(f"{address}/api/shelf")["materials"]), 1)
        with (
            self.assertRaises(OSError),
            contextlib.closing(urlopen(Request(address, headers={"Host": "evil.example"}))),
        ):
            pass

        self.assertIn("has stopped", self.run_once("--stop"))
        self.assertEqual(process.wait(PATIENCE_S), 0)
        self.assertIn("not running", self.run_once("--stop"))

    def test_a_workshop_is_saved_and_brought_back_with_one_command(self) -> None:
        process, address, _ = self.start("--empty", "--port", "0")
        file = self.data.parent / "saved.zip"
        said = self.run_once("--backup", str(file))  # while it runs
        self.assertIn("0 parts, 0 runs", said)
        body = json.dumps({"name": "Second"}).encode()
        with urlopen(Request(f"{address}/api/machines", body, {"Content-Type": "application/json"})) as answer:
            self.assertEqual(answer.status, 201)
        refused = subprocess.run(
            self.command("--restore", str(file)), capture_output=True, text=True, timeout=PATIENCE_S
        )
        self.assertEqual(refused.returncode, 1)
        self.assertIn("is running", refused.stderr)
        self.run_once("--stop")
        process.wait(PATIENCE_S)

        # Over data it asks first, and nobody answers here.
        refused = subprocess.run(
            self.command("--restore", str(file)),
            capture_output=True,
            text=True,
            timeout=PATIENCE_S,
            stdin=subprocess.DEVNULL,
        )
        self.assertEqual(refused.returncode, 1)
        self.assertIn("Nothing was changed", refused.stdout)
        process, address, said = self.start("--restore", str(file), "--yes", "--port", "0")
        self.assertIn("Restored.", said)
        self.assertEqual(len(self.get(f"{address}/api/shelf")["machines"]), 1)
        kept = self.get(f"{address}/api/backups")["backups"]
        self.assertEqual([one["kind"] for one in kept], ["before-restore"])
        self.run_once("--stop")
        process.wait(PATIENCE_S)

        # Into an empty folder it asks nothing, and fills nothing in.
        self.data = self.data.parent / "elsewhere"
        process, address, said = self.start(
            "--restore", str(self.data.parent / "data" / "backups" / kept[0]["name"]), "--port", "0"
        )
        self.assertNotIn("has been set up", said)
        self.assertEqual(len(self.get(f"{address}/api/shelf")["machines"]), 2)
        self.run_once("--stop")
        broken = self.data.parent / "broken.zip"
        broken.write_bytes(file.read_bytes()[:-50])
        refused = subprocess.run(
            self.command("--restore", str(broken)), capture_output=True, text=True, timeout=PATIENCE_S
        )
        self.assertEqual(refused.returncode, 1)
        self.assertIn("cut off", refused.stderr)

    def test_a_database_left_by_a_crash_is_taken_over(self) -> None:
        process, _, _ = self.start("--empty", "--port", "0")
        process.kill()
        process.wait(PATIENCE_S)
        time.sleep(0.2)
        _, address, said = self.start("--empty", "--port", "0")
        self.assertNotIn("has been set up", said)
        self.assertEqual(self.get(f"{address}/api/health")["status"], "ok")
