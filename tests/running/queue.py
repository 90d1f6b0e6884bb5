"""One queue of tasks, the longest first, worked through by as many processes as the machine has cores plus one.

A task that waits (a browser, a process that starts) leaves its core to another; more processes than that would only take
turns. There is no second try: what fails has failed.
"""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable, Iterable
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path
from typing import IO

from tests.running.effort import LONG
from tests.running.shared import CLUSTER
from tests.running.tasks import ROOT, Task
from tests.running.worker import Outcome

TIMES = ROOT / "var" / "test-times.json"
"""How long each task took the last time, on this machine."""

_TAIL = 60


@dataclass
class Report:
    """What came of all tasks so far."""

    passed: int = 0
    failed: int = 0
    tasks_s: dict[str, float] = field(default_factory=dict)
    tests_s: dict[str, float] = field(default_factory=dict)
    cores_s: float = 0.0

    def take(self, task: Task, outcome: Outcome, took_s: float, cores_s: float = 0.0) -> None:
        """Count a task in."""
        self.passed += outcome.passed
        self.failed += outcome.failed
        self.tasks_s[task.name] = took_s
        self.tests_s |= outcome.seconds
        self.cores_s += cores_s


class Worker:
    """A process that runs test modules, one after another; started when the first comes."""

    def __init__(self, folder: Path, number: int, threads: int | None, wrapped: tuple[str, ...]) -> None:
        self._log = folder / f"worker-{number}.log"
        answers, tells = os.pipe()
        environment = os.environ | ({} if threads is None else {"MEANBEAD_THREADS": str(threads)})
        command = [sys.executable, *wrapped, "-m", "tests.running.worker", str(tells)]
        with self._log.open("ab") as log:
            self._process = subprocess.Popen(
                command, cwd=ROOT, env=environment, stdin=subprocess.PIPE, stdout=log, stderr=log, pass_fds=(tells,)
            )
        os.close(tells)
        self._answers: IO[str] = os.fdopen(answers)

    def run(self, name: str) -> Outcome:
        """Run a module; a process that dies over it has failed it."""
        assert self._process.stdin is not None
        before = self._log.stat().st_size
        with suppress(BrokenPipeError):
            self._process.stdin.write(f"{name}\n".encode())
            self._process.stdin.flush()
        if line := self._answers.readline():
            outcome = Outcome(**json.loads(line))
            if outcome.failed:
                outcome.said += self._said_since(before)
            return outcome
        status = self._process.wait()
        return Outcome(name, failed=1, said=f"ERROR: {name}: its process ended ({status})\n{self._said_since(before)}")

    @property
    def number(self) -> int:
        """Of the process."""
        return self._process.pid

    @property
    def is_alive(self) -> bool:
        """Whether it can take another."""
        return self._process.poll() is None

    def stop(self) -> None:
        """Let it end: browsers and servers that it keeps end with it."""
        assert self._process.stdin is not None
        with suppress(BrokenPipeError):
            self._process.stdin.close()
        with suppress(subprocess.TimeoutExpired):
            self._process.wait(60)
        self._process.kill()
        self._process.wait()
        self._answers.close()

    def _said_since(self, place: int) -> str:
        with self._log.open("rb") as log:
            log.seek(place)
            lines = log.read().decode(errors="replace").splitlines()[-_TAIL:]
        return "".join(f"{line}\n" for line in lines)


