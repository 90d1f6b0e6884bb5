"""Many people at once: ``.venv/bin/python -m benchmarks.load [--people 50 --computing 5 --seconds 60 --parts 1000]``.

A server as ``./start`` makes it, on a workshop made by code, signed in to by everybody. People read lists and benches, ask for
figures that are known and type edits, one request every 0.6 s each; some change a height and have everything computed, again
and again. Named baseline: the same people while nobody computes.
"""

from __future__ import annotations

import argparse
import asyncio
import contextlib
import os
import random
import re
import subprocess
import sys
import tempfile
import time
from collections import defaultdict
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import httpx

from benchmarks.big_workshop import fill
from meanbead.store import cluster
from meanbead.store.database import Database

PASSPHRASE = "seven wet herons on a plank"
EVERY_S = 0.6
READS = ("parts", "part", "bench", "figures", "shelf")
_USUAL = ("parts",) * 3 + ("bench",) * 4 + ("part",) + ("figures",) * 2 + ("shelf",) + ("edit",)


@dataclass
class Seen:
    """How long answers took, by kind, and what went wrong."""

    times_s: dict[str, list[float]] = field(default_factory=lambda: defaultdict(list))
    errors: list[str] = field(default_factory=list)

    def at(self, share: float, kinds: tuple[str, ...]) -> float:
        """The time within which this share of answers came, s."""
        times = sorted(value for kind in kinds for value in self.times_s[kind])
        return times[min(int(share * len(times)), len(times) - 1)] if times else float("nan")


@contextlib.contextmanager
def served(parts: int) -> Iterator[tuple[str, int]]:
    """A server with a large workshop: its address and process number."""
    with tempfile.TemporaryDirectory(prefix="meanbead-load-", ignore_cleanup_errors=True) as folder:
        os.chmod(folder, 0o755)
        data = Path(folder) / "data"
        running = cluster.start(data, port=0)
        database = Database(running.url)
        database.migrate()
        fill(database, parts=parts, estimates=100 * parts)
        database.close()
        cluster.stop(running.folder)
        command = [sys.executable, "-m", "meanbead.serve", "--data", str(data), "--port", "0"]
        process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
        assert process.stdout is not None
        try:
            for line in process.stdout:
                if found := re.match(r"Mean Bead: (http://\S+)", line):
                    yield found[1], process.pid
                    break
        finally:
            subprocess.run([*command[:3], "--data", str(data), "--stop"], capture_output=True, check=False)
            with contextlib.suppress(subprocess.TimeoutExpired):
                process.wait(60)
            process.kill()
            process.wait()
            process.stdout.close()


class Somebody:
    """A person with a browser."""

    def __init__(self, address: str, number: int, seen: Seen) -> None:
        self.client = httpx.AsyncClient(base_url=address, timeout=60, headers={"Origin": address})
        self.random = random.Random(number)
        self.seen = seen
        self.parts: list[int] = []

    async def ask(self, kind: str, method: str, path: str, body: Any = None) -> Any:
        """A request, timed under a kind."""
        begun = time.perf_counter()
        answer = await self.client.request(method, path, json=body)
        self.seen.times_s[kind].append(time.perf_counter() - begun)
        if answer.status_code >= 400 and answer.status_code != 409:
            self.seen.errors.append(f"{method} {path}: {answer.status_code} {answer.text[:200]}")
        return answer.json()

    async def sign_in(self) -> None:
        """Sign in, and learn which parts there are."""
        me = (await self.client.post("/api/sign-in", json={"name": "Ida", "passphrase": PASSPHRASE})).json()
        self.client.headers["X-CSRFToken"] = me["csrf"]
        self.parts = [part["id"] for part in (await self.client.get("/api/parts/names")).json()["parts"]]

    async def columns(self, kind: str) -> Any:
        """The columns of some part."""
        return (await self.ask(kind, "GET", f"/api/parts/{self.random.choice(self.parts)}/recipes"))["recipes"]

    async def read_and_edit(self, until: float) -> None:
        """Go about as people do."""
        await asyncio.sleep(self.random.random() * EVERY_S)
        while time.monotonic() < until:
            begun = time.monotonic()
            kind = self.random.choice(_USUAL)
            if kind == "parts":
                await self.ask(kind, "GET", "/api/parts")
            elif kind == "part":
                await self.ask(kind, "GET", f"/api/parts/{self.random.choice(self.parts)}")
            elif kind == "shelf":
                await self.ask(kind, "GET", "/api/shelf")
            else:
                columns = await self.columns("bench")
                column = self.random.choice(columns)
                if kind == "figures" and column["estimate"]:
                    await self.ask(kind, "POST", f"/api/recipes/{column['id']}/figures")
                if kind == "edit":
                    body = {"version": column["version"], "name": f"Name {self.random.randrange(10_000)}"}
                    await self.ask(kind, "PATCH", f"/api/recipes/{column['id']}", body)
            await asyncio.sleep(max(0.0, begun + EVERY_S - time.monotonic()))

    async def compute(self, until: float) -> None:
        """Change a height, look at the first answer, and have the whole computed: once at least, however slow it is."""
        answered = False
        while time.monotonic() < until or not answered:
            column = self.random.choice(await self.columns("bench"))
            choices = column["choices"] | {"layer_height_mm": round(self.random.uniform(0.1, 0.28), 3)}
            body = {"version": column["version"], "choices": choices}
            changed = await self.ask("edit", "PATCH", f"/api/recipes/{column['id']}", body)
            if "id" not in changed:
                continue
            await self.ask("first answer", "POST", f"/api/recipes/{column['id']}/estimate?layers=24")
            answered = True
            figures = await self.ask("whole answer", "POST", f"/api/recipes/{column['id']}/figures")
            job = figures.get("job")
            while job and job["state"] in ("waiting", "running") and time.monotonic() < until:
                await asyncio.sleep(0.2)
                job = await self.ask("progress", "GET", f"/api/jobs/{job['id']}")


