"""Sending files to machines, starting prints, and following them: the one who holds the lines.

What is to happen is written down before it is done: a print counts as starting before the word to start goes out, and that word goes
out once. A line that breaks in between leaves a print that is looked after, not one that is started again.
"""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager, suppress
from dataclasses import asdict
from datetime import timedelta
from pathlib import Path
from typing import TypeVar

from sqlalchemy.orm import Session

from meanbead import store
from meanbead.core.errors import MeanBeadError
from meanbead.core.gcode.inspect import Inspection, TrackPoint
from meanbead.core.log.follow import Followed, Heard, follow
from meanbead.core.model.run import RunEntry
from meanbead.devices.folder import check_folder
from meanbead.devices.machine_console import ConsoleWay, Link, Status, bare_lines
from meanbead.devices.ways import Unreachable, Way, WayDescription, way_to
from meanbead.services.device_tokens import TokenKey
from meanbead.services.print_files import pieces_of_file
from meanbead.services.runs import change_entry
from meanbead.store.database import Database
from meanbead.store.print_tables import PrintRow
from meanbead.store.tables import Machine, RunRow, now, plain

__all__ = ["Dispatch", "way_of"]

_LOG = logging.getLogger(__name__)

LOOK_S = 2.0
WRITE_S = 4.0
"""A page hears of a print that goes on so often at most."""

_FIRST_WAIT_S, _LONGEST_WAIT_S = 2.0, 60.0
_AT_ONCE = 8
_TELL_S = 0.5

Answer = TypeVar("Answer")


def way_of(machine: Machine) -> WayDescription:
    """How files get to a machine."""
    return WayDescription.model_validate(machine.way or {})


