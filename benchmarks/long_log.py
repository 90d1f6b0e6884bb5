"""A log of 5,000 runs: what its pages ask for, an import, and a backup, against the same of 50 runs:
``.venv/bin/python -m benchmarks.long_log``."""

from __future__ import annotations

import io
import os
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

from sqlalchemy import text

from benchmarks.big_workshop import fill, fill_log
from meanbead.api import create_app
from meanbead.store import archive
from meanbead.store.database import Database
from tests.support.server import new_database

_AGAIN = 15


def _measured(database: Database) -> dict[str, float]:
    client = create_app(database).test_client()
    part = client.get("/api/parts").get_json()["parts"][0]["id"]
    newest = client.get("/api/runs?limit=1").get_json()["runs"][0]["id"]
    asked = {
        "list of runs": "/api/runs",
        "search for a word": "/api/runs?search=bracket",
        "with a fault, on a machine": "/api/runs?fault=strings&machine_id=1",
        "a part's runs": f"/api/runs?part_id={part}",
        "one run": f"/api/runs/{newest}",
        "its entry on a phone": f"/api/runs/{newest}/tag",
        "since the last good run": f"/api/runs/{newest}/since",
        "list of parts": "/api/parts",
        "a machine's calibration": "/api/machines/1/calibration",
    }
    found = {}
    for name, path in asked.items():
        times = []
        for _ in range(_AGAIN):
            began = time.perf_counter()
            assert client.get(path).status_code == 200
            times.append(1000 * (time.perf_counter() - began))
        found[name] = sorted(times)[-2]  # near enough p95 of fifteen
    return found


def _import_s(database: Database, rows: int) -> float:
    client = create_app(database).test_client()
    lines = "\n".join(f"{n % 28 + 1}.10.2026;Row {n};{n % 50 + 1};{n % 9 + 1};ok" for n in range(rows))
    data: dict[str, Any] = {"file": (io.BytesIO(f"date;part;time;grams;result\n{lines}".encode()), "a.csv")}
    began = time.perf_counter()
    assert client.post("/api/runs/import", data=data, content_type="multipart/form-data").status_code == 201
    return time.perf_counter() - began


def main() -> None:
    """Measure, and print the table."""
    short, long = (new_database(name) for name in ("log_short", "log_long"))
    for database, runs in ((short, 50), (long, 5_000)):
        fill(database, parts=40, columns=2, estimates=200)
        fill_log(database, runs=runs)
    base, now = _measured(short), _measured(long)
    print(f"{'asked for':30} {'50 runs':>9} {'5,000':>9} {'ratio':>7}")
    for name, after in now.items():
        print(f"{name:30} {base[name]:6.0f} ms {after:6.0f} ms {after / base[name]:6.1f}x")
    print(f"import of 1,000 rows: {_import_s(long, 1_000):.1f} s")
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "w.zip"
        began = time.perf_counter()
        made = archive.write(long.url, file)
        wrote = time.perf_counter() - began
        began = time.perf_counter()
        empty = new_database("log_restored")
        archive.restore(empty.url, file)
        print(
            f"backup {made.size_bytes / 1e6:.1f} MB in {wrote:.1f} s, restored in {time.perf_counter() - began:.1f} s"
        )
    _files(long)
    print(f"a Python loop of 5,000,000 additions: {_loop_s():.2f} s")


_PROGRAM = """
import re, sys
from pathlib import Path
from meanbead.store import archive
peak_kb = lambda: int(re.search(r"VmHWM:\\s+(\\d+)", Path("/proc/self/status").read_text())[1])
before = peak_kb()
if sys.argv[1] == "write":
    archive.write(sys.argv[2], Path(sys.argv[3]))
else:
    archive.restore(sys.argv[2], Path(sys.argv[3]))
print((peak_kb() - before) // 1024)
"""


def _files(database: Database, files: int = 40, megabytes: int = 8) -> None:
    """Memory that a backup and a restore of large files take, each in a process of its own."""
    with database.session.begin() as session:
        for number in range(files):
            session.execute(
                text(
                    "insert into gcode_files (file_name, digest, size_bytes, content, created_at) values (:name, :name, 1, :data, now())"
                ),
                {"name": f"f{number}", "data": os.urandom(megabytes << 20)},
            )
    with tempfile.TemporaryDirectory() as folder:
        for what, url in (("write", database.url), ("restore", new_database("log_restored").url)):
            words = [sys.executable, "-c", _PROGRAM, what, url, f"{folder}/w.zip"]
            told = subprocess.run(words, capture_output=True, text=True, check=True).stdout.strip()
            print(f"{what} with {files * megabytes} MB of files: {told} MB of memory")


def _loop_s() -> float:
    """How fast this machine is just now; 0.3 s is usual."""
    times = []
    for _ in range(3):
        began, total = time.perf_counter(), 0
        for number in range(5_000_000):
            total += number
        times.append(time.perf_counter() - began)
    return statistics.median(times)


if __name__ == "__main__":
    main()
