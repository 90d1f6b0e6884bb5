"""What the layers view draws: strokes, planned or of a replayed file, and the first layer."""

from __future__ import annotations

import numpy as np
from apiflask import APIBlueprint
from flask import Response, request

from meanbead import services, store
from meanbead.api.binary import BINARY, binary, strokes_bytes
from meanbead.api.context import context, session
from meanbead.api.strokes_schemas import BeyondMark, StrokesIndex
from meanbead.core.errors import MeanBeadError
from meanbead.core.estimate.detail import resting_share
from meanbead.core.estimate.first_layer import FirstLayer
from meanbead.core.estimate.job import PrintJob
from meanbead.core.estimate.ledger import CAUSES
from meanbead.core.estimate.summary import top_returns_mm
from meanbead.core.gcode.drawn import DrawnFile, PlacedMark, drawn_file
from meanbead.core.runtime import limits
from meanbead.core.strokes import FEATURES

blueprint = APIBlueprint("strokes", __name__, url_prefix="/api", tag="Strokes")


@blueprint.get("/recipes/<int:recipe_id>/strokes")
@blueprint.output(StrokesIndex)
def strokes_index(recipe_id: int) -> StrokesIndex:
    """Where each layer's strokes begin, how high it is and how long it takes."""
    drawn = _file(recipe_id)
    detail = context().engine.detail(_planned(recipe_id)) if drawn is None else drawn.detail
    names = FEATURES if drawn is None else drawn.features
    strokes = detail.strokes
    count = len(strokes.layers)
    laid = strokes.end_xy[~strokes.is_travel]
    low, high = laid.min(axis=0), laid.max(axis=0)
    return StrokesIndex(
        strokes=len(strokes),
        first_stroke=np.searchsorted(strokes.layer, np.arange(count + 1)).tolist(),
        top_mm=strokes.layers.top_mm.tolist(),
        height_mm=strokes.layers.height_mm.tolist(),
        time_s=np.bincount(strokes.layer, weights=detail.time_s, minlength=count).tolist(),
        wait_s=detail.wait_s.tolist(),
        returns_mm=top_returns_mm(detail.strokes).tolist(),
        features=list(names),
        features_used=[names[code] for code in np.unique(strokes.feature)],
        causes=list(CAUSES),
        low_mm=[float(low[0]), float(low[1]), 0.0],
        high_mm=[float(high[0]), float(high[1]), float(strokes.layers.top_mm[-1])],
        melt_ceiling_mm3_s=detail.ceiling_mm3_s,
        fastest_mm_s=float(detail.speed_mm_s[~strokes.is_travel].max()),
        marks=[] if drawn is None else [_mark(mark) for mark in drawn.marks],
    )


def _mark(placed: PlacedMark) -> BeyondMark:
    mark = placed.mark
    return BeyondMark(kind=mark.kind, line=mark.line, layer=placed.layer, value=mark.value, limit=mark.limit)


@blueprint.get("/recipes/<int:recipe_id>/strokes/<int:first>/<int:end>")
@BINARY
@blueprint.doc(summary="Strokes of layers first up to below end, binary; ?resting=1 also feels for the layer below")
def strokes_piece(recipe_id: int, first: int, end: int) -> Response:
    """A piece of the strokes, as compact binary."""
    drawn = _file(recipe_id)
    detail = context().engine.detail(_planned(recipe_id)) if drawn is None else drawn.detail
    strokes = detail.strokes
    if not 0 <= first < end <= len(strokes.layers):
        raise MeanBeadError(f"There are {len(strokes.layers)} layers; ask for some of them.", field="first")
    low, high = np.searchsorted(strokes.layer, [first, end])
    if high - low > limits.STROKES_PER_PIECE and end - first > 1:
        raise MeanBeadError(
            "That is too much for one piece.", field="end", remedy="Ask for fewer layers.", code="over_limit"
        )
    resting = resting_share(strokes, (first, end)) if request.args.get("resting") == "1" else None
    return binary(strokes_bytes(detail, slice(int(low), int(high)), resting, None if drawn is None else drawn.beyond))


@blueprint.get("/recipes/<int:recipe_id>/first-layer")
@blueprint.output(FirstLayer)
def look_at_first_layer(recipe_id: int) -> FirstLayer:
    """What touches the bed, where it is thin, where it may lift, and what its start costs."""
    return context().engine.first_layer(_planned(recipe_id))


def _file(recipe_id: int) -> DrawnFile | None:
    """The replayed file of a column, move by move; None where it has a recipe of its own."""
    with session() as db:
        row = store.recipes.get_recipe(db, recipe_id)
        if row.gcode is None:
            return None
        _, printer, nozzle, material, _ = store.recipes.recipe_inputs(row)
        key = (row.gcode.digest, printer, nozzle, material)
        content = store.gcode_files.gcode_content(db, row.gcode.id)
    return context().drawings.get(
        key, lambda: drawn_file(store.gcode_files.open_gcode(content), printer, nozzle, material)
    )


def _planned(recipe_id: int) -> PrintJob:
    with session() as db:
        row = store.recipes.get_recipe(db, recipe_id)
        if row.gcode_id is not None:
            raise MeanBeadError(
                "A replayed file has no layers of its own to plan.", field="gcode", remedy="Choose another column."
            )
        return services.estimates.job_of(db, row)