class Dispatch:
    """Lines to machines. ``data`` is the data folder, None where there is none."""

    def __init__(self, database: Database, data: Path | None = None) -> None:
        self._database, self._data = database, data
        self.tokens = TokenKey(data)
        self._links: dict[int, Link] = {}
        self._patience: dict[int, tuple[float, float]] = {}  # when to try again, and the wait after that
        self._written: dict[int, float] = {}
        self._locks: dict[int, threading.RLock] = {}
        self._guard = threading.Lock()
        self._ends = threading.Event()
        self._thread: threading.Thread | None = None
        self._senders: list[threading.Thread] = []

    def start_following(self) -> None:
        """Follow prints from now on, in a thread; what was being sent when the last server ended has failed."""
        with self._database.session.begin() as session:
            for row in store.prints.list_prints(session, 200):
                if row.state == "sending":
                    row.state, row.problem = "failed", "Mean Bead was stopped while it was sent. Send it again."
        self._thread = threading.Thread(target=self._follow, name="machines", daemon=True)
        self._thread.start()

    def stop(self) -> None:
        """Let all lines go. Prints go on: they are the machines' own."""
        self._ends.set()
        if self._thread is not None:
            self._thread.join(10)
        for sender in self._senders:
            sender.join(5)
        for link in self._links.values():
            link.close()
        self._links.clear()

    # -- sending ---------------------------------------------------------------------------------

    def test(self, machine_id: int) -> str:
        """Whether a machine's way works, in a sentence."""
        with self._database.session.begin() as session:
            machine = store.rows.get(session, Machine, machine_id)
            described = way_of(machine)
            token = self.tokens.open(session, machine_id, described)
        with self._lock(machine_id):
            return self._way(machine_id, described, token).test()

    def send(self, print_id: int) -> None:
        """Send a print's file, in a thread of its own."""
        thread = threading.Thread(target=self._send, args=(print_id,), name=f"send-{print_id}", daemon=True)
        self._senders = [sender for sender in self._senders if sender.is_alive()]
        self._senders.append(thread)
        thread.start()

    def wait(self, timeout_s: float = 60.0) -> None:
        """Until everything that is being sent has gone."""
        for sender in list(self._senders):
            sender.join(timeout_s)

    def _send(self, print_id: int) -> None:
        problem = ""
        try:
            self._sent(print_id)
        except MeanBeadError as error:
            problem = str(error)
        except _Withdrawn:
            return
        except Exception:
            _LOG.exception("print %s could not be sent", print_id)
            problem = "It could not be sent, for a reason that the log says more of."
        with self._changing(print_id) as row:
            if row is not None and row.state == "sending":
                row.state, row.problem = ("failed", problem) if problem else ("sent", "")

    def _sent(self, print_id: int) -> None:
        with self._database.session.begin() as session:
            row = store.rows.get(session, PrintRow, print_id)
            machine = store.rows.get(session, Machine, row.machine_id)
            described = way_of(machine)
            token = self.tokens.open(session, machine.id, described)
            file = store.prints.get_file(session, row.file_id)
            seen = Inspection.model_validate(file.inspection)
            name, size, machine_id, file_id = row.file_name, file.size_bytes, machine.id, file.id
        track = seen.track
        if described.kind == "console":
            track, size = bare_track(pieces_of_file(self._database, file_id), track)
        with self._changing(print_id) as changed:
            if changed is None or changed.state != "sending":
                raise _Withdrawn
            changed.track, changed.size_bytes = [plain(point) for point in track], size
        told = [0.0]

        def progress(sent: int) -> None:
            if time.monotonic() - told[0] < _TELL_S:
                return
            told[0] = time.monotonic()
            with self._changing(print_id) as changing:
                if changing is None or changing.state != "sending" or self._ends.is_set():
                    raise _Withdrawn
                changing.sent_bytes = sent

        with self._lock(machine_id):
            try:
                self._way(machine_id, described, token).send(
                    name, pieces_of_file(self._database, file_id), size, progress
                )
            except Unreachable:
                self._let_go(machine_id)
                raise
        with self._changing(print_id) as changed:
            if changed is not None:
                changed.sent_bytes = size

    # -- what a person asks for ------------------------------------------------------------------

    def start(self, print_id: int, begin: Callable[[Session], int]) -> None:
        """Have the machine start a file that was sent. ``begin`` makes the run, in the transaction in which the print counts as
        starting. The word goes out once: where it is not known whether it arrived, the print is followed until that is."""
        with self._database.session.begin() as session:
            row = session.get(PrintRow, print_id, with_for_update=True)
            if row is None or row.state != "sent":
                return  # under way already
            if row.way != "console":
                row.state, row.run_id = "handed", begin(session)
                return
            machine_id, name = row.machine_id, row.file_name
        with self._lock(machine_id):
            # Whatever fails up to here has started nothing.
            status = self._asked(machine_id, Link.status)
            if status.printing:
                raise MeanBeadError(
                    "The machine is printing something.", field="machine_id", remedy="Wait until it has ended."
                )
            self._asked(machine_id, lambda link: link.select(name))
            with self._database.session.begin() as session:
                row = session.get(PrintRow, print_id, with_for_update=True)
                if row is None or row.state != "sent":
                    return
                row.state, row.run_id, row.problem = "starting", begin(session), ""
                row.followed = plain(Followed(clock_before_s=status.clock_s))
            try:
                self._links[machine_id].ask("M24")  # once, over the line that has just answered
            except Unreachable:
                self._let_go(machine_id)  # it may have begun: it is looked after
                return
            with self._changing(print_id) as row:
                if row is not None and row.state == "starting":
                    row.state = "printing"

    def pause(self, print_id: int) -> None:
        """Have a machine stand still."""
        self._tell(print_id, "printing", "paused", Link.pause)

    def resume(self, print_id: int) -> None:
        """Have it go on."""
        self._tell(print_id, "paused", "printing", Link.resume)

    def _tell(self, print_id: int, state: str, then: str, what: Callable[[Link], None]) -> None:
        with self._changing(print_id) as row:
            if row is None or row.state != state:
                return
            machine_id = row.machine_id
        with self._lock(machine_id):
            self._asked(machine_id, what)
        with self._changing(print_id) as row:
            if row is not None and row.state == state:
                row.state = then

    def stop_at_once(self, machine_id: int) -> None:
        """The emergency stop: over the line that is held, else over a new one, waiting for nobody. Raises
        :class:`MeanBeadError` where nothing can be reached: the switch is at the machine."""
        link = self._links.get(machine_id)
        try:
            if link is None:
                raise _silent()
            link.stop_at_once()
        except Unreachable:
            self._links.pop(machine_id, None)
            self._links.setdefault(machine_id, Link(self._described(machine_id), stop=True))
        with self._database.session.begin() as session:
            row = store.prints.under_way_on(session, machine_id)
            print_id = None if row is None or row.state not in ("starting", "printing", "paused") else row.id
        if print_id is not None:
            with self._changing(print_id) as changed:
                if changed is not None:
                    changed.state = "stopped"
                    changed.problem = "Stopped at once from here. Look at the machine before it is switched on again."

    # -- following -------------------------------------------------------------------------------

    def _follow(self) -> None:
        while not self._ends.wait(LOOK_S):
            try:
                self.look()
            except Exception:
                _LOG.warning("machines could not be looked at just now", exc_info=True)

    def look(self) -> None:
        """One look at every machine that prints. Machines that do not answer are tried ever more seldom."""
        with self._database.session.begin() as session:
            prints = [(row.id, row.machine_id) for row in store.prints.active(session)]
        if not prints:
            return
        # Side by side: a machine that has gone holds the others up by no more than itself.
        with ThreadPoolExecutor(min(_AT_ONCE, len(prints))) as pool:
            for found in [pool.submit(self._look_at, print_id, machine_id) for print_id, machine_id in prints]:
                found.result()

    def _look_at(self, print_id: int, machine_id: int) -> None:
        due, _ = self._patience.get(machine_id, (0.0, _FIRST_WAIT_S))
        if time.monotonic() < due or self._ends.is_set():
            return
        lock = self._lock(machine_id)
        if not lock.acquire(blocking=False):
            return  # somebody asks it something just now
        try:
            status = self._asked(machine_id, Link.status)
        except MeanBeadError as problem:
            self._lost(print_id, machine_id, problem)
            return
        finally:
            lock.release()
        self._patience.pop(machine_id, None)
        self._told(print_id, status)

    def _lost(self, print_id: int, machine_id: int, problem: MeanBeadError) -> None:
        self._let_go(machine_id)
        _, wait = self._patience.get(machine_id, (0.0, _FIRST_WAIT_S))
        self._patience[machine_id] = (time.monotonic() + wait, min(_LONGEST_WAIT_S, 2 * wait))
        with self._changing(print_id) as row:
            if row is not None and row.lost_at is None:
                row.lost_at = now()
                row.problem = f"{problem.message} The print goes on by itself; the line is tried again."

    def _told(self, print_id: int, status: Status) -> None:
        """Take what a machine said."""
        said = asdict(status)
        said.pop("size_bytes")
        with self._changing(print_id) as row:
            if row is None:
                return
            with self._database.session.begin() as session:
                track = [TrackPoint.model_validate(point) for point in _track_of(session, print_id)]
                file = store.prints.get_file(session, row.file_id)
                end_s = float(file.inspection.get("end_s", 0.0)) if file.inspection else 0.0
            track = scaled(track, row.size_bytes, status.size_bytes)
            known = Followed.model_validate(row.followed)
            state, followed = follow(row.state, known, Heard(**said), track, end_s)  # type: ignore[arg-type]
            fresh = time.monotonic() - self._written.get(print_id, 0.0) >= WRITE_S
            if state == row.state and row.lost_at is None and not fresh and not followed.says:
                return
            self._written[print_id] = time.monotonic()
            row.state, row.followed = state, plain(followed)
            row.problem, row.lost_at, row.seen_at = followed.says[:500], None, now()
            run_id = row.run_id
            if state == "sent":
                row.run_id = None  # it was not started after all
        if state == "done" and run_id is not None:
            self._into_log(run_id, followed)
        elif state == "sent" and run_id is not None:
            self._never_ran(run_id)

    def _into_log(self, run_id: int, followed: Followed) -> None:
        """What the machine measured becomes part of its run's entry; looks and weight are left to a person."""
        with self._database.session.begin() as session:
            run = store.runs.get_full(session, run_id)
            if run is None or run.deleted_at is not None:
                return
            held = RunEntry.model_validate(run.entry)
            if held.time_s is not None:
                return  # somebody was quicker
            nozzle, bed = followed.hottest_c
            # It may have ended long before anybody heard of it.
            ended = min(now(), run.started_at + timedelta(seconds=max(1.0, followed.clock_s or 1e9)))
            entry = RunEntry.model_validate(
                held.model_dump()
                | {
                    "time_s": followed.real_s,
                    "time_means": followed.real_means,
                    "ended_at": ended,
                    "nozzle_temp_c": held.nozzle_temp_c or (nozzle if 100 <= nozzle <= 500 else None),
                    "bed_temp_c": held.bed_temp_c or (bed if 0 < bed <= 200 else None),
                }
            )
            run.updated_at = now()
            change_entry(session, run, entry)

    def _never_ran(self, run_id: int) -> None:
        with self._database.session.begin() as session:
            run = session.get(RunRow, run_id)
            if run is not None and run.deleted_at is None and run.state == "running":
                store.rows.delete(session, run)

    # -- lines -----------------------------------------------------------------------------------

    def _described(self, machine_id: int) -> WayDescription:
        with self._database.session.begin() as session:
            return way_of(store.rows.get(session, Machine, machine_id, deleted=True))

    def _way(self, machine_id: int, described: WayDescription, token: str) -> Way:
        if described.kind == "folder" and self._data is not None:
            check_folder(described.folder, self._data)
        if described.kind == "console":
            return ConsoleWay(described, self._link(machine_id, described))
        return way_to(described, token)

    def _link(self, machine_id: int, described: WayDescription) -> Link:
        link = self._links.get(machine_id)
        if link is not None and link.described != described:
            self._let_go(machine_id)
            link = None
        if link is None:
            link = self._links[machine_id] = Link(described)
        return link

    def _asked(self, machine_id: int, what: Callable[[Link], Answer]) -> Answer:
        """Ask over the line that is held; one that has died meanwhile is opened anew, once. For questions and for what may as well be
        said twice."""
        held = machine_id in self._links
        described = self._described(machine_id)
        try:
            return what(self._link(machine_id, described))
        except Unreachable:
            self._let_go(machine_id)
            if not held:
                raise
        try:
            return what(self._link(machine_id, described))
        except Unreachable:
            self._let_go(machine_id)
            raise

    def _let_go(self, machine_id: int) -> None:
        link = self._links.pop(machine_id, None)
        if link is not None:
            with suppress(OSError):
                link.close()

    def _lock(self, machine_id: int) -> threading.RLock:
        with self._guard:
            return self._locks.setdefault(machine_id, threading.RLock())

    @contextmanager
    def _changing(self, print_id: int) -> Iterator[PrintRow | None]:
        """A print's row, locked for a change; None where it has gone."""
        with self._database.session.begin() as session:
            row = session.get(PrintRow, print_id, with_for_update=True)
            yield row
            if row is not None and row in session.dirty:
                row.updated_at = now()


