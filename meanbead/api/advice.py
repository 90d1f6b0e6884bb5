"""Advice over HTTP: findings, remedies, levers, the next moves, the curve of a setting."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime

from apiflask import APIBlueprint

from meanbead import services, store
from meanbead.api.advice_schemas import CurveAsk, CurveOut, FindingsOut, LeversAsk, NextMovesOut
from meanbead.api.context import context, session
from meanbead.api.jobs import start
from meanbead.api.jobs_schemas import JobOut
from meanbead.core.advise.curve import Curve, curve
from meanbead.core.advise.measures import measures
from meanbead.core.advise.next_moves import NextMoves, next_moves
from meanbead.core.errors import MeanBeadError
from meanbead.core.estimate.job import prepare
from meanbead.core.estimate.sample import SAMPLE_LAYERS
from meanbead.core.rules import findings
from meanbead.core.runtime.pulled import Pulled
from meanbead.services.advice import AdviceInputs, load_advice
from meanbead.store import jobs
from meanbead.store.tables import Part, RecipeRow

LOOK_S = 0.15
"""How long an answer is worked on at one look; who wants more looks again."""

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
        named = store.shelf.purpose_of(db, part)
        purpose = "" if named is None else named.name
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
    inputs, _ = asked_of(recipe_id)
    return start("remedies", inputs, {"recipe_id": recipe_id}, queue="advice")


@blueprint.post("/recipes/<int:recipe_id>/levers")
@blueprint.input(LeversAsk)
@blueprint.output(JobOut, status_code=202)
def start_levers(recipe_id: int, json_data: LeversAsk) -> JobOut:
    """Try every single change worth considering, in the background; they come in as they are ready."""
    inputs, _ = asked_of(recipe_id)
    arguments = {"recipe_id": recipe_id, "goal": json_data.goal}
    return start("levers", [*inputs, json_data.goal], arguments, queue="advice")


@blueprint.post("/recipes/<int:recipe_id>/next")
@blueprint.output(NextMovesOut)
def look_at_next_moves(recipe_id: int) -> NextMovesOut:
    """The changes that save most, as far as they are known after a moment; ask again until ``done``. Nothing is computed for those who
    no longer ask."""
    inputs, surroundings = asked_of(recipe_id)
    engine = context().engine

    def begin() -> Iterator[NextMoves]:
        return next_moves(engine, surroundings.job, surroundings.context(engine))

    moves, done = (
        context().looks.get(jobs.digest_of("next", inputs), lambda: Pulled(begin)).pull(LOOK_S, context().first)
    )
    return NextMovesOut(moves=moves, done=done)


@blueprint.post("/recipes/<int:recipe_id>/curve")
@blueprint.input(CurveAsk)
@blueprint.output(CurveOut)
def look_at_curve(recipe_id: int, json_data: CurveAsk) -> CurveOut:
    """What each value of a number would make of the recipe, as far as it is known after a moment; ask again until ``done``."""
    inputs, surroundings = asked_of(recipe_id)
    engine, key = context().engine, json_data.key

    def begin() -> Iterator[Curve]:
        return curve(engine, surroundings.job, surroundings.context(engine), key)

    found, done = (
        context()
        .looks.get(jobs.digest_of("curve", [key, *inputs]), lambda: Pulled(begin))
        .pull(LOOK_S, context().first)
    )
    return CurveOut(curve=found, done=done)


def asked_of(recipe_id: int) -> tuple[list[object], AdviceInputs]:
    """What advice on a column is computed from, for finding it again, and what stands around it."""
    with session() as db:
        row: RecipeRow = store.recipes.get_recipe(db, recipe_id)
        if row.gcode_id is not None:
            raise MeanBeadError("A replayed file cannot be changed, so there is nothing to try.", field="recipe_id")
        surroundings = load_advice(db, row)
        inputs = services.digests.inputs_digest(row, store.rows.get(db, Part, row.part_id).digest)
    return [inputs, *surroundings.inputs()], surroundings
