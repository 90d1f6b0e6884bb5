"""Background work on the day: the plan, what a change of the workshop would bring, plates and full plates estimated."""

from __future__ import annotations

from typing import Any

from meanbead import services, store
from meanbead.core.errors import MeanBeadError
from meanbead.core.model.shop import Shop
from meanbead.core.plates.estimate import PlateEstimate, estimate_plate, fill_plate
from meanbead.core.schedule.day import plans
from meanbead.core.schedule.day.planner import told
from meanbead.core.schedule.day.worth import bought, worth
from meanbead.jobs.work import Toolbox, Work
from meanbead.services.advice import fault_rate_of
from meanbead.services.day import BuiltDay
from meanbead.services.day_plans import KeptPlan, kept_plan, moved_since, with_before, written
from meanbead.store.tables import DayPlanRow, PlateRow

__all__ = ["KINDS", "PLAN_S"]

PLAN_S = 30.0
"""A plan is bettered for up to so long."""


def _estimated(tools: Toolbox) -> BuiltDay:
    """The day with every way estimated."""
    for _ in range(3):
        with tools.database.session.begin() as session:
            built = services.day.build_day(session, tools.engine)
        if not built.missing:
            break
        for number, (item, way) in enumerate(built.missing):
            tools.progress(0.5 * number / len(built.missing), f"estimating {item.name}, {way.name}")
            with tools.database.session.begin() as session:
                if store.estimates.find_estimate(session, way.digest) is not None:
                    continue
                try:
                    estimate = services.queue.compute_way(session, tools.engine, item, way)
                except MeanBeadError:
                    continue
                # What is printed otherwise than its column stands is no figure of that column.
                store.estimates.save_estimate(session, way.digest, way.recipe_id if way.itself else None, estimate)
    return built


def plan_the_day(tools: Toolbox, arguments: dict[str, Any]) -> dict[str, Any]:
    """Plan what the queue holds. The first plan stands at once, better ones take its place. Arguments: ``seconds``, how long to
    better it."""
    built = _estimated(tools)
    with tools.database.session.begin() as session:
        state = services.day.day_state(session)
        before = kept_plan(store.day.latest_plan(session))
    built = with_before(services.day.without_bad_pins(built), before)
    row_id: int | None = None
    result: dict[str, Any] = {}
    seconds = float(arguments.get("seconds", PLAN_S))
    for number, solved in enumerate(plans(built.day, seconds)):
        plan = told(solved)
        with tools.database.session.begin() as session:
            row_id = _keep(session, built, plan, state, before, row_id)
        result = {"plan_id": row_id, "score": plan.score.model_dump(), "bound_says": plan.bound_says, "better": number}
        tools.progress(0.6 + 0.39 * min(1.0, number / 10), "bettering the plan", result)
    return result


def _keep(session: Any, built: BuiltDay, plan: Any, state: str, before: KeptPlan | None, row_id: int | None) -> int:
    content = written(session, built, plan)
    row = None if row_id is None else session.get(DayPlanRow, row_id)
    if row is None:
        row = DayPlanRow(name="plan", inputs=state, plan=content, notes=built.notes)
        store.day.keep_plan(session, row)
    row.plan = content
    after = kept_plan(row)
    assert after is not None
    row.moved = [one.model_dump() for one in moved_since(before, after)]
    session.flush()
    return int(row.id)


def find_worth(tools: Toolbox, arguments: dict[str, Any]) -> dict[str, Any]:
    """What changes of the workshop would bring. Arguments: ``seconds`` a plan."""
    built = _estimated(tools)
    if not built.day.jobs:
        raise MeanBeadError(
            "There is nothing in the queue to plan with.", remedy="Queue what you print in a usual week."
        )
    held = {}
    for name, planned in built.jobs.items():
        estimate = planned.ways[0].estimate
        held[name] = 0.0 if estimate is None else estimate.by_cause.melt_ceiling_s
    found = worth(built.day, bought(built.day, held), float(arguments.get("seconds", 3.0)), tools.progress)
    return {"changes": [one.model_dump() for one in found]}


def make_plate(tools: Toolbox, arguments: dict[str, Any]) -> dict[str, Any]:
    """A plate's estimate with each part's share. Arguments: ``plate_id`` and ``digest``, of what it was asked for."""
    with tools.database.session.begin() as session:
        loaded = services.plates.load_plate(session, store.rows.get(session, PlateRow, arguments["plate_id"]))
        if services.plates.plate_digest(session, loaded) != arguments["digest"]:
            raise MeanBeadError("The plate was changed before it was this job's turn.")
        column = loaded.column
        found = estimate_plate(tools.engine, loaded.job, loaded.solids, loaded.placed, loaded.head, tools.progress)
        with_interval = services.calibrations.with_interval(session, column, found.estimate)
        store.estimates.save_estimate(session, arguments["digest"], None, found.estimate)
    return PlateEstimate(estimate=with_interval, shares=found.shares, order=found.order).model_dump(mode="json")


def fill(tools: Toolbox, arguments: dict[str, Any]) -> dict[str, Any]:
    """Plates with one part, up to as many as fit. Arguments: ``recipe_id``."""
    with tools.database.session.begin() as session:
        column = store.recipes.get_recipe(session, arguments["recipe_id"])
        job = services.estimates.job_of(session, column)
        shop = Shop.model_validate(store.house.house_of(session).shop)
        rate = fault_rate_of(session, shop, column.machine_id, column.machine.name)
    return fill_plate(tools.engine, job, shop.attended, rate.per_hour, progress=tools.progress).model_dump(mode="json")


KINDS: dict[str, Work] = {"day": plan_the_day, "worth": find_worth, "plate": make_plate, "fill": fill}
"""This room's kinds of work, by name."""
