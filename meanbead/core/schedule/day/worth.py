"""What a change of the workshop would bring: the same queue, again and again until no plan holds all of it, planned with and
without the change."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import timedelta

from meanbead.core.model.base import Result
from meanbead.core.model.day import AttendedSpan, Day, DayChoice, DayJob, DayMachine
from meanbead.core.runtime.progress import ProgressCallback, no_progress
from meanbead.core.schedule.day.planner import plan_day
from meanbead.core.schedule.day.problem import windows_of

__all__ = ["Bought", "Worth", "bought", "worth"]

WEEK_H = 168.0
FASTER_MELT = 1.5
"""A faster hot end melts half as much again: what the melt ceiling holds back takes two thirds."""

QUICK_SWAP_MIN = 2.0
_SCATTER = 0.03
"""By about so much two plans of the same week differ by themselves: less is none."""


@dataclass(frozen=True)
class Bought:
    """A change of a workshop, and the day with it."""

    key: str
    name: str
    says: str
    change: Callable[[Day], Day]


class Worth(Result):
    """What a change brings: pieces a week with and without it, swaps by hand saved. ``real`` is False where planning itself
    scatters as much."""

    key: str
    name: str
    says: str
    before_per_week: float
    after_per_week: float
    swap_min_before: float
    swap_min_after: float
    real: bool


def bought(day: Day, held_s: dict[str, float]) -> list[Bought]:
    """Changes worth asking about. ``held_s`` is by how many seconds the melt ceiling holds each job back."""
    busiest = day.machines[0] if day.machines else None
    found = [
        Bought(
            "nozzles",
            "A second set of nozzles on quick-change ends",
            f"A change of nozzle takes {QUICK_SWAP_MIN:g} min instead of {day.swap_min.nozzle:g}.",
            lambda one: one.model_copy(
                update={
                    "swap_min": one.swap_min.model_copy(update={"nozzle": min(QUICK_SWAP_MIN, one.swap_min.nozzle)})
                }
            ),
        ),
        Bought(
            "hotend",
            "A faster hot end on every machine",
            "It melts half as much again: what waits for melt takes two thirds.",
            lambda one: _faster(one, held_s),
        ),
        Bought("evening", "Someone there until ten", "Every attended day ends at 22:00.", _until_ten),
    ]
    if busiest is not None:
        found.insert(
            2,
            Bought(
                "machine",
                f"One more machine like {busiest.id}",
                "With its nozzle and plastic, and the same bed.",
                lambda one: _one_more(one, busiest),
            ),
        )
    return found


def worth(
    day: Day,
    changes: list[Bought],
    seconds: float = 3.0,
    progress: ProgressCallback = no_progress,
) -> list[Worth]:
    """Plan a full week of the same mix with and without each change.

    The queue is repeated, without due dates and pins, until its shortest conceivable time is more than all machines have:
    then pieces a week are what the workshop makes, not what is asked for.
    """
    full = _saturated(day)
    progress(0.0, "as it is")
    base = plan_day(full, seconds).score
    found = []
    for number, one in enumerate(changes):
        progress((number + 1) / (len(changes) + 1), one.name)
        after = plan_day(one.change(full), seconds).score
        found.append(
            Worth(
                key=one.key,
                name=one.name,
                says=one.says,
                before_per_week=base.pieces,
                after_per_week=after.pieces,
                swap_min_before=base.swap_min,
                swap_min_after=after.swap_min,
                real=abs(after.pieces - base.pieces) > _SCATTER * max(base.pieces, 1),
            )
        )
    return found


def _saturated(day: Day) -> Day:
    """A week of the same mix, more of it than the machines could print."""
    loose = [
        job.model_copy(update={"due": None, "machines": job.machines, "priority": 0}) for job in day.jobs if job.copies
    ]
    once = sum(job.copies * min(way.time_s for way in job.ways) for job in loose)
    runs = sum(job.copies for job in loose)
    if not once or not day.machines:
        return day.model_copy(update={"horizon_h": WEEK_H, "pinned": (), "before": ()})
    # A machine more and faster hot ends must not run out of work either.
    room = (len(day.machines) + 1) * WEEK_H * 3600 * 1.2
    times = min(max(1, -(-room // once)), max(1, 1500 // runs))
    more = tuple(job.model_copy(update={"copies": int(job.copies * times)}) for job in loose)
    spans = windows_of(day.model_copy(update={"horizon_h": WEEK_H}))
    attended = tuple(AttendedSpan(start=day.moment(low), end=day.moment(high)) for low, high in spans)
    machines = tuple(machine.model_copy(update={"free_at": None, "spool_g": None}) for machine in day.machines)
    return day.model_copy(
        update={
            "horizon_h": WEEK_H,
            "jobs": more,
            "pinned": (),
            "before": (),
            "attended": attended,
            "machines": machines,
            "order": ("pieces", "due", "swaps", "nights", "energy"),
        }
    )


def _faster(day: Day, held_s: dict[str, float]) -> Day:
    def quicker(job: DayJob) -> DayJob:
        saved = held_s.get(job.id, 0.0) * (1 - 1 / FASTER_MELT)

        def one(way: DayChoice) -> dict[str, float | None]:
            share = max(0.1, 1 - saved / job.time_s)
            return {
                "time_s": way.time_s * share,
                "low_s": None if way.low_s is None else way.low_s * share,
                "high_s": None if way.high_s is None else way.high_s * share,
            }

        choices = tuple(way.model_copy(update=one(way)) for way in job.choices)
        return job.model_copy(update={**one(job), "choices": choices})

    return day.model_copy(update={"jobs": tuple(quicker(job) for job in day.jobs)})


def _one_more(day: Day, like: DayMachine) -> Day:
    """One more machine; what its like may print, it may."""
    name = f"{like.id} (new)"
    machine = like.model_copy(update={"id": name})

    def also(way: DayChoice) -> tuple[str, ...] | None:
        return None if way.machines is None else (*way.machines, *((name,) if like.id in way.machines else ()))

    jobs = tuple(
        job.model_copy(
            update={
                "machines": also(job),
                "choices": tuple(way.model_copy(update={"machines": also(way)}) for way in job.choices),
            }
        )
        for job in day.jobs
    )
    return day.model_copy(update={"machines": (*day.machines, machine), "jobs": jobs})


def _until_ten(day: Day) -> Day:
    spans = []
    for span in day.attended or ():
        ten = span.end.replace(hour=22, minute=0, second=0, microsecond=0)
        later = max(span.end, ten) if ten - span.end < timedelta(hours=16) else span.end
        spans.append(AttendedSpan(start=span.start, end=later))
    return day.model_copy(update={"attended": tuple(spans)})
