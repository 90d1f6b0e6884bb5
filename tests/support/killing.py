"""Kill the server, a worker or the database at random moments, and look at what is left: ``python -m tests.support.killing
[ROUNDS] [SEED]``.

In every round a person edits, uploads and asks for work; one process is killed without warning and started again as a
person would. Every acknowledged edit and upload must be there, whole, and every job must end or be done again.
"""

from __future__ import annotations

import contextlib
import json
import os
import random
import re
import signal
import subprocess
import sys
import tempfile
import threading
import time
from dataclasses import dataclass, field
from http.client import HTTPException
from pathlib import Path
from typing import Any
from urllib.error import HTTPError, URLError
from urllib.request import Request, urlopen

import trimesh

from meanbead.store import cluster
from tests.support.patience import START_S
from tests.support.solids import stl_bytes

TARGETS = ("server", "worker", "database")
ENDS = ("done", "failed", "cancelled")


class Refused(Exception):
    """An answer that was no acknowledgement."""


@dataclass
class Workshop:
    """A Mean Bead on a data folder of its own, with a second worker, and what it has acknowledged."""

    data: Path
    random: random.Random
    server: subprocess.Popen[str] | None = None
    worker: subprocess.Popen[bytes] | None = None
    address: str = ""
    parts: dict[int, int] = field(default_factory=dict)  # part: triangles
    columns: dict[int, tuple[int, float]] = field(default_factory=dict)  # column: version, layer height
    sent: dict[int, set[float]] = field(default_factory=dict)  # heights that were sent and not acknowledged
    jobs: set[int] = field(default_factory=set)
    acknowledged: int = 0

    def start(self) -> None:
        """Start what does not run."""
        if self.server is None or self.server.poll() is not None:
            command = [sys.executable, "-m", "meanbead.serve", "--empty", "--port", "0", "--data", str(self.data)]
            self.server = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True)
            assert self.server.stdout is not None
            for line in self.server.stdout:
                if found := re.match(r"Mean Bead: (http://\S+)", line):
                    self.address = found[1]
                    break
            else:
                raise AssertionError("the server did not start")
            threading.Thread(target=self.server.stdout.read, daemon=True).start()
        if self.worker is None or self.worker.poll() is not None:
            url = cluster.start(self.data).url
            command = [sys.executable, "-m", "meanbead.cli", "worker", "--database", url]
            self.worker = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)

    def stop(self) -> None:
        """Stop all of it."""
        for process in (self.worker, self.server):
            if process is not None and process.poll() is None:
                process.send_signal(signal.SIGTERM)
                with contextlib.suppress(subprocess.TimeoutExpired):
                    process.wait(START_S)
                process.kill()
                process.wait()
        cluster.stop(cluster.database_folder(self.data))

    def call(self, method: str, path: str, body: Any = None, *, raw: bytes | None = None, kind: str = "") -> Any:
        """One request; raises :class:`Refused` where no answer came or it was none that acknowledges."""
        data = raw if raw is not None else None if body is None else json.dumps(body).encode()
        request = Request(self.address + path, data, {"Content-Type": kind or "application/json"}, method=method)
        try:
            with urlopen(request, timeout=START_S) as answer:
                content = answer.read()
                return json.loads(content) if "json" in answer.headers["Content-Type"] else content
        except HTTPError as problem:
            if problem.code == 500:
                raise AssertionError(f"{method} {path}: {problem.read()[:300]!r}") from None
            raise Refused(problem.code) from None
        except (URLError, OSError, ValueError, HTTPException) as problem:
            raise Refused(problem) from None

    def upload(self) -> None:
        """Add a part of a random number of triangles."""
        mesh = trimesh.creation.icosphere(subdivisions=self.random.choice((1, 2)), radius=self.random.uniform(5, 9))
        form = b'--x\r\nContent-Disposition: form-data; name="file"; filename="ball.stl"\r\n\r\n'
        form += stl_bytes(mesh) + b"\r\n--x--\r\n"
        part = self.call("POST", "/api/parts", raw=form, kind="multipart/form-data; boundary=x")
        self.parts[part["id"]] = part["facts"]["triangles"]
        self.acknowledged += 1
        for column in self.call("GET", f"/api/parts/{part['id']}/recipes")["recipes"]:
            self.columns[column["id"]] = (column["version"], 0.0)

    def edit(self) -> None:
        """Change a column's layer height."""
        column = self.random.choice(list(self.columns))
        version, _ = self.columns[column]
        height = round(self.random.uniform(0.12, 0.3), 4)
        self.sent.setdefault(column, set()).add(height)
        body = {"version": version, "choices": {"layer_height_mm": height}}
        made = self.call("PATCH", f"/api/recipes/{column}", body)
        self.columns[column] = (made["version"], height)
        self.sent[column].clear()
        self.acknowledged += 1

    def ask(self) -> None:
        """Ask for figures, levers, remedies or a small search."""
        column = self.random.choice(list(self.columns))
        kind = self.random.choice(("figures", "levers", "remedies", "search"))
        body: Any = {"levers": {"goal": "minutes"}, "search": {"vary": {"walls": [1, 2, 3], "pace": [1, 2]}}}.get(kind)
        answer = self.call("POST", f"/api/recipes/{column}/{kind}", body)
        job = answer.get("job") if kind == "figures" else answer
        if job:
            self.jobs.add(job["id"])

    def busy(self, ends: threading.Event, faults: list[BaseException]) -> None:
        """A person at work until told to stop; refusals are what a killed process leaves behind."""
        while not ends.is_set():
            try:
                self.random.choice((self.edit, self.edit, self.edit, self.ask, self.upload))()
            except Refused:
                time.sleep(0.05)
                # Where the answer was lost, the change may have been stored all the same: the page looks, too.
                with contextlib.suppress(Refused):
                    self.look()
            except BaseException as fault:
                faults.append(fault)
                return

    def kill(self, target: str) -> None:
        """End a process as a crash would."""
        if target == "database":
            folder = cluster.database_folder(self.data)
            with contextlib.suppress(OSError, ValueError):
                os.kill(int((folder / "postmaster.pid").read_text().splitlines()[0]), signal.SIGKILL)
            return
        process = self.server if target == "server" else self.worker
        assert process is not None
        process.kill()
        process.wait()

    def look(self) -> None:
        """Hold all that is stored against all that was acknowledged."""
        stored = {part["id"]: part for part in self.call("GET", "/api/parts")["parts"]}
        for part, triangles in self.parts.items():
            if part not in stored:
                raise AssertionError(f"part {part} was acknowledged and is gone")
            if stored[part]["facts"]["triangles"] != triangles:
                raise AssertionError(f"part {part} is half written")
        for part in stored:
            for column in self.call("GET", f"/api/parts/{part}/recipes")["recipes"]:
                number, height = column["id"], column["choices"].get("layer_height_mm") or 0.0
                version, known = self.columns.get(number, (column["version"], height))
                if column["version"] < version:
                    raise AssertionError(
                        f"column {number}: version {version} was acknowledged, {column['version']} is stored"
                    )
                if height != known and height not in self.sent.get(number, ()):
                    raise AssertionError(f"column {number} holds {height}, and {known} was acknowledged")
                if part in self.parts:
                    self.columns[number] = (column["version"], height)
                    self.sent[number] = set()

    def up_again(self, within_s: float = START_S) -> None:
        """Start again what was killed, and wait until it answers."""
        until = time.monotonic() + within_s
        while True:
            try:
                self.start()
                self.call("GET", "/api/health")
                return
            except (Refused, cluster.ClusterError):
                if time.monotonic() > until:
                    raise
                time.sleep(0.1)

    def jobs_end(self, within_s: float = 2 * START_S) -> None:
        """Every job that was asked for has ended, or ends."""
        until = time.monotonic() + within_s
        left = set(self.jobs)
        while left:
            for job in list(left):
                with contextlib.suppress(Refused):
                    if self.call("GET", f"/api/jobs/{job}")["state"] in ENDS:
                        left.discard(job)
            if left and time.monotonic() > until:
                states = [self.call("GET", f"/api/jobs/{job}") for job in sorted(left)]
                raise AssertionError(
                    f"these jobs do not end: {[(state['id'], state['kind'], state['state']) for state in states]}"
                )
            time.sleep(0.2)


