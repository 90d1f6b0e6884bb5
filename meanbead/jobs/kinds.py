"""The kinds of background work, by name. Arguments are ids and plain values, results what the page shows."""

from __future__ import annotations

import base64
import time
from collections.abc import Callable
from dataclasses import replace
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import undefer

from meanbead import services, store
from meanbead.core.advise.confirm import Remedies, remedies_tried
from meanbead.core.advise.levers import Advice, levers
from meanbead.core.advise.limits import SearchLimits
from meanbead.core.advise.search import search
from meanbead.core.advise.search_result import SearchResult
from meanbead.core.compare.waterfall import waterfall, with_files
from meanbead.core.errors import MeanBeadError
from meanbead.core.estimate.job import PrintJob
from meanbead.core.estimate.sample import SAMPLE_LAYERS
from meanbead.core.learn.flow.asked_back import Fitting, Fittings, what_to_fit
from meanbead.core.model import Recipe
from meanbead.core.part.closing import close_gaps
from meanbead.core.part.orientations import OrientationEstimate, OrientationEstimates, orientations, simpler
from meanbead.core.part.read import read_mesh
from meanbead.core.part.stability import STABLE_DEG
from meanbead.core.recipe.resolve import resolve
from meanbead.demo.runs import add_sample_runs
from meanbead.demo.workshop import add_samples, estimate_first_columns
from meanbead.jobs import day, files, learning
from meanbead.jobs.work import Toolbox, Work
from meanbead.services.advice import load_advice
from meanbead.store import jobs
from meanbead.store.tables import Upload


def estimate_orientations(tools: Toolbox, arguments: dict[str, Any]) -> dict[str, Any]:
    """Estimate ways to stand a part with a column's recipe, supports where it needs them. Arguments: ``recipe_id``.

    The present way and those that stand steadily come first, by print time; a long mesh is simplified by up to a
    fiftieth of a millimetre for this first look.
    """
    with tools.database.session.begin() as session:
        job = services.estimates.job_of(session, store.recipes.get_recipe(session, arguments["recipe_id"]))
    plan = resolve(job.recipe, job.printer, job.nozzle, job.material, job.standards)
    found = orientations(simpler(job.solid), plan.shape.layer_height_mm)
    ways: list[OrientationEstimate] = []
    for number, (stance, solid) in enumerate(found):
        tools.progress(
            number / len(found),
            f"way {number + 1} of {len(found)}",
            OrientationEstimates(ways=_ranked(ways)).model_dump(),
        )
        with_supports = _supported(job.recipe)
        picture = base64.b64encode(services.pictures.png_of(solid, 240, 180)).decode()
        way = OrientationEstimate(
            stance=stance,
            present=number == 0,
            picture=f"data:image/png;base64,{picture}",
            steady=stance.tip_angle_deg >= STABLE_DEG,
            print_time_s=None,
            filament_g=None,
            support_s=0.0,
            support_g=0.0,
            problem="",
        )
        try:
            estimate = tools.engine.sampled(replace(job, solid=solid, recipe=with_supports), SAMPLE_LAYERS).estimate
        except MeanBeadError as problem:
            ways.append(way.model_copy(update={"problem": str(problem)}))
            continue
        shares = [share for name, share in estimate.by_feature.items() if name.startswith("support")]
        room = job.printer.bed_mm
        size = solid.vertices.max(axis=0) - solid.vertices.min(axis=0)
        too_large = size[0] > room.x or size[1] > room.y or size[2] > room.z
        ways.append(
            way.model_copy(
                update={
                    "print_time_s": estimate.print_time_s,
                    "filament_g": estimate.filament_g,
                    "support_s": sum(share.time_s for share in shares),
                    "support_g": sum(share.filament_g for share in shares),
                    "problem": "It does not fit on the machine this way." if too_large else "",
                }
            )
        )
    return OrientationEstimates(ways=_ranked(ways)).model_dump()


