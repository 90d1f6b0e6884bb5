"""An independent checker of plans: it knows the rules of a day and nothing of how plans are made; and made-up days."""

from __future__ import annotations

import random
from datetime import UTC, datetime, timedelta
from typing import Any

from meanbead.core.model.day import Day, DayPlan

START = datetime(2026, 11, 23, 7, 30, tzinfo=UTC)
TOLERANCE_S = 0.01


def made_up(seed: int, *, machines: int = 3, jobs: int = 8, hours: float = 72, extras: bool = True) -> dict[str, Any]:
    """A day that nobody tuned to."""
    r = random.Random(seed)
    names = [f"m{number}" for number in range(machines)]
    attended = []
    for day in range(int(hours // 24) + 2):
        if r.random() < 0.85:
            opens = START.replace(hour=r.choice([6, 8, 9]), minute=0) + timedelta(days=day)
            attended.append(
                {"from": opens.isoformat(), "to": (opens + timedelta(hours=r.choice([4, 9, 14]))).isoformat()}
            )
    found: dict[str, Any] = {
        "now": START.isoformat(),
        "horizon_h": hours,
        "attended": attended,
        "machines": [
            {
                "id": name,
                "nozzle_mm": r.choice([0.4, 0.6]),
                "material": r.choice(["PLA", "PETG", ""]),
                "bed_mm": r.choice([[220, 220, 250], [120, 180, 100], {"x": 300, "y": 300}]),
                "enclosed": r.random() < 0.4,
                "free_at": (START + timedelta(minutes=r.choice([-30, 0, 0, 200]))).isoformat(),
            }
            for name in names
        ],
        "jobs": [],
        "swap_min": {"plate": r.choice([0, 10]), "nozzle": 15, "spool": 5},
    }
    for number in range(jobs):
        took = r.randint(1200, 11 * 3600) + r.choice([0, 0.25])
        job: dict[str, Any] = {
            "id": f"j{number}",
            "time_s": took,
            "low_s": 0.94 * took,
            "high_s": 1.1 * took,
            "grams": r.randint(5, 300),
            "nozzle_mm": r.choice([0.4, 0.6, None]),
            "material": r.choice(["PLA", "PETG", None]),
            "size_mm": [r.randint(20, 240), r.randint(20, 200), r.randint(5, 120)],
            "copies": r.choice([1, 1, 2]),
            "priority": r.choice([0, 0, 2]),
        }
        if r.random() < 0.6:
            job["due"] = (START + timedelta(hours=r.uniform(3, hours))).isoformat()
        if r.random() < 0.2:
            job["machines"] = r.sample(names, r.randint(1, machines))
        if extras:
            job["enclosed"] = r.random() < 0.1
            if r.random() < 0.2:
                own = {name: job[name] for name in ("time_s", "low_s", "high_s", "grams", "nozzle_mm")}
                job["choices"] = [own, {"name": "lean", "time_s": 1.5 * took, "grams": 5, "nozzle_mm": 0.4}]
        found["jobs"].append(job)
    if extras:
        for machine in found["machines"]:
            if r.random() < 0.5:
                machine["spool_g"] = r.randint(50, 900)
        if r.random() < 0.4:
            found["dry_first"] = [{"material": "PETG", "hours": r.choice([3, 6])}]
        found["energy"] = [{"from": attended[0]["from"], "to": attended[0]["to"], "price": 0.5}] if attended else []
    return found


def broken_rules(day: Day, plan: DayPlan) -> list[str]:
    """Every hard rule that a plan breaks, in words."""
    wrong: list[str] = []
    jobs = {job.id: job for job in day.jobs}
    wanted = {(job.id, copy) for job in day.jobs for copy in range(1, job.copies + 1)}
    told = [(run.job, run.copy_number) for run in plan.runs] + [(one.job, one.copy_number) for one in plan.unplaced]
    if sorted(told) != sorted(wanted):
        wrong.append("runs are missing, or there twice")
    spans: list[list[float]] = []
    for span in sorted(day.attended or (), key=lambda one: day.at(one.start)):
        low, high = day.at(span.start), day.at(span.end)
        if spans and low <= spans[-1][1]:
            spans[-1][1] = max(spans[-1][1], high)
        else:
            spans.append([low, high])
    pins = {(pin.job, pin.copy_number): pin for pin in day.pinned}
    ready = {one.material: day.at(one.end) for one in plan.drying}
    minutes = day.swap_min.model_dump()
    for machine in day.machines:
        nozzle, plastic, left = machine.nozzle_mm, machine.material, machine.spool_g
        free = max(0.0, 0.0 if machine.free_at is None else day.at(machine.free_at))
        stands = not machine.plate_clear
        for run in sorted((one for one in plan.runs if one.machine == machine.id), key=lambda one: one.start):
            name = f"{run.job} {run.copy_number} on {machine.id}"
            job = jobs[run.job]
            way = job.ways[run.choice]
            swaps = ["plate"] if stands else []
            if way.nozzle_mm is not None and way.nozzle_mm != nozzle:
                swaps.append("nozzle")
                nozzle = way.nozzle_mm
            other = job.material is not None and job.material != plastic
            short = left is not None and left < way.grams - 1e-6
            if other or short:
                swaps.append("spool")
                plastic = job.material or plastic
                left = None if left is None else day.spool_full_g
            if left is not None:
                left -= way.grams
                if left < -1e-6:
                    wrong.append(f"{name}: the spool runs out")
            if list(run.swaps) != swaps:
                wrong.append(f"{name}: swaps {run.swaps}, not {swaps}")
            start, end = day.at(run.start), day.at(run.end)
            begin = start - 60 * sum(minutes[kind] for kind in swaps)
            if abs(end - start - way.time_s) > TOLERANCE_S:
                wrong.append(f"{name}: lasts {end - start}, not {way.time_s}")
            if begin < free - TOLERANCE_S:
                wrong.append(f"{name}: begins before the machine is free")
            if not any(low - TOLERANCE_S <= begin and start <= high + TOLERANCE_S for low, high in spans):
                wrong.append(f"{name}: nobody is there")
            pin = pins.get((run.job, run.copy_number))
            if end > day.horizon_h * 3600 + TOLERANCE_S and pin is None:
                wrong.append(f"{name}: ends after the horizon")
            if pin is not None and (pin.machine != machine.id or abs(day.at(pin.start) - start) > 1):
                wrong.append(f"{name}: was pinned elsewhere")
            dry = {need.material for need in day.dry_first}
            if job.material in dry and start < ready.get(job.material or "", 1e18) - TOLERANCE_S:
                wrong.append(f"{name}: is not dry yet")
            size, bed = job.size_mm, machine.bed_mm
            if size is not None and (
                size.z > bed.z or min(size.x, size.y) > min(bed.x, bed.y) or max(size.x, size.y) > max(bed.x, bed.y)
            ):
                wrong.append(f"{name}: does not fit")
            if job.machines is not None and machine.id not in job.machines:
                wrong.append(f"{name}: may not")
            if job.enclosed and not machine.enclosed:
                wrong.append(f"{name}: has no enclosure")
            free, stands = end, True
    for (job_id, copy), pin in pins.items():
        if (job_id, copy, pin.machine) not in {(run.job, run.copy_number, run.machine) for run in plan.runs}:
            wrong.append(f"{job_id} {copy}: pinned, and not there")
    late = {
        (run.job, run.copy_number)
        for run in plan.runs
        if (due := jobs[run.job].due) is not None and run.high_end > due + timedelta(seconds=TOLERANCE_S)
    }
    if late != {(one.job, one.copy_number) for one in plan.late}:
        wrong.append("late ones are told wrongly")
    return wrong
