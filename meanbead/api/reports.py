"""Reports of parts over HTTP: one file to print or to send."""

from __future__ import annotations

import re
from datetime import date

from apiflask import APIBlueprint
from flask import Response
from sqlalchemy import select

from meanbead import services, store
from meanbead.api.binary import described_as
from meanbead.api.context import context, session
from meanbead.api.reports_schemas import ReportAsk
from meanbead.core.errors import MeanBeadError
from meanbead.core.estimate.job import prepare
from meanbead.core.model.shop import Shop
from meanbead.core.recipe.machine_sheet import machine_sheet
from meanbead.core.recipe.settings_sheet import settings_sheet
from meanbead.services.report import Compared, ReportContent, report_pdf
from meanbead.store.tables import Part

blueprint = APIBlueprint("reports", __name__, url_prefix="/api", tag="Reports")


@blueprint.get("/parts/<int:part_id>/report.pdf")
@blueprint.input(ReportAsk, location="query")
@described_as("application/pdf")
@blueprint.doc(summary="The report of a part as a PDF")
def part_report(part_id: int, query_data: ReportAsk) -> Response:
    """The report of a part: of the column asked for, else of its chosen one. Computed now where it is not known yet; other columns
    are set beside it as far as they are."""
    engine = context().engine
    with session() as db:
        part = store.rows.get(db, Part, part_id)
        columns = store.recipes.recipes_of(db, part_id)
        row = next((one for one in columns if one.id == query_data.recipe_id), None)
        if row is None and query_data.recipe_id is not None:
            raise MeanBeadError("The part has no such column.", field="recipe_id", remedy="Take one of its columns.")
        row = row or store.recipes.chosen_column(part, columns)
        if row is None:
            raise MeanBeadError("The part has no recipe to report.", field="recipe_id", remedy="Add a column first.")
        compute = services.estimates.computation(db, row, engine)
        job = None if row.gcode_id is not None else services.estimates.job_of(db, row)
        recipe_id = row.id
    estimate = compute()
    strokes = None if job is None else engine.strokes(job.solid, prepare(job).plan)
    with session() as db:
        part = store.rows.get(db, Part, part_id)
        columns = store.recipes.recipes_of(db, part_id)
        row = store.recipes.get_recipe(db, recipe_id)
        others = []
        for other in columns:
            found = store.estimates.find_estimate(db, services.digests.inputs_digest(other, part.digest))
            if other.id != recipe_id and found is not None:
                others.append(Compared(other.name, found))
        size = part.facts["extents_mm"]
        inputs = store.recipes.recipe_inputs(row)
        content = ReportContent(
            part_name=part.name,
            note=part.note,
            size_mm=(size["x"], size["y"], size["z"]),
            picture=db.scalars(select(Part.picture).where(Part.id == part_id)).one(),
            recipe_name=row.name,
            printed_with=(row.machine.name, row.nozzle.name, row.material.name),
            estimate=services.calibrations.with_interval(db, row, estimate),
            currency=Shop.model_validate(store.house.house_of(db).shop).currency,
            others=others,
            strokes=strokes,
            settings=[] if job is None else settings_sheet(*inputs) + machine_sheet(*inputs),
            made_on=date.today().isoformat(),
        )
        name = re.sub(r"[^A-Za-z0-9]+", "-", f"{part.name}-{row.name}").strip("-").lower() or "report"
    response = Response(report_pdf(content), content_type="application/pdf")
    response.headers["Content-Disposition"] = f'inline; filename="{name}.pdf"'
    return response