def _supported(recipe: Recipe) -> Recipe:
    """The recipe with supports; of columns where it has not chosen."""
    if recipe.supports.kind not in (None, "none"):
        return recipe
    return recipe.model_copy(update={"supports": recipe.supports.model_copy(update={"kind": "columns"})})


def _ranked(ways: list[OrientationEstimate]) -> list[OrientationEstimate]:
    return sorted(ways, key=lambda way: (bool(way.problem), not way.steady, way.print_time_s or 0.0))


def make_waterfall(tools: Toolbox, arguments: dict[str, Any]) -> dict[str, Any]:
    """From one column to another. Arguments: ``from_id`` and ``to_id``."""
    with tools.database.session.begin() as session:
        before, after = (store.recipes.get_recipe(session, arguments[name]) for name in ("from_id", "to_id"))
        for row in (before, after):
            if row.gcode_id is not None and not row.choices:
                raise MeanBeadError(
                    f"{row.name} does not tell its settings, so they cannot be exchanged one by one.",
                    remedy="Say which of our settings the names in its comments are.",
                )
        files = [
            None if row.gcode_id is None else services.estimates.computation(session, row, tools.engine)
            for row in (before, after)
        ]
        jobs: tuple[PrintJob, PrintJob] = (
            services.estimates.job_of(session, before),
            services.estimates.job_of(session, after),
        )
    found = waterfall(tools.engine, *jobs, progress=tools.progress)
    return with_files(found, *(None if compute is None else compute() for compute in files)).model_dump()


def make_estimate(tools: Toolbox, arguments: dict[str, Any]) -> dict[str, Any]:
    """The full estimate of a column, kept in the store. Arguments: ``recipe_id``, and ``inputs``, the digest of what it
    was asked for; a column that has changed since is not computed."""
    recipe_id, inputs = arguments["recipe_id"], arguments["inputs"]
    with tools.database.session.begin() as session:
        row = store.recipes.get_recipe(session, recipe_id)
        if services.digests.inputs_digest(row, row.part.digest) != inputs:
            raise MeanBeadError("The recipe was changed before it was this job's turn.")
        compute = services.estimates.computation(session, row, tools.engine, progress=tools.progress)
    estimate = compute()
    with tools.database.session.begin() as session:
        store.estimates.save_estimate(session, inputs, recipe_id, estimate)
    return {}


def find_levers(tools: Toolbox, arguments: dict[str, Any]) -> dict[str, Any]:
    """Every single change worth considering for a column. Arguments: ``recipe_id`` and ``goal``."""
    with tools.database.session.begin() as session:
        surroundings = load_advice(session, store.recipes.get_recipe(session, arguments["recipe_id"]))
    tools.progress(0.0, "measuring the part")
    last = 0.0

    def tell(fraction: float, message: str, advice: Advice) -> None:
        # Results are larger than a line of progress: a few a second are enough for the eye.
        nonlocal last
        if time.monotonic() - last > 0.3:
            last = time.monotonic()
            tools.progress(fraction, message, advice.model_dump(mode="json"))

    context = surroundings.context(tools.engine)
    return levers(tools.engine, surroundings.job, context, arguments["goal"], tell).model_dump(mode="json")


def try_remedies(tools: Toolbox, arguments: dict[str, Any]) -> dict[str, Any]:
    """The remedies of a column's findings, tried; and the wastes that they confirm. Arguments: ``recipe_id``."""
    with tools.database.session.begin() as session:
        surroundings = load_advice(session, store.recipes.get_recipe(session, arguments["recipe_id"]))
    context = surroundings.context(tools.engine)

    def tell(fraction: float, found: Remedies) -> None:
        tools.progress(fraction, "trying remedies")

    return remedies_tried(tools.engine, surroundings.job, context, tell).model_dump(mode="json")


