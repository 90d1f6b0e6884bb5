"""How good and how quick the day's plans are: ``.venv/bin/python -m benchmarks.day [WEEKS] [SECONDS]``.

Against first come first served and longest first over made-up weeks: pieces, late ones, changes, the mean end. A large day's
first plan. Density of plates by true outlines against boxes. The board with thirty machines and five thousand runs in the log.
"""

from __future__ import annotations

import random
import sys
import time
from datetime import UTC, datetime, timedelta
from typing import Any

import numpy as np

from benchmarks.run import report, seconds
from meanbead.core.model.day import Day, PlanScore
from meanbead.core.model.printer import BedMm
from meanbead.core.plates.pack import boxes_packed, outlines_packed, pack
from meanbead.core.schedule.day import first_come, longest_first, plan_day, planner, plans
from tests.core.plates.test_plates import Packing

MONDAY = datetime(2026, 11, 23, 7, 30, tzinfo=UTC)


def week(seed: int, machines: int = 4, jobs: int = 45) -> Day:
    """A week of a small farm: plates of half an hour to fourteen, two plastics, two nozzles, some due."""
    r = random.Random(seed)
    given: dict[str, Any] = {
        "now": MONDAY,
        "horizon_h": 168,
        "attended": [
            {
                "from": MONDAY.replace(hour=8, minute=0) + timedelta(days=day),
                "to": MONDAY.replace(hour=20, minute=0) + timedelta(days=day),
            }
            for day in range(7)
            if day != 6 or r.random() < 0.5
        ],
        "machines": [
            {
                "id": f"m{k}",
                "nozzle_mm": r.choice([0.4, 0.6]),
                "material": r.choice(["PLA", "PETG"]),
                "spool_g": r.randint(100, 1000),
            }
            for k in range(machines)
        ],
        "jobs": [],
    }
    for number in range(jobs):
        took = r.randint(1800, 14 * 3600)
        job = {
            "id": f"j{number}",
            "time_s": took,
            "low_s": 0.94 * took,
            "high_s": 1.08 * took,
            "grams": took / 3600 * r.uniform(8, 18),
            "nozzle_mm": r.choice([0.4, 0.4, 0.6]),
            "material": r.choice(["PLA", "PLA", "PETG"]),
            "pieces": r.choice([1, 1, 2, 4, 8]),
            "priority": r.choice([0, 0, 0, 1]),
        }
        if r.random() < 0.5:
            job["due"] = MONDAY + timedelta(hours=r.randint(10, 160))
        given["jobs"].append(job)
    return Day.model_validate(given)


def weeks(count: int, budget: float) -> None:
    """Sums over made-up weeks."""
    ways = {"first come": first_come, "longest first": longest_first, "plan": lambda day: plan_day(day, budget)}
    found: dict[str, list[PlanScore]] = {name: [] for name in ways}
    for seed in range(count):
        day = week(seed, machines=2 + seed % 4, jobs=30 + 10 * (seed % 4))
        for name, way in ways.items():
            found[name].append(way(day).score)
    for name, scores in found.items():
        print(
            f"{name:13}  pieces {sum(one.pieces for one in scores) / count:6.1f} a week"
            f"   runs {sum(one.runs for one in scores) / count:5.1f}   late {sum(one.late for one in scores) / count:5.2f}"
            f"   nozzle {sum(one.nozzle_swaps for one in scores) / count:5.2f}   spool {sum(one.spool_swaps for one in scores) / count:5.2f}"
            f"   mean end {sum(one.mean_end_h for one in scores) / count:5.1f} h"
        )
    worse = sum(
        mine.runs < usual.runs or mine.late > usual.late
        for mine, usual in zip(found["plan"], found["first come"], strict=True)
    )
    print(f"worse than first come, in runs or late ones: {worse} of {count}")


