"""Read and write parts, recipes and what they are printed with. Every write of an edited row names its version."""

from __future__ import annotations

import gzip
import hashlib
import io
import json
from collections.abc import Callable, Sequence
from contextlib import suppress
from datetime import timedelta
from typing import IO, Any, BinaryIO, TypeVar, cast

import numpy as np
from numpy.typing import NDArray
from PIL import Image
from sqlalchemy import delete as delete_rows
from sqlalchemy import func, select, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session, joinedload, undefer

from meanbead.core.errors import OpenSurface
from meanbead.core.estimate.engine import ENGINE_VERSION, Engine
from meanbead.core.estimate.job import PrintJob, prepare
from meanbead.core.gcode.as_estimate import replayed_estimate
from meanbead.core.model import Estimate, Material, Nozzle, Pose, Printer, Recipe
from meanbead.core.model.part import Guesses
from meanbead.core.part.facts import part_facts
from meanbead.core.part.picture import draw_mesh, draw_solid
from meanbead.core.part.pose import posed
from meanbead.core.part.solid import Solid, digest_of, solid_from_arrays
from meanbead.core.rules import with_findings
from meanbead.core.runtime.progress import ProgressCallback, no_progress
from meanbead.store.tables import (
    EstimateRow,
    GcodeFile,
    HouseRecipe,
    Machine,
    MaterialRow,
    NozzleRow,
    Part,
    RecipeRow,
    RecipeVersion,
    Upload,
    VersionedRow,
    now,
)

Row = TypeVar("Row", bound=VersionedRow)
UPLOADS_KEPT_FOR = timedelta(days=2)
"""Files that wait for an answer; whoever comes later adds them again."""


class NotFound(LookupError):
    """There is no such row, or it was deleted."""


class Stale(RuntimeError):
    """The row was changed by somebody else in between; ``row`` is what stands now."""

    def __init__(self, row: VersionedRow, given: int) -> None:
        super().__init__(f"version {given} was edited, but version {row.version} is stored")
        self.row = row


def all_rows(session: Session, table: type[Row]) -> Sequence[Row]:
    """Rows that are not deleted, in the order of their making."""
    return session.scalars(select(table).where(table.deleted_at.is_(None)).order_by(table.id)).all()


def get(session: Session, table: type[Row], row_id: int, *, deleted: bool = False) -> Row:
    """One row. Raises :class:`NotFound`; deleted rows are found only when asked for."""
    row = session.get(table, row_id)
    if row is None or (row.deleted_at is not None and not deleted):
        raise NotFound(f"There is no {table.__tablename__.rstrip('s').replace('_', ' ')} {row_id}.")  # type: ignore[attr-defined]
    return row


def get_for_edit(session: Session, table: type[Row], row_id: int, version: int) -> Row:
    """One row, locked for writing. Raises :class:`Stale` when ``version`` is not the one stored."""
    get(session, table, row_id)
    row = session.get_one(table, row_id, with_for_update=True, populate_existing=True)
    if row.version != version:
        session.expunge_all()  # so that what is stored can still be shown after the transaction has been undone
        raise Stale(row, version)
    return row


def delete(session: Session, row: VersionedRow) -> None:
    """Mark a row deleted; it can be restored."""
    row.deleted_at = now()
    session.flush()


def restore(session: Session, row: VersionedRow) -> None:
    """Undo a deletion."""
    row.deleted_at = None
    session.flush()


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


def add_upload(session: Session, file_name: str, unit: str, member: str, source: bytes, surface: OpenSurface) -> Upload:
    """Keep a file whose surface is open, until somebody has decided; older ones are forgotten."""
    before = now() - UPLOADS_KEPT_FOR
    session.execute(delete_rows(Upload).where(Upload.created_at < before))
    drawing = draw_mesh(surface.vertices, surface.faces, marked=surface.edges)
    row = Upload(file_name=file_name[:255], unit=unit, member=member[:255], source=source, picture=_png(drawing))
    session.add(row)
    session.flush()
    return row


