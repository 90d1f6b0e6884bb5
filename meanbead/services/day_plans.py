"""Plans as they are kept: with the day that they were made of, and of what of the queue each job is; what moved since the one
before; and the plan of the day made from them."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy.orm import Session

from meanbead import store
from meanbead.core.model.base import Result
from meanbead.core.model.day import Day, DayPlan, Pin, PlannedRun
from meanbead.core.schedule.day.reasons import Moved, moved
from meanbead.services.day import BuiltDay
from meanbead.store.tables import DayPlanRow

__all__ = ["JobMade", "KeptPlan", "kept_plan", "moved_since", "with_before", "written"]

AS_BEFORE_H = 24.0
"""A plan that is older is none to hold on to."""


class JobMade(Result):
    """What a job of a plan is: an item of the queue, its plates' numbers, pieces on each, and its choices' columns (or house
    recipes) and machines."""

    queue_id: int
    name: str
    part_id: int
    plates: list[int]
    pieces: int
    recipe_ids: list[int | None]
    house_ids: list[int | None]
    machine_ids: list[int]
    material_id: int


@dataclass(frozen=True)
class KeptPlan:
    """A plan with the day that it was made of, and its jobs."""

    row: DayPlanRow
    day: Day
    plan: DayPlan
    jobs: dict[str, JobMade]

    def plate(self, job: str, copy_number: int) -> tuple[JobMade, int]:
        """What a run is of: the job, and the plate's number."""
        made = self.jobs[job]
        return made, made.plates[copy_number - 1]

    def run(self, queue_id: int, plate: int) -> PlannedRun | None:
        """The run of a plate of the queue."""
        for run in self.plan.runs:
            made, number = self.plate(run.job, run.copy_number)
            if (made.queue_id, number) == (queue_id, plate):
                return run
        return None

    def job_of(self, queue_id: int, plate: int) -> tuple[str, int] | None:
        """The job, and its copy, that a plate of the queue is in the plan."""
        for name, made in self.jobs.items():
            if made.queue_id == queue_id and plate in made.plates:
                return name, made.plates.index(plate) + 1
        return None

    def by_plate(self) -> DayPlan:
        """The plan with runs named by what stays the same from plan to plan: the item's number, and the plate's."""

        def named(one: Any) -> Any:
            made, plate = self.plate(one.job, one.copy_number)
            return one.model_copy(update={"job": str(made.queue_id), "copy_number": plate})

        return self.plan.model_copy(
            update={
                "runs": [named(run) for run in self.plan.runs],
                "unplaced": [named(one) for one in self.plan.unplaced],
            }
        )


def kept_plan(row: DayPlanRow | None) -> KeptPlan | None:
    """A plan's row, read."""
    if row is None:
        return None
    return KeptPlan(
        row,
        Day.model_validate(row.plan["day"]),
        DayPlan.model_validate(row.plan["plan"]),
        {name: JobMade.model_validate(made) for name, made in row.plan["jobs"].items()},
    )


def written(session: Session, built: BuiltDay, plan: DayPlan) -> dict[str, Any]:
    """What a plan's row holds."""
    jobs = {}
    for name, planned in built.jobs.items():
        column = store.recipes.get_recipe(session, planned.item.recipe_id)
        jobs[name] = JobMade(
            queue_id=planned.item.id,
            name=planned.item.name,
            part_id=column.part_id,
            plates=planned.plates,
            pieces=planned.pieces,
            recipe_ids=[way.recipe_id for way in planned.ways[:20]],
            house_ids=[way.house_id for way in planned.ways[:20]],
            machine_ids=[way.machine_id for way in planned.ways[:20]],
            material_id=planned.ways[0].material_id,
        ).model_dump()
    day = built.day.model_copy(update={"before": ()})
    return {
        "day": day.model_dump(mode="json", by_alias=True, exclude_none=True),
        "plan": plan.model_dump(mode="json", by_alias=True),
        "jobs": jobs,
    }


def with_before(built: BuiltDay, before: KeptPlan | None) -> BuiltDay:
    """The day with the plan that stands, so that as much of it as possible stays."""
    if before is None:
        return built
    age = built.day.at(before.day.now) / -3600
    if not 0 <= age <= AS_BEFORE_H:
        return built
    built.day = built.day.model_copy(update={"before": tuple(_before(built, before))})
    return built


def _before(built: BuiltDay, before: KeptPlan) -> Iterator[Pin]:
    now = {
        (planned.item.id, plate): (name, place + 1)
        for name, planned in built.jobs.items()
        for place, plate in enumerate(planned.plates)
    }
    there = {machine.id for machine in built.day.machines}
    for run in before.plan.runs:
        made, plate = before.plate(run.job, run.copy_number)
        known = now.get((made.queue_id, plate))
        if known is not None and run.machine in there:
            yield Pin(job=known[0], copy_number=known[1], machine=run.machine, start=run.start)


def moved_since(before: KeptPlan | None, after: KeptPlan) -> list[Moved]:
    """What a plan has elsewhere than the one before it; runs by their items' names and plates' numbers."""
    if before is None:
        return []
    names = {str(made.queue_id): made.name for made in (*before.jobs.values(), *after.jobs.values())}
    return [
        one.model_copy(update={"job": names.get(one.job, one.job)})
        for one in moved(before.by_plate(), after.by_plate())
    ]


def behind(kept: KeptPlan, now: datetime) -> bool:
    """Whether the plan's moment to start something has passed, by more than a little."""
    return any((now - run.start).total_seconds() > BEHIND_S for run in kept.plan.runs)


BEHIND_S = 600.0
