"""Parts: the file as it came, the mesh as read, and the pose that it stands in."""

from __future__ import annotations

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session, undefer

from meanbead.core.model import Pose
from meanbead.core.part.pose import posed
from meanbead.core.part.solid import Solid, solid_from_arrays
from meanbead.store.tables import (
    Part,
)


def load_solid(session: Session, part_id: int) -> Solid:
    """The sound mesh of a part in its pose."""
    part, solid = part_as_read(session, part_id)
    return posed(solid, Pose.model_validate(part.pose))


def part_as_read(session: Session, part_id: int) -> tuple[Part, Solid]:
    """A part's row and its mesh as it was read."""
    part = session.scalars(
        select(Part).where(Part.id == part_id).options(undefer(Part.vertices), undefer(Part.faces))
    ).one()
    vertices = np.frombuffer(part.vertices, "<f8").astype(np.float64).reshape(-1, 3)
    faces = np.frombuffer(part.faces, "<i4").astype(np.int64).reshape(-1, 3)
    return part, solid_from_arrays(vertices, faces, part.digest)
