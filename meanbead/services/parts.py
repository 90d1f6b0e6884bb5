"""Parts with what follows from their mesh: facts, digest, picture."""

from __future__ import annotations

from sqlalchemy.orm import Session

from meanbead.core.model import Pose
from meanbead.core.model.part import Guesses
from meanbead.core.part.facts import part_facts
from meanbead.core.part.pose import Axis, Side, cut_in_place, posed
from meanbead.core.part.solid import Solid, digest_of, solid_from_arrays
from meanbead.services.pictures import png_of
from meanbead.store.parts import part_as_read
from meanbead.store.tables import (
    Part,
)


def add_part(
    session: Session,
    solid: Solid,
    *,
    name: str,
    file_name: str,
    source: bytes,
    note: str = "",
    guesses: Guesses | None = None,
) -> Part:
    """Keep a part: the file as it came, the sound mesh, its facts and its picture; and what was guessed of it."""
    part = Part(
        name=name[:120],
        file_name=file_name[:255],
        note=note,
        facts=part_facts(solid).model_dump(),
        digest=solid.digest,
        source=source,
        vertices=solid.vertices.astype("<f8").tobytes(),
        faces=solid.faces.astype("<i4").tobytes(),
        picture=png_of(solid),
        pose={},
        guessed=None if guesses is None else guesses.model_dump(mode="json"),
        guessed_faces=None if solid.guessed is None else solid.guessed.astype("u1").tobytes(),
    )
    session.add(part)
    session.flush()
    return part


def set_pose(session: Session, part: Part, pose: Pose) -> None:
    """Stand a part otherwise: its facts, its digest and its picture follow. Raises PartError for sizes that cannot be."""
    _, solid = part_as_read(session, part.id)
    # Only the digest of the mesh as read is not the row's own: it identifies the pose that it stands in.
    stood = posed(solid_from_arrays(solid.vertices, solid.faces, ""), pose)
    if pose == Pose():
        stood = solid_from_arrays(solid.vertices, solid.faces, digest_of(solid.vertices, solid.faces))
    mended = part.facts.get("mended", [])
    part.pose = pose.model_dump(exclude_defaults=True, mode="json")
    part.facts = part_facts(stood).model_dump() | {"mended": mended}
    part.digest = stood.digest
    part.picture = png_of(stood)
    session.flush()


def cut_part(session: Session, part: Part, axis: Axis, at_mm: float, keep: Side) -> None:
    """Cut a part as it stands, and keep one side. Its pose remembers the cut, so that undoing is writing the old pose."""
    _, solid = part_as_read(session, part.id)
    as_read = solid_from_arrays(solid.vertices, solid.faces, "")
    set_pose(session, part, cut_in_place(as_read, Pose.model_validate(part.pose), axis, at_mm, keep))