def get_upload(session: Session, upload_id: int) -> Upload:
    """A file that waits for an answer. Raises :class:`NotFound`."""
    row = session.get(Upload, upload_id)
    if row is None:
        raise NotFound(f"There is no upload {upload_id}.")
    return row


def png_of(solid: Solid, width_px: int = 480, height_px: int = 360) -> bytes:
    """A solid's drawing, PNG."""
    return _png(draw_solid(solid, width_px, height_px))


def _png(drawing: NDArray[np.uint8]) -> bytes:
    buffer = io.BytesIO()
    Image.fromarray(drawing, "RGBA").save(buffer, "PNG", optimize=True)
    return buffer.getvalue()


def load_solid(session: Session, part_id: int) -> Solid:
    """The sound mesh of a part in its pose."""
    part, solid = _as_read(session, part_id)
    return posed(solid, Pose.model_validate(part.pose))


def _as_read(session: Session, part_id: int) -> tuple[Part, Solid]:
    part = session.scalars(
        select(Part).where(Part.id == part_id).options(undefer(Part.vertices), undefer(Part.faces))
    ).one()
    vertices = np.frombuffer(part.vertices, "<f8").astype(np.float64).reshape(-1, 3)
    faces = np.frombuffer(part.faces, "<i4").astype(np.int64).reshape(-1, 3)
    return part, solid_from_arrays(vertices, faces, part.digest)


def set_pose(session: Session, part: Part, pose: Pose) -> None:
    """Stand a part otherwise: its facts, its digest and its picture follow. Raises PartError for sizes that cannot be."""
    _, solid = _as_read(session, part.id)
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


def recipes_of(session: Session, part_id: int) -> Sequence[RecipeRow]:
    """Columns of a part's sheet, left to right."""
    return session.scalars(
        select(RecipeRow)
        .where(RecipeRow.part_id == part_id, RecipeRow.deleted_at.is_(None))
        .order_by(RecipeRow.position, RecipeRow.id)
        .options(*_WITH_PARTS)
    ).all()


def get_recipe(session: Session, recipe_id: int) -> RecipeRow:
    """One recipe with its machine, nozzle and material."""
    row = session.scalars(
        select(RecipeRow).where(RecipeRow.id == recipe_id, RecipeRow.deleted_at.is_(None)).options(*_WITH_PARTS)
    ).one_or_none()
    if row is None:
        raise NotFound(f"There is no recipe {recipe_id}.")
    return row


_WITH_PARTS = (
    joinedload(RecipeRow.machine),
    joinedload(RecipeRow.nozzle),
    joinedload(RecipeRow.material),
)


def add_recipe(
    session: Session,
    part: Part,
    *,
    name: str,
    machine_id: int,
    nozzle_id: int,
    material_id: int,
    choices: Recipe,
    gcode_id: int | None = None,
    after: RecipeRow | None = None,
) -> RecipeRow:
    """A new column, right of ``after`` or at the end."""
    row = RecipeRow(
        part_id=part.id,
        name=name[:120],
        machine_id=machine_id,
        nozzle_id=nozzle_id,
        material_id=material_id,
        choices=stored_choices(choices),
        gcode_id=gcode_id,
        position=_position(session, part.id, after),
    )
    session.add(row)
    session.flush()
    return row


def copy_recipe(
    session: Session, original: RecipeRow, part: Part, *, name: str = "", beside: bool = False
) -> RecipeRow:
    """A column like another one: right of it, or at the end of a part's sheet."""
    row = add_recipe(
        session,
        part,
        name=name or original.name,
        machine_id=original.machine_id,
        nozzle_id=original.nozzle_id,
        material_id=original.material_id,
        choices=Recipe.model_validate(original.choices),
        gcode_id=original.gcode_id,
        after=original if beside else None,
    )
    row.house_id, row.house_version = original.house_id, original.house_version
    session.flush()
    return row