def close_surface(tools: Toolbox, arguments: dict[str, Any]) -> dict[str, Any]:
    """Close an upload's open surface by guessing, and keep it as a part. Arguments: ``upload_id`` and ``sheet_mm``.

    The part and the word of it are stored at once: done again after an interruption, it makes no second one.
    """
    with tools.database.session.begin() as session:
        known = jobs.get(session, tools.progress.job_id).result
        if known is not None:
            return known
        row = session.scalars(
            select(Upload).where(Upload.id == arguments["upload_id"]).options(undefer(Upload.source))
        ).one_or_none()
        if row is None:
            raise MeanBeadError("The file is no longer kept here.", remedy="Add it again.")
    raw = read_mesh(row.source, row.file_name, row.member)
    closed = close_gaps(raw, row.unit, arguments["sheet_mm"], tools.progress)
    with tools.database.session.begin() as session:
        part = services.intake.add_read_part(
            session,
            closed.solid,
            file_name=row.file_name,
            member=row.member,
            source=row.source,
            guesses=closed.guesses,
        )
        found = {"part_id": part.id}
        tools.progress.keep(session, found)
        return found


def search_frontier(tools: Toolbox, arguments: dict[str, Any]) -> dict[str, Any]:
    """Recipes that limits allow. Arguments: ``recipe_id``, ``vary``, ``limits``, ``against``, ``budget`` and
    ``time_s``."""
    with tools.database.session.begin() as session:
        surroundings = load_advice(session, store.recipes.get_recipe(session, arguments["recipe_id"]))
    tools.progress(0.0, "measuring the part")

    due = 0.0

    def tell(fraction: float, message: str, so_far: Callable[[], SearchResult] | None) -> None:
        # Hundreds of dots are a megabyte: about once a second is enough for the eye, and a twentieth of the time for it.
        nonlocal due
        begun = time.monotonic()
        told = so_far is not None and begun >= due
        tools.progress(fraction, message, so_far().model_dump(mode="json") if told and so_far is not None else None)
        if told:
            now = time.monotonic()
            due = now + max(0.8, 20 * (now - begun))

    return search(
        tools.engine,
        surroundings.job,
        arguments["vary"],
        SearchLimits.model_validate(arguments["limits"]),
        surroundings.context(tools.engine),
        against=arguments["against"],
        budget=arguments["budget"],
        time_s=arguments["time_s"],
        progress=tell,
    ).model_dump(mode="json")


def find_what_to_fit(tools: Toolbox, arguments: dict[str, Any]) -> dict[str, Any]:
    """All wanted parts of a machine on each nozzle and hot end of the workshop. Arguments: ``machine_id``, ``rounds_a_week``."""
    with tools.database.session.begin() as session:
        asked = services.fitting.fitting_inputs(session, arguments["machine_id"])

    def tell(share: float, doing: str, found: list[Fitting]) -> None:
        tools.progress(share, doing, Fittings(ways=found).model_dump())

    ways = what_to_fit(tools.engine, asked.parts, asked.nozzles, asked.hotends, arguments["rounds_a_week"], tell)
    return Fittings(ways=ways).model_dump()


def set_up_samples(tools: Toolbox, arguments: dict[str, Any]) -> dict[str, Any]:
    """The sample workshop beside what is here, with its figures and its log; brought back where it was removed."""
    with tools.database.session.begin() as session:
        if services.samples.samples_of(session).removed:
            services.samples.restore(session)
            return {}
        add_samples(session, lambda name: tools.progress(0.1, f"making {name}"))
    tools.progress(0.5, "estimating the parts")
    estimate_first_columns(tools.database, tools.engine)
    tools.progress(0.7, "making its log")
    add_sample_runs(tools.database, tools.engine)
    return {}


KINDS: dict[str, Work] = {
    "samples": set_up_samples,
    "stances": estimate_orientations,
    "waterfall": make_waterfall,
    "estimate": make_estimate,
    "levers": find_levers,
    "remedies": try_remedies,
    "close": close_surface,
    "search": search_frontier,
    "fitting": find_what_to_fit,
    **learning.KINDS,
    **day.KINDS,
    **files.KINDS,
}