def rounds(count: int, seed: int = 1, say: bool = False) -> Workshop:
    """So many rounds; raises :class:`AssertionError` where something that was acknowledged is lost, or work never ends."""
    with tempfile.TemporaryDirectory(prefix="meanbead-kill-", ignore_cleanup_errors=True) as folder:
        os.chmod(folder, 0o755)
        workshop = Workshop(Path(folder) / "data", random.Random(seed))
        try:
            workshop.start()
            workshop.upload()
            for number in range(count):
                target = TARGETS[number % len(TARGETS)]
                ends, faults = threading.Event(), list[BaseException]()
                person = threading.Thread(target=workshop.busy, args=(ends, faults))
                person.start()
                before, until = workshop.acknowledged, time.monotonic() + START_S
                while workshop.acknowledged == before and not faults and time.monotonic() < until:
                    time.sleep(0.02)  # on a busy machine nothing would be under way yet
                time.sleep(workshop.random.uniform(0.05, 1.5))
                workshop.kill(target)
                time.sleep(workshop.random.uniform(0.0, 0.4))
                ends.set()
                person.join()
                if faults:
                    raise faults[0]
                workshop.up_again()
                workshop.look()
                if say:
                    print(f"round {number + 1}: {target} killed, {workshop.acknowledged} acknowledged", flush=True)
            workshop.jobs_end()
            workshop.look()
            return workshop
        finally:
            workshop.stop()


if __name__ == "__main__":
    asked = [int(word) for word in sys.argv[1:3]] or [200]
    done = rounds(*asked, say=True)  # type: ignore[arg-type, misc]
    print(f"nothing lost: {done.acknowledged} edits and uploads, {len(done.jobs)} jobs")