async def crowd(address: str, people: int, computing: int, seconds: float) -> Seen:
    """Let people at a server for so long."""
    seen = Seen()
    everybody = [Somebody(address, number, seen) for number in range(people)]
    for somebody in everybody:
        await somebody.sign_in()
    until = time.monotonic() + seconds
    await asyncio.gather(
        *(
            one.compute(until) if number < computing else one.read_and_edit(until)
            for number, one in enumerate(everybody)
        )
    )
    for somebody in everybody:
        await somebody.client.aclose()
    return seen


def resident_mb(pid: int) -> float:
    """Memory of a process and its children, MB."""

    def own(number: int) -> float:
        pages = int(Path(f"/proc/{number}/statm").read_text().split()[1])
        return pages * os.sysconf("SC_PAGE_SIZE") / 1e6

    children = Path(f"/proc/{pid}/task/{pid}/children").read_text().split()
    return own(pid) + sum(own(int(child)) for child in children if Path(f"/proc/{child}").exists())


def report(name: str, seen: Seen) -> None:
    """How long answers took, by kind."""
    print(f"\n{name}: {sum(map(len, seen.times_s.values()))} requests, {len(seen.errors)} errors")
    for kind in sorted(seen.times_s):
        count = len(seen.times_s[kind])
        middle, most = seen.at(0.5, (kind,)), seen.at(0.95, (kind,))
        print(f"  {kind:<14} {count:6d}   middle {1000 * middle:7.0f} ms   p95 {1000 * most:7.0f} ms")
    for error in seen.errors[:3]:
        print(f"  {error}")


def main() -> None:
    """Run it, and say what came out."""
    parser = argparse.ArgumentParser(description="Many people at once")
    parser.add_argument("--people", type=int, default=50)
    parser.add_argument("--computing", type=int, default=5)
    parser.add_argument("--seconds", type=float, default=60)
    parser.add_argument("--parts", type=int, default=1000)
    asked = parser.parse_args()
    with served(asked.parts) as (address, pid):
        httpx.post(
            f"{address}/api/owner", json={"name": "Ida", "passphrase": PASSPHRASE}, timeout=30
        ).raise_for_status()
        calm = asyncio.run(crowd(address, asked.people, 0, asked.seconds / 2))
        report("nobody computes", calm)
        before = resident_mb(pid)
        busy = asyncio.run(crowd(address, asked.people, asked.computing, asked.seconds))
        report(f"{asked.computing} compute", busy)
        ratio = busy.at(0.95, READS) / calm.at(0.95, READS)
        print(
            f"\nreads, p95: {1000 * busy.at(0.95, READS):.0f} ms against {1000 * calm.at(0.95, READS):.0f} ms: ratio {ratio:.1f}"
        )
        print(f"memory: {before:.0f} MB before, {resident_mb(pid):.0f} MB after")


if __name__ == "__main__":
    main()
