"""Parts: the file as it came, the mesh as read, and the pose that it stands in."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import Any

import numpy as np
from sqlalchemy import func, select
from sqlalchemy.orm import Session, undefer

from meanbead.core.model import Pose
from meanbead.core.part.pose import posed
from meanbead.core.part.solid import Solid, solid_from_arrays
from meanbead.core.runtime.cache import BoundedCache
from meanbead.store.tables import (
    Part,
)


def list_parts(session: Session, *, limit: int, before: int | None = None, search: str = "") -> Sequence[Part]:
    """Parts that are there, the newest first."""
    asked = _there(search).order_by(Part.id.desc()).limit(limit)
    return session.scalars(asked if before is None else asked.where(Part.id < before)).all()


def count_parts(session: Session, *, search: str = "") -> int:
    """How many parts there are."""
    return int(session.scalar(_there(search).with_only_columns(func.count(Part.id))) or 0)


def names(session: Session) -> list[tuple[int, str]]:
    """Number and name of every part, the newest first."""
    asked = select(Part.id, Part.name).where(Part.deleted_at.is_(None)).order_by(Part.id.desc())
    return [(row.id, row.name) for row in session.execute(asked)]


def _there(search: str) -> Any:
    asked = select(Part).where(Part.deleted_at.is_(None))
    return asked.where(Part.name.icontains(search.strip(), autoescape=True)) if search.strip() else asked


_MESH_BYTES = 128 * 1024 * 1024
_TIMES_ARRAYS = 4
"""A solid that was cut takes about so many times its arrays."""

_SOLIDS: BoundedCache[Solid] = BoundedCache(
    _MESH_BYTES, lambda solid: _TIMES_ARRAYS * (solid.vertices.nbytes + solid.faces.nbytes)
)


def load_solid(session: Session, part_id: int) -> Solid:
    """The sound mesh of a part in its pose; kept for a while, by what it is: each edit of a column asks for it again."""
    part = session.get_one(Part, part_id)
    key = (part.digest, json.dumps(part.pose, sort_keys=True))
    return _SOLIDS.get(key, lambda: posed(part_as_read(session, part_id)[1], Pose.model_validate(part.pose)))


def part_as_read(session: Session, part_id: int) -> tuple[Part, Solid]:
    """A part's row and its mesh as it was read."""
    part = session.scalars(
        select(Part).where(Part.id == part_id).options(undefer(Part.vertices), undefer(Part.faces))
    ).one()
    vertices = np.frombuffer(part.vertices, "<f8").astype(np.float64).reshape(-1, 3)
    faces = np.frombuffer(part.faces, "<i4").astype(np.int64).reshape(-1, 3)
    return part, solid_from_arrays(vertices, faces, part.digest)
