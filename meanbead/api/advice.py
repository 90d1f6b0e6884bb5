"""Advice over HTTP: findings, levers, the frontier, the house's rules, spools."""

from __future__ import annotations

from datetime import datetime

from apiflask import APIBlueprint

from meanbead import services, store
from meanbead.api.advice_shapes import (
    FindingsOut,
    HouseRulesEdit,
    HouseRulesOut,
    LeversAsk,
    SearchAsk,
    SearchStart,
    SpoolAdd,
    SpoolEdit,
    SpoolOut,
    house_rules_out,
    spool_out,
)
from meanbead.api.context import context, session
from meanbead.api.jobs import start
from meanbead.api.shapes import (
    JobOut,
    VersionOnly,
)
from meanbead.core.advise.limits import SearchLimits
from meanbead.core.advise.measures import measures
from meanbead.core.advise.space import Space, usual_vary
from meanbead.core.errors import MeanBeadError
from meanbead.core.estimate.job import prepare
from meanbead.core.estimate.sample import SAMPLE_LAYERS
from meanbead.core.rules import findings
from meanbead.services.advice import AdviceInputs, load_advice
from meanbead.store.tables import House, MaterialRow, Part, Purpose, RecipeRow, Spool, plain

blueprint = APIBlueprint("advice", __name__, url_prefix="/api", tag="Advice")


@blueprint.get("/recipes/<int:recipe_id>/findings")
@blueprint.output(FindingsOut)
def list_findings(recipe_id: int) -> FindingsOut:
    """What the rules say of a column, by this house's schools and the part's purpose, with remedies to apply.

    Of the stored figures where there are some, else of a sample.
    """
    engine = context().engine
    with session() as db:
        row = store.recipes.get_recipe(db, recipe_id)
        part = store.rows.get(db, Part, row.part_id)
        purpose = "" if part.purpose_id is None else store.rows.get(db, Purpose, part.purpose_id).name
        estimate = store.estimates.find_estimate(db, services.digests.inputs_digest(row, part.digest))
        if row.gcode_id is not None:
            return FindingsOut(findings=[] if estimate is None else estimate.findings, measures=None, purpose=purpose)
        surroundings = load_advice(db, row, datetime.now())
    prepared, advice = prepare(surroundings.job), surroundings.context(engine)
    if estimate is None:
        estimate = engine.sampled(prepared, SAMPLE_LAYERS).estimate
    rule_input = advice.rule_input(prepared, estimate)
    return FindingsOut(
        # A waste is only one once its remedy has been seen to save: see :func:`start_remedies`.
        findings=[finding for finding in findings(rule_input) if finding.severity != "waste"],
        measures=measures(prepared, estimate, advice),
        purpose=purpose,
    )


@blueprint.post("/recipes/<int:recipe_id>/remedies")
@blueprint.output(JobOut, status_code=202)
def start_remedies(recipe_id: int) -> JobOut:
    """Try the remedies of a column's findings in the background: what each costs and clears, and which wastes are real."""
    inputs, _ = _asked(recipe_id)
    return start("remedies", inputs, {"recipe_id": recipe_id}, queue="advice")


@blueprint.post("/recipes/<int:recipe_id>/levers")
@blueprint.input(LeversAsk)
@blueprint.output(JobOut, status_code=202)
def start_levers(recipe_id: int, json_data: LeversAsk) -> JobOut:
    """Try every single change worth considering, in the background; they come in as they are ready."""
    inputs, _ = _asked(recipe_id)
    arguments = {"recipe_id": recipe_id, "goal": json_data.goal}
    return start("levers", [*inputs, json_data.goal], arguments, queue="advice")


@blueprint.get("/recipes/<int:recipe_id>/search")
@blueprint.output(SearchStart)
def search_start(recipe_id: int) -> SearchStart:
    """What a search around a column would usually vary, and the limits of the part's purpose."""
    _, surroundings = _asked(recipe_id)
    job, engine = surroundings.job, context().engine
    advice = surroundings.context(engine)
    limits = SearchLimits.model_validate(surroundings.limits.model_dump())
    return SearchStart(vary=usual_vary(job, advice), limits=limits)