class _Withdrawn(Exception):
    """Somebody has taken the print back while it was sent."""


def _silent() -> Unreachable:
    return Unreachable("No line is open.", field="address")


def _track_of(session: Session, print_id: int) -> list[dict[str, object]]:
    row = session.get(PrintRow, print_id)
    return [] if row is None else list(row.track)


def bare_track(content: Iterator[bytes], track: list[TrackPoint]) -> tuple[list[TrackPoint], int]:
    """A track in the bytes of a file without its comments, as it lies on a machine's card; and the size of that."""
    found: list[TrackPoint] = []
    at = bare = 0
    waiting = list(track)
    rest = b""
    for block in content:
        *whole, rest = (rest + block).split(b"\n")
        for line in whole:
            at += len(line) + 1
            bare += sum(len(kept) + 1 for kept in bare_lines([line]))
            while waiting and waiting[0].byte <= at:
                found.append(waiting.pop(0).model_copy(update={"byte": bare}))
    bare += sum(len(kept) + 1 for kept in bare_lines([rest]))
    found += [point.model_copy(update={"byte": bare}) for point in waiting]
    return found, bare


def scaled(track: list[TrackPoint], sent_bytes: int, there_bytes: int | None) -> list[TrackPoint]:
    """A track in a machine's own count, where its lines end with two letters."""
    if not there_bytes or not sent_bytes or there_bytes == sent_bytes:
        return track
    factor = there_bytes / sent_bytes
    return [point.model_copy(update={"byte": round(point.byte * factor)}) for point in track]