class Queue:
    """Works through tasks; ``say`` is told of each that has ended, in whatever order."""

    def __init__(
        self,
        tasks: Iterable[Task],
        *,
        slots: int = (os.cpu_count() or 2) + 1,
        wrapped: tuple[str, ...] = (),
        say: Callable[[str], None] = lambda text: print(text, flush=True),
    ) -> None:
        known = last_times()
        self._left = sorted(tasks, key=lambda task: known.get(task.name, task.guess_s))
        self._slots = slots
        self._wrapped = wrapped
        self._say = say
        self._lock = threading.Lock()
        self.report = Report()

    def run(self) -> Report:
        """Until nothing is left."""
        with tempfile.TemporaryDirectory(prefix="meanbead-run-", ignore_cleanup_errors=True) as folder:
            os.chmod(folder, 0o755)  # the database's account has to get through
            os.environ[CLUSTER] = str(Path(folder, "cluster"))
            try:
                threads = [
                    threading.Thread(target=self._work, args=(Path(folder), number)) for number in range(self._slots)
                ]
                for thread in threads:
                    thread.start()
                for thread in threads:
                    thread.join()
            finally:
                _stop_cluster(Path(folder, "cluster"))
        return self.report

    def _next(self) -> Task | None:
        with self._lock:
            return self._left.pop() if self._left else None

    def _work(self, folder: Path, number: int) -> None:
        worker: Worker | None = None
        while (task := self._next()) is not None:
            begun = time.monotonic()
            if task.command:
                outcome, cores_s = _command(task)
            elif task.threads is None:
                own = Worker(folder, number, None, self._wrapped)
                outcome, cores_s = own.run(task.name), busy_s(own.number)
                own.stop()
            else:
                before_s = busy_s(worker.number) if worker is not None else 0.0
                if worker is None or not worker.is_alive:
                    worker, before_s = Worker(folder, number, task.threads, self._wrapped), 0.0
                outcome = worker.run(task.name)
                cores_s = max(busy_s(worker.number) - before_s, 0.0)
            self._ended(task, outcome, time.monotonic() - begun, cores_s)
        if worker is not None:
            worker.stop()

    def _ended(self, task: Task, outcome: Outcome, took_s: float, cores_s: float) -> None:
        with self._lock:
            self.report.take(task, outcome, took_s, cores_s)
            mark = "ok" if outcome.failed == 0 else "!!"
            self._say(f"{mark} {took_s:6.1f} s, {cores_s:5.1f} s of a core  {task.name}")
            if outcome.failed:
                self._say(outcome.said)


def _command(task: Task) -> tuple[Outcome, float]:
    with tempfile.TemporaryFile() as said:
        process = subprocess.Popen(
            task.command, cwd=task.folder, env=os.environ | task.environment, stdout=said, stderr=said
        )
        _, status, used = os.wait4(process.pid, 0)
        process.returncode = os.waitstatus_to_exitcode(status)
        said.seek(0)
        told = said.read().decode(errors="replace")
    cores_s = used.ru_utime + used.ru_stime
    if process.returncode == 0:
        return Outcome(task.name, passed=1), cores_s
    return Outcome(task.name, failed=1, said=f"FAIL: {task.name}\n{told}"), cores_s


def busy_s(number: int) -> float:
    """Seconds of a core that a process, and all that it has started, have used so far; 0 for one that is gone."""
    used = 0.0
    with suppress(OSError):
        # After the name, which may hold spaces: state, parent, ... times of its own and of children that have ended.
        fields = Path(f"/proc/{number}/stat").read_text().rpartition(")")[2].split()
        used += sum(int(ticks) for ticks in fields[11:15]) / os.sysconf("SC_CLK_TCK")
        for thread in Path(f"/proc/{number}/task").iterdir():
            used += sum(busy_s(int(child)) for child in (thread / "children").read_text().split())
    return used


def last_times() -> dict[str, float]:
    """Seconds of each task the last time it ran here."""
    try:
        known: dict[str, float] = json.loads(TIMES.read_text())
    except (OSError, ValueError):
        return {}
    return known


def keep_times(report: Report) -> None:
    """Write down how long tasks took; the long check takes other times, and keeps none."""
    if os.environ.get(LONG) == "1":
        return
    TIMES.parent.mkdir(exist_ok=True)
    TIMES.write_text(json.dumps(last_times() | report.tasks_s, indent=1) + "\n")


def _stop_cluster(folder: Path) -> None:
    if folder.exists():
        from meanbead.store import cluster

        cluster.stop(cluster.database_folder(folder))
