"""A workshop that is really served to a network, as ``./start --network`` does it, with an owner."""

from __future__ import annotations

import os
import re
import socket
import subprocess
import sys
import tempfile
from pathlib import Path

from tests.support.patience import START_S
from tests.support.people import PASSPHRASE


def unused_port() -> int:
    """A port that is free now."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


class NetworkWorkshop:
    """A process with a data folder of its own. ``home`` is its address on this machine, ``net`` that of its network, and
    ``said`` what it printed so far."""

    def __init__(self, *words: str, owner: bool = True) -> None:
        self._folder = tempfile.TemporaryDirectory(prefix="meanbead-network-", ignore_cleanup_errors=True)
        os.chmod(self._folder.name, 0o755)
        self.data = Path(self._folder.name) / "data"
        if owner:
            self.shell("people", "add", "Ida", "--owner", "--data", str(self.data), said=f"{PASSPHRASE}\n")
        port = unused_port()
        self.command = [sys.executable, "-m", "meanbead.serve", "--data", str(self.data)]
        self._asked = ["--empty", "--port", str(unused_port()), "--network-port", str(port), *(words or ("--network",))]
        self.net = f"https://127.0.0.1:{port}"
        self._trusted = owner and "--behind-proxy" not in words
        self._start()

    def _start(self) -> None:
        self.process = subprocess.Popen(
            [*self.command, *self._asked], stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True
        )
        self.said = ""
        self.home = self.wait_for(r"Mean Bead: (http://\S+)")
        if self._trusted:
            self.wait_for("How phones come to trust it")

    def kill(self) -> None:
        """End it as a crash would."""
        self.process.kill()
        self.process.wait(START_S)
        assert self.process.stdout is not None
        self.process.stdout.close()

    def start_again(self) -> None:
        """Start it where it was, on the same ports."""
        self._start()

    @staticmethod
    def shell(*words: str, said: str = "") -> subprocess.CompletedProcess[str]:
        """The shell's command."""
        command = [sys.executable, "-m", "meanbead.cli", *words]
        return subprocess.run(command, input=said, capture_output=True, text=True, timeout=START_S, check=True)

    def wait_for(self, pattern: str) -> str:
        """Until it has said something; returns the first group, or all."""
        if found := re.search(pattern, self.said):
            return found[1] if found.groups() else found[0]
        assert self.process.stdout is not None
        for line in self.process.stdout:
            self.said += line
            if found := re.search(pattern, line):
                return found[1] if found.groups() else found[0]
        raise AssertionError(f"it ended without saying {pattern!r}: {self.said}")

    @property
    def authority(self) -> str:
        """File of the certificate that phones trust."""
        return str(self.data / "tls" / "authority.crt")

    def stop(self) -> None:
        """End it, and take its folder away."""
        subprocess.run([*self.command, "--stop"], capture_output=True, timeout=START_S, check=False)
        if self.process.poll() is None:
            self.process.kill()
        self.process.wait(START_S)
        if self.process.stdout is not None:
            self.process.stdout.close()
        self._folder.cleanup()
