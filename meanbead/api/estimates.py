"""Figures over HTTP: estimates of columns, layer by layer, of steps and of what is being typed."""

from __future__ import annotations

import time

from apiflask import APIBlueprint
from sqlalchemy.orm import Session

from meanbead import services, store
from meanbead.api.context import context, session
from meanbead.api.estimates_schemas import (
    Figures,
    FirstAsk,
    PreviewAsk,
    SampleAsk,
    SensitivitiesOut,
    SensitivityAsk,
    WaterfallAsk,
)
from meanbead.api.jobs import start
from meanbead.api.jobs_schemas import JobOut, job_out
from meanbead.core.compare.sensitivity import sensitivities
from meanbead.core.errors import MeanBeadError
from meanbead.core.model import Estimate, LayerLedger, Material, Nozzle
from meanbead.core.model.shop import Shop
from meanbead.core.recipe.preview import Preview, preview
from meanbead.store import jobs
from meanbead.store.tables import (
    Machine,
    MaterialRow,
    NozzleRow,
    Part,
    RecipeRow,
)

PATIENCE_S = 0.7
"""What takes longer is told as a job, with its progress."""

blueprint = APIBlueprint("estimates", __name__, url_prefix="/api", tag="Estimates")


@blueprint.post("/recipes/<int:recipe_id>/estimate")
@blueprint.input(SampleAsk, location="query")
@blueprint.output(Estimate)
def estimate(recipe_id: int, query_data: SampleAsk) -> Estimate:
    """The estimate of a column: the stored one when its inputs are the same, else computed now.

    With ``layers`` a sample of about so many will do; only full estimates are stored.
    """
    with session() as db:
        row = store.recipes.get_recipe(db, recipe_id)
        part = store.rows.get(db, Part, row.part_id)
        inputs = services.digests.inputs_digest(row, part.digest)
        found = store.estimates.find_estimate(db, inputs)
        if found is not None:
            return services.calibrations.with_interval(db, row, found)
        compute = services.estimates.computation(db, row, context().engine, query_data.layers)
    # Computed outside the transaction: it may take seconds, and rows must not stay locked meanwhile.
    with context().first:
        result = compute()
    with session() as db:
        if result.layers_planned == result.layers:
            store.estimates.save_estimate(db, inputs, recipe_id, result)
        return services.calibrations.with_interval(db, store.recipes.get_recipe(db, recipe_id), result)


@blueprint.post("/recipes/<int:recipe_id>/first-answer")
@blueprint.input(FirstAsk)
@blueprint.output(Estimate)
def first_answer(recipe_id: int, json_data: FirstAsk) -> Estimate:
    """What :func:`estimate` will say once these choices are stored: asked for beside the write, it need not wait for it.
    Stores nothing. What is stored meanwhile by somebody else is told as for any stale write."""
    with session() as db, db.no_autoflush:
        row = store.recipes.get_recipe(db, recipe_id)
        choices = store.recipes.stored_choices(json_data.choices)
        # The write itself may have come first.
        if row.version != json_data.version and (row.version != json_data.version + 1 or row.choices != choices):
            db.expunge_all()  # so that what is stored can still be shown after the transaction has been undone
            raise store.rows.Stale(row, json_data.version)
        part = store.rows.get(db, Part, row.part_id)
        row.choices = choices
        found = store.estimates.find_estimate(db, services.digests.inputs_digest(row, part.digest))
        compute = services.estimates.computation(db, row, context().engine, json_data.layers)
        with_interval = services.calibrations.interval_of(db, row)
        db.rollback()
    if found is not None:
        return with_interval(found)
    with context().first:
        return with_interval(compute())


