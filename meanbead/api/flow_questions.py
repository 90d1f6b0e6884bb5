"""The melt limit asked backwards, over HTTP: how hot, what more heat buys, what is worth fitting."""

from __future__ import annotations

from apiflask import APIBlueprint

from meanbead import services, store
from meanbead.api.context import context, session
from meanbead.api.flow_schemas import FittingAsk, HeatAsked
from meanbead.api.jobs import start
from meanbead.api.jobs_schemas import JobOut
from meanbead.core.errors import MeanBeadError
from meanbead.core.learn.flow.asked_back import heat_question
from meanbead.store.tables import Part

blueprint = APIBlueprint("flow_questions", __name__, url_prefix="/api", tag="Flow questions")


@blueprint.get("/recipes/<int:recipe_id>/heat")
@blueprint.output(HeatAsked)
def ask_heat(recipe_id: int) -> HeatAsked:
    """What temperature a column needs, and what ten degrees more would buy on its part."""
    with session() as db:
        row = store.recipes.get_recipe(db, recipe_id)
        if row.gcode_id is not None:
            raise MeanBeadError("A replayed file cannot be changed, so there is nothing to ask.", field="recipe_id")
        job = services.estimates.job_of(db, row)
    told = heat_question(context().engine, job)
    return HeatAsked(
        now_c=told.now_c,
        asked_mm3_s=told.asked_mm3_s,
        plan_mm3_s=told.ceiling.plan_mm3_s,
        source=told.ceiling.source,
        basis=told.ceiling.basis,
        needed_c=told.needed_c,
        highest_c=told.highest_c,
        hotter_c=told.hotter_c,
        hotter_plan_mm3_s=told.hotter_plan_mm3_s,
        saved_s=told.saved_s,
        print_time_s=told.print_time_s,
    )


@blueprint.post("/fittings")
@blueprint.input(FittingAsk)
@blueprint.output(JobOut, status_code=202)
def start_fitting(json_data: FittingAsk) -> JobOut:
    """Print all wanted parts of a machine with each nozzle and hot end of the workshop, in the background."""
    with session() as db:
        asked = services.fitting.fitting_inputs(db, json_data.machine_id)
        digests = []
        for part in store.rows.all_rows(db, Part):
            chosen = store.recipes.chosen_column(part, store.recipes.recipes_of(db, part.id))
            if chosen is not None and chosen.machine_id == json_data.machine_id:
                digests.append([services.digests.inputs_digest(chosen, part.digest), part.quantity])
        tools = {name: nozzle.model_dump(mode="json") for name, nozzle in asked.nozzles.items()}
        tools |= {name: printer.model_dump(mode="json") for name, printer in asked.hotends.items()}
    return start("fitting", [digests, tools, json_data.rounds_a_week], json_data.model_dump())
