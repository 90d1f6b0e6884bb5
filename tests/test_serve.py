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
import unittest
from pathlib import Path
from typing import Any
from urllib.request import Request, urlopen

from meanbead.store import cluster
from tests.support.patience import START_S


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
        return subprocess.run(self.command(*words), capture_output=True, text=True, timeout=START_S, check=True).stdout

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
        with urlopen(address, timeout=START_S) as answer:
            return json.load(answer)

    def test_to_stop_and_to_point_to_the_other_nothing_heavy_is_imported(self) -> None:
        asked = "import sys, meanbead.serve; print(*(name for name in ('numpy', 'sqlalchemy', 'flask') if name in sys.modules))"
        said = subprocess.run([sys.executable, "-c", asked], capture_output=True, text=True, check=True).stdout
        self.assertEqual(said.strip(), "")

    def test_life_of_a_workshop_from_its_first_start_to_another_place(self) -> None:
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
        with (
            self.assertRaises(OSError),
            contextlib.closing(urlopen(Request(address, headers={"Host": "evil.example"}))),
        ):
            pass

        # It is saved while it runs, and not restored meanwhile.
        file = self.data.parent / "saved.zip"
        self.assertIn("0 parts, 0 runs", self.run_once("--backup", str(file)))
        self.assertIn("is running", self.refused("--restore", str(file)).stderr)
        self.add_machine(address)

        # What a crash leaves is taken over; nothing is filled in twice.
        process.kill()
        process.wait(START_S)
        process, address, said = self.start("--empty", "--port", "0")
        self.assertNotIn("has been set up", said)
        self.assertEqual(len(self.get(f"{address}/api/shelf")["machines"]), 2)

        # Ctrl-C stops the server and the database that it started.
        folder = cluster.database_folder(self.data)
        self.assertTrue((folder / "postmaster.pid").exists())
        process.send_signal(signal.SIGINT)
        self.assertEqual(process.wait(START_S), 0)
        self.assertFalse((folder / "postmaster.pid").exists())
        self.assertIn("not running", self.run_once("--stop"))

        # Over data it asks first, and nobody answers here; what is cut off is refused before that.
        broken = self.data.parent / "broken.zip"
        broken.write_bytes(file.read_bytes()[:-50])
        self.assertIn("cut off", self.refused("--restore", str(broken)).stderr)
        self.assertIn("Nothing was changed", self.refused("--restore", str(file)).stdout)
        process, address, said = self.start("--restore", str(file), "--yes", "--port", "0")
        self.assertIn("Restored.", said)
        self.assertEqual(len(self.get(f"{address}/api/shelf")["machines"]), 1)
        kept = self.get(f"{address}/api/backups")["backups"]
        self.assertEqual([one["kind"] for one in kept], ["before-restore"])
        self.assertIn("has stopped", self.run_once("--stop"))
        self.assertEqual(process.wait(START_S), 0)

        # Into an empty folder it asks nothing, and fills nothing in.
        before = str(self.data / "backups" / kept[0]["name"])
        self.data = self.data.parent / "elsewhere"
        process, address, said = self.start("--restore", before, "--port", "0")
        self.assertNotIn("has been set up", said)
        self.assertEqual(len(self.get(f"{address}/api/shelf")["machines"]), 2)
        self.run_once("--stop")
        process.wait(START_S)

    def refused(self, *words: str) -> subprocess.CompletedProcess[str]:
        """A command that ends with 1, with nobody there to answer."""
        done = subprocess.run(
            self.command(*words), capture_output=True, text=True, timeout=START_S, stdin=subprocess.DEVNULL, check=False
        )
        self.assertEqual(done.returncode, 1, done.stdout)
        return done

    def add_machine(self, address: str) -> None:
        body = json.dumps({"name": "Second"}).encode()
        with urlopen(Request(f"{address}/api/machines", body, {"Content-Type": "application/json"})) as answer:
            self.assertEqual(answer.status, 201)
