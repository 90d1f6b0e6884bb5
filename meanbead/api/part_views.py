"""What the part view draws: mesh, picture, thickness, what was guessed, and facts with their places."""

from __future__ import annotations

import numpy as np
from apiflask import APIBlueprint
from flask import Response
from sqlalchemy import select
from sqlalchemy.orm import undefer

from meanbead import store
from meanbead.api.binary import BINARY, PNG, binary, mesh_bytes
from meanbead.api.context import context, session
from meanbead.core.model import PartInsight
from meanbead.core.part.insight import Insight
from meanbead.store.tables import (
    Part,
)

blueprint = APIBlueprint("part_views", __name__, url_prefix="/api/parts", tag="Part views")


@blueprint.get("/<int:part_id>/mesh")
@BINARY
@blueprint.doc(summary="The part's mesh in its pose, binary")
def mesh(part_id: int) -> Response:
    """The mesh in its pose. Its address holds the part's digest, so it may be kept."""
    with session() as db:
        store.rows.get(db, Part, part_id)
        return binary(mesh_bytes(store.parts.load_solid(db, part_id)), keep=True)


@blueprint.get("/<int:part_id>/insight")
@blueprint.output(PartInsight)
def insight(part_id: int) -> PartInsight:
    """Facts that decide settings, each with where on the part it is."""
    return _insight(part_id).facts


@blueprint.get("/<int:part_id>/thickness")
@BINARY
@blueprint.doc(summary="Thickness behind each triangle, mm, as 32-bit floats")
def thickness(part_id: int) -> Response:
    """How thick the part is behind each triangle."""
    return binary(_insight(part_id).thickness_mm.astype("<f4").tobytes(), keep=True)


def _insight(part_id: int) -> Insight:
    with session() as db:
        store.rows.get(db, Part, part_id)
        solid = store.parts.load_solid(db, part_id)
    return context().engine.insight(solid)


@blueprint.get("/<int:part_id>/guessed")
@BINARY
@blueprint.doc(summary="1 for each triangle that was guessed, else 0, as 32-bit floats")
def guessed(part_id: int) -> Response:
    """Which triangles no file held."""
    with session() as db:
        part = store.rows.get(db, Part, part_id)
        row = db.scalar(select(Part).where(Part.id == part_id).options(undefer(Part.guessed_faces)))
        # Of a part that was cut, nobody knows any more which triangles were guessed.
        marks = None if row is None or part.pose.get("cuts") else row.guessed_faces
        count = int(part.facts["triangles"])
    found = np.zeros(count, "<f4") if marks is None else np.frombuffer(marks, "u1").astype("<f4")
    return binary(found.tobytes(), keep=True)


@blueprint.get("/<int:part_id>/picture")
@PNG
def picture(part_id: int) -> Response:
    """The part's drawing, PNG. Its address changes with the mesh, so it may be kept for long."""
    with session() as db:
        png = db.scalar(select(Part).where(Part.id == part_id).options(undefer(Part.picture)))
        if png is None:
            raise store.rows.NotFound(f"There is no part {part_id}.")
        response = Response(png.picture, content_type="image/png")
    response.headers["Cache-Control"] = "private, max-age=31536000, immutable"
    return response