def large() -> None:
    """Thirty machines, three hundred plates: when the first plan is there, and what half a minute adds."""
    day = week(4, machines=30, jobs=300)
    began = time.perf_counter()
    for solved in plans(day, 30):
        score = planner.told(solved).score
        print(
            f"  {time.perf_counter() - began:5.1f} s  late {score.late:3}  nozzle {score.nozzle_swaps:3}  spool {score.spool_swaps:3}"
            f"  mean end {score.mean_end_h:6.2f} h  gap {100 * solved.gap:.1f} %"
        )


def density() -> None:
    """Ten made-up sets of outlines: how much of the bed is covered."""
    covered: dict[str, list[float]] = {"boxes": [], "outlines": [], "taken": []}
    for kinds, counts in Packing().sets():
        for name, way in (("boxes", boxes_packed), ("outlines", outlines_packed), ("taken", pack)):
            placed = way(kinds, counts, BedMm(), 4)
            covered[name].append(sum(kinds[one.of].outline.area for one in placed) / 220**2)
    for name, shares in covered.items():
        print(
            f"{name:9} {100 * np.mean(shares):5.1f} % of the bed ({100 * min(shares):.0f} to {100 * max(shares):.0f})"
        )


def board() -> None:
    """``GET /api/day`` against the list of runs, with thirty machines, three hundred planned plates and a long log."""
    from sqlalchemy import text

    from meanbead.api import create_app
    from meanbead.core.estimate import Engine
    from meanbead.demo.workshop import fill_if_empty
    from meanbead.jobs.day import plan_the_day
    from meanbead.jobs.work import Progress, Toolbox
    from meanbead.store import jobs
    from tests.support.server import new_database

    database = new_database("bench")
    fill_if_empty(database, samples=False)
    client = create_app(database).test_client()
    import io

    import trimesh

    from tests.support.solids import stl_bytes

    mesh = stl_bytes(trimesh.creation.box((20, 20, 10)))
    part = client.post(
        "/api/parts", data={"file": (io.BytesIO(mesh), "box.stl")}, content_type="multipart/form-data"
    ).get_json()
    for number in range(29):
        client.post("/api/machines", json={"name": f"Machine {number}"})
    for number in range(30):
        client.post("/api/queue", json={"key": f"bench-{number:04}", "part_id": part["id"], "quantity": 10})
    column = client.get(f"/api/parts/{part['id']}/recipes").get_json()["recipes"][0]
    run = client.post(f"/api/recipes/{column['id']}/runs", json={"key": "bench-run-0001"}).get_json()
    client.patch(f"/api/runs/{run['id']}", json={"version": run["version"], "entry": {"state": "kept", "time_s": 900}})
    with database.engine.begin() as connection:
        names = [
            row[0]
            for row in connection.execute(
                text("select column_name from information_schema.columns where table_name = 'runs'")
            )
        ]
        copied = ", ".join(f'"{name}"' for name in names if name not in ("id", "key"))
        connection.execute(
            text(
                f"insert into runs (key, {copied}) select 'copy-' || n, {copied} from runs, generate_series(1, 5000) n"
            )
        )
    with database.session.begin() as session:
        row, _ = jobs.find_or_add(session, "day", "bench", {})
        row.state, row.worker, number = "running", "here", row.id
    plan_the_day(Toolbox(database, Engine(), Progress(database, number, "here")), {"seconds": 3})
    board = client.get("/api/day")
    print(f"{len(board.get_json()['runs'])} planned runs, {len(board.data) / 1000:.0f} kB")
    log = seconds(lambda: client.get("/api/runs?limit=50"), 9)
    report("GET /api/day", seconds(lambda: client.get("/api/day"), 9), "a page of the log", log)
    database.close()


def main() -> None:
    """All of them."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 100
    budget = float(sys.argv[2]) if len(sys.argv) > 2 else 2.0
    density()
    large()
    board()
    weeks(count, budget)


if __name__ == "__main__":
    main()