@blueprint.post("/recipes/<int:recipe_id>/search")
@blueprint.input(SearchAsk)
@blueprint.output(JobOut, status_code=202)
def start_search(recipe_id: int, json_data: SearchAsk) -> JobOut:
    """Look for all that the limits allow around a column, in the background."""
    Space.of(json_data.vary)
    inputs, _ = _asked(recipe_id)
    asked = json_data.model_dump(mode="json")
    return start("search", [*inputs, asked], {"recipe_id": recipe_id, **asked})


def _asked(recipe_id: int) -> tuple[list[object], AdviceInputs]:
    """What advice on a column is computed from, for finding it again, and what stands around it."""
    with session() as db:
        row: RecipeRow = store.recipes.get_recipe(db, recipe_id)
        if row.gcode_id is not None:
            raise MeanBeadError("A replayed file cannot be changed, so there is nothing to try.", field="recipe_id")
        surroundings = load_advice(db, row)
        inputs = services.digests.inputs_digest(row, store.rows.get(db, Part, row.part_id).digest)
    return [inputs, *surroundings.inputs()], surroundings


@blueprint.get("/house-rules")
@blueprint.output(HouseRulesOut)
def house_rules() -> HouseRulesOut:
    """The workshop's schools, its attended hours and how often its prints fail."""
    with session() as db:
        return house_rules_out(store.house.house_of(db))


@blueprint.patch("/house-rules")
@blueprint.input(HouseRulesEdit)
@blueprint.output(HouseRulesOut)
def edit_house_rules(json_data: HouseRulesEdit) -> HouseRulesOut:
    """Choose another school, or change hours and rates. Findings and advice follow."""
    with session() as db:
        row = store.rows.get_for_edit(db, House, store.house.house_of(db).id, json_data.version)
        if json_data.rules is not None:
            row.rules = plain(json_data.rules)
        if json_data.shop is not None:
            own = json_data.shop.model_copy(update={"spool_left_g": None, "spool_dry": None, "now_h": None})
            row.shop = plain(own)
        db.flush()
        return house_rules_out(row)


@blueprint.post("/spools")
@blueprint.input(SpoolAdd)
@blueprint.output(SpoolOut, status_code=201)
def add_spool(json_data: SpoolAdd) -> SpoolOut:
    """Put a spool on the shelf."""
    with session() as db:
        store.rows.get(db, MaterialRow, json_data.material_id)
        row = Spool(**json_data.model_dump())
        db.add(row)
        db.flush()
        return spool_out(row)


@blueprint.patch("/spools/<int:spool_id>")
@blueprint.input(SpoolEdit)
@blueprint.output(SpoolOut)
def edit_spool(spool_id: int, json_data: SpoolEdit) -> SpoolOut:
    """Weigh a spool anew, rename it, or say when it was dried."""
    said = json_data.model_dump(exclude_unset=True, exclude={"version"})
    with session() as db:
        row = store.rows.get_for_edit(db, Spool, spool_id, json_data.version)
        for name, value in said.items():
            if value is not None or name == "dried_on":
                setattr(row, name, value)
        db.flush()
        return spool_out(row)


@blueprint.post("/spools/<int:spool_id>/delete")
@blueprint.input(VersionOnly)
@blueprint.output(SpoolOut)
def delete_spool(spool_id: int, json_data: VersionOnly) -> SpoolOut:
    """Take a spool off the shelf; it can be restored."""
    with session() as db:
        row = store.rows.get_for_edit(db, Spool, spool_id, json_data.version)
        store.rows.delete(db, row)
        return spool_out(row)


@blueprint.post("/spools/<int:spool_id>/restore")
@blueprint.output(SpoolOut)
def restore_spool(spool_id: int) -> SpoolOut:
    """Undo taking a spool off the shelf."""
    with session() as db:
        row = store.rows.get(db, Spool, spool_id, deleted=True)
        store.rows.restore(db, row)
        return spool_out(row)