def record_version(session: Session, row: RecipeRow | HouseRecipe, who: str = "") -> None:
    """Keep what a recipe holds now under its version; a version that is kept already stays as it is."""
    session.flush()
    session.refresh(row, ["machine", "nozzle", "material"])
    content = {
        "name": row.name,
        "machine": row.machine.name,
        "nozzle": row.nozzle.name,
        "material": row.material.name,
        "machine_id": row.machine_id,
        "nozzle_id": row.nozzle_id,
        "material_id": row.material_id,
        "choices": row.choices,
    }
    session.execute(
        insert(RecipeVersion)
        .values(kind=row.__tablename__, row_id=row.id, version=row.version, at=now(), who=who, content=content)
        .on_conflict_do_nothing()
    )


def link_to_house(session: Session, column: RecipeRow, house: HouseRecipe) -> None:
    """Say that a column holds a house recipe as it is now. What the column prints is the same: its version stays."""
    session.execute(
        update(RecipeRow)
        .where(RecipeRow.id == column.id)
        .values(house_id=house.id, house_version=house.version, updated_at=RecipeRow.updated_at)
    )
    session.expire(column, ["house_id", "house_version", "house"])


def restore_version(session: Session, row: RecipeRow | HouseRecipe, version: int) -> None:
    """Have a recipe hold again what it held at a version; a machine, nozzle or material that has gone stays as it is.

    Raises :class:`NotFound`.
    """
    kept = session.scalars(
        select(RecipeVersion).where(
            RecipeVersion.kind == row.__tablename__,
            RecipeVersion.row_id == row.id,
            RecipeVersion.version == version,
        )
    ).one_or_none()
    if kept is None:
        raise NotFound(f"There is no version {version} of it.")
    tables: dict[str, type[VersionedRow]] = {"machine": Machine, "nozzle": NozzleRow, "material": MaterialRow}
    with session.no_autoflush:  # all of it is one change, and so one version
        row.choices = kept.content["choices"]
        for name, table in tables.items():
            with suppress(NotFound):
                setattr(row, name, get(session, table, kept.content[f"{name}_id"]))


def versions_of(session: Session, table: type[RecipeRow] | type[HouseRecipe], row_id: int) -> Sequence[RecipeVersion]:
    """Versions of a recipe, the newest first."""
    return session.scalars(
        select(RecipeVersion)
        .where(RecipeVersion.kind == table.__tablename__, RecipeVersion.row_id == row_id)
        .order_by(RecipeVersion.version.desc())
    ).all()


def columns_of_house(session: Session, house_id: int) -> Sequence[RecipeRow]:
    """Columns that were filled from a house recipe, with their parts."""
    return session.scalars(
        select(RecipeRow)
        .join(Part)
        .where(RecipeRow.house_id == house_id, RecipeRow.deleted_at.is_(None), Part.deleted_at.is_(None))
        .order_by(RecipeRow.id)
        .options(joinedload(RecipeRow.part))
    ).all()


def _position(session: Session, part_id: int, after: RecipeRow | None) -> float:
    """A place between two neighbours, so that no other row has to move."""
    places = select(RecipeRow.position).where(RecipeRow.part_id == part_id, RecipeRow.deleted_at.is_(None))
    if after is None:
        last = session.scalar(select(func.max(places.subquery().c.position)))
        return 0.0 if last is None else last + 1.0
    following = session.scalar(places.where(RecipeRow.position > after.position).order_by(RecipeRow.position).limit(1))
    return after.position + 1.0 if following is None else (after.position + following) / 2


def stored_choices(choices: Recipe) -> dict[str, Any]:
    """A recipe as it is stored: only what was chosen. The nozzle is a row of its own."""
    return choices.model_copy(update={"nozzle_diameter_mm": None}).model_dump(exclude_none=True, exclude_defaults=True)


def recipe_inputs(row: RecipeRow) -> tuple[Recipe, Printer, Nozzle, Material]:
    """What the core needs of a recipe's row."""
    return (
        Recipe.model_validate(row.choices),
        Printer.model_validate(row.machine.printer),
        Nozzle.model_validate(row.nozzle.nozzle),
        Material.model_validate(row.material.material),
    )


