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
        return subprocess.run(self.command(*words), capture_output=True, text=True, timeout=90, check=True).stdout

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
        with urlopen(address, timeout=20) as answer:
            return json.load(answer)

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
        self.assertEqual(process.wait(30), 0)
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
        self.assertEqual(process.wait(30), 0)
        self.assertIn("not running", self.run_once("--stop"))

    def test_a_database_left_by_a_crash_is_taken_over(self) -> None:
        process, _, _ = self.start("--empty", "--port", "0")
        process.kill()
        process.wait(30)
        time.sleep(0.2)
        _, address, said = self.start("--empty", "--port", "0")
        self.assertNotIn("has been set up", said)
        self.assertEqual(self.get(f"{address}/api/health")["status"], "ok")
