"""Parts with what follows from their mesh: facts, digest, picture."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy.orm import Session

from meanbead.core.model import Pose
from meanbead.core.model.part import Guesses
from meanbead.core.part.facts import part_facts
from meanbead.core.part.pose import Axis, Side, cut_in_place, posed
from meanbead.core.part.solid import Solid, digest_of, solid_from_arrays
from meanbead.services.calibrations import expected_of_lists
from meanbead.services.digests import inputs_digest
from meanbead.services.pictures import png_of
from meanbead.store.around import around
from meanbead.store.estimates import figures_of, latest_figures
from meanbead.store.parts import part_as_read
from meanbead.store.recipes import chosen_columns
from meanbead.store.tables import (
    Part,
)


@dataclass(frozen=True)
class Headline:
    """What a list shows of a part's chosen column; ``outdated`` where what it rests on has changed since. What it will really
    take, with 90 %, rests on so many ``runs`` of its machine."""

    recipe_name: str
    print_time_s: float
    filament_g: float
    outdated: bool
    expected_s: float
    low_s: float
    high_s: float
    runs: int


def headlines(session: Session, parts: Sequence[Part]) -> dict[int, Headline]:
    """The results of parts' chosen columns, by part, in a number of queries that does not grow with theirs."""
    if not parts:
        return {}
    about = around(session)
    chosen = chosen_columns(session, parts)
    inputs = {column.id: inputs_digest(column, column.part.digest, about) for column in chosen.values()}
    known = figures_of(session, inputs.values())
    without = [column.id for column in chosen.values() if inputs[column.id] not in known]
    last = latest_figures(session, without) if without else {}
    shown = {
        part_id: (column, figures)
        for part_id, column in chosen.items()
        if (figures := known.get(inputs[column.id]) or last.get(column.id)) is not None
    }
    expected = expected_of_lists(session, list(shown.values()))
    return {
        part_id: Headline(
            recipe_name=column.name,
            print_time_s=figures.print_time_s,
            filament_g=figures.filament_g,
            outdated=inputs[column.id] not in known,
            expected_s=one.expected_s,
            low_s=one.low_s,
            high_s=one.high_s,
            runs=one.runs,
        )
        for (part_id, (column, figures)), one in zip(shown.items(), expected, strict=True)
    }


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