def inputs_digest(row: RecipeRow, part_digest: str) -> str:
    """Identifies an estimate by everything that it is computed from."""
    content = [
        ENGINE_VERSION,
        row.gcode.digest if row.gcode else part_digest,
        *(model.model_dump(mode="json") for model in recipe_inputs(row)),
    ]
    return hashlib.sha256(json.dumps(content, sort_keys=True).encode()).hexdigest()


def find_estimate(session: Session, inputs: str) -> Estimate | None:
    """A stored estimate of exactly these inputs by this engine."""
    row = session.get(EstimateRow, inputs)
    return None if row is None else Estimate.model_validate(row.result)


def save_estimate(session: Session, inputs: str, recipe_id: int, estimate: Estimate) -> None:
    """Store an estimate; that somebody else stored the same one meanwhile does no harm."""
    session.execute(
        insert(EstimateRow)
        .values(
            inputs=inputs,
            recipe_id=recipe_id,
            engine_version=estimate.engine_version,
            result=estimate.model_dump(mode="json"),
            created_at=now(),
        )
        .on_conflict_do_nothing()
    )


def job_of(session: Session, row: RecipeRow) -> PrintJob:
    """A recipe's row as a job for the engine."""
    recipe, printer, nozzle, material = recipe_inputs(row)
    return PrintJob(load_solid(session, row.part_id), recipe, printer, nozzle, material)


def full_estimate(
    engine: Engine, job: PrintJob, layers: int | None = None, progress: ProgressCallback = no_progress
) -> Estimate:
    """Figures, and what the rules say of them by themselves."""
    prepared = prepare(job)
    return with_findings(engine.estimate(prepared, layers, progress), prepared, engine.facts(job.solid))


def computation(
    session: Session,
    row: RecipeRow,
    engine: Engine,
    layers: int | None = None,
    progress: ProgressCallback = no_progress,
) -> Callable[[], Estimate]:
    """What computes a column's estimate, to be run when the session is closed: it may take seconds."""
    if row.gcode_id is None:
        job = job_of(session, row)
        return lambda: full_estimate(engine, job, layers, progress)
    content = gcode_content(session, row.gcode_id)
    _, printer, nozzle, material = recipe_inputs(row)
    return lambda: replayed_estimate(lambda: open_gcode(content), printer, nozzle, material)


def save_gcode(session: Session, stream: IO[bytes], file_name: str) -> GcodeFile:
    """Keep a G-code file of any size, compressed as it is read."""
    packed, digest, size = io.BytesIO(), hashlib.sha256(), 0
    with gzip.GzipFile(fileobj=packed, mode="wb", compresslevel=3, mtime=0) as writer:
        while block := stream.read(1024 * 1024):
            writer.write(block)
            digest.update(block)
            size += len(block)
    row = GcodeFile(file_name=file_name[:255], digest=digest.hexdigest(), size_bytes=size, content=packed.getvalue())
    session.add(row)
    session.flush()
    return row


def gcode_content(session: Session, gcode_id: int) -> bytes:
    """A stored G-code file, still compressed; see :func:`open_gcode`."""
    return (
        session.scalars(select(GcodeFile).where(GcodeFile.id == gcode_id).options(undefer(GcodeFile.content)))
        .one()
        .content
    )


def open_gcode(content: bytes) -> BinaryIO:
    """A stored G-code file from its start, unpacked as it is read."""
    return cast(BinaryIO, gzip.GzipFile(fileobj=io.BytesIO(content)))


def first_of_each(session: Session) -> tuple[Machine, NozzleRow, MaterialRow]:
    """What a new recipe starts with. Raises :class:`NotFound` in a workshop without machine, nozzle or material."""
    machines, nozzles = all_rows(session, Machine), all_rows(session, NozzleRow)
    materials = all_rows(session, MaterialRow)
    if not (machines and nozzles and materials):
        raise NotFound("The workshop has no machine, nozzle or material yet.")
    usual = min(nozzles, key=lambda row: abs(row.nozzle.get("bore_mm", 0.4) - 0.4))
    return machines[0], usual, materials[0]