@blueprint.post("/recipes/<int:recipe_id>/figures")
@blueprint.output(Figures)
def figures(recipe_id: int) -> Figures:
    """The full estimate of a column, computed in the background: at once where it is known or quick, else with the job
    that is at it. When that is done, ask again."""
    with session() as db:
        row = store.recipes.get_recipe(db, recipe_id)
        inputs = services.digests.inputs_digest(row, store.rows.get(db, Part, row.part_id).digest)
        found = _known(db, row, inputs)
        machine = row.machine
        stale = found is not None and bool(services.calibrations.learnt_of(db, machine)[0].stale)
    if found is not None:
        if stale:
            # Its limits were described otherwise when it was printed with: its runs count again once they are computed anew.
            start("again", [machine.id, machine.version], {"machine_id": machine.id}, again=True)
        return Figures(estimate=found)
    job = start("estimate", inputs, {"recipe_id": recipe_id, "inputs": inputs}, queue="quick")
    until = time.monotonic() + PATIENCE_S
    while time.monotonic() < until:
        time.sleep(0.03)
        with session() as db:
            # The state first: a job that has ended has kept its estimate before.
            state = jobs.get(db, job.id).state
            found = _known(db, store.recipes.get_recipe(db, recipe_id), inputs)
        if found is not None:
            return Figures(estimate=found)
        if state not in jobs.UNDER_WAY:
            break
    with session() as db:
        return Figures(job=job_out(jobs.get(db, job.id)))


def _known(db: Session, row: RecipeRow, inputs: str) -> Estimate | None:
    """The stored estimate of exactly these inputs, with the interval that the log gives it."""
    found = store.estimates.find_estimate(db, inputs)
    return None if found is None else services.calibrations.with_interval(db, row, found)


@blueprint.get("/recipes/<int:recipe_id>/layers")
@blueprint.output(LayerLedger)
def layers(recipe_id: int) -> LayerLedger:
    """Where the seconds and the plastic of a column go, layer by layer."""
    with session() as db:
        row = store.recipes.get_recipe(db, recipe_id)
        if row.gcode_id is not None:
            raise MeanBeadError("A replayed file has no layers of its own to plan.", field="gcode")
        job = services.estimates.job_of(db, row)
    return context().engine.by_layer(job)


@blueprint.post("/recipes/<int:recipe_id>/nudges")
@blueprint.input(SensitivityAsk)
@blueprint.output(SensitivitiesOut)
def list_sensitivities(recipe_id: int, json_data: SensitivityAsk) -> SensitivitiesOut:
    """What a step up or down, or the other options, of one setting would cost on this part."""
    with session() as db:
        job = services.estimates.job_of(db, store.recipes.get_recipe(db, recipe_id))
    return SensitivitiesOut(nudges=sensitivities(context().engine, job, json_data.key))


@blueprint.post("/preview")
@blueprint.input(PreviewAsk)
@blueprint.output(Preview)
def preview_recipe(json_data: PreviewAsk) -> Preview:
    """Bead, flow and ceiling of choices that are not stored, as the house and the part's purpose fill them in."""
    with session() as db:
        house = store.house.house_of(db)
        machine = store.rows.get(db, Machine, json_data.machine_id, deleted=True)
        nozzle = Nozzle.model_validate(store.rows.get(db, NozzleRow, json_data.nozzle_id, deleted=True).nozzle)
        material = Material.model_validate(
            store.rows.get(db, MaterialRow, json_data.material_id, deleted=True).material
        )
        printer = store.recipes.printer_of(db, machine, Shop.model_validate(house.shop), material)
        part = None if json_data.part_id is None else store.rows.get(db, Part, json_data.part_id)
        standards = store.recipes.standards_of(db, house, part)
    return preview(json_data.choices, printer, nozzle, material, standards)


@blueprint.post("/waterfalls")
@blueprint.input(WaterfallAsk)
@blueprint.output(JobOut, status_code=202)
def start_waterfall(json_data: WaterfallAsk) -> JobOut:
    """Share out the difference between two columns among their changed settings, in the background."""
    with session() as db:
        digests = []
        for recipe_id in (json_data.from_id, json_data.to_id):
            row = store.recipes.get_recipe(db, recipe_id)
            digests.append(services.digests.inputs_digest(row, store.rows.get(db, Part, row.part_id).digest))
    return start("waterfall", digests, {"from_id": json_data.from_id, "to_id": json_data.to_id})
