"""Files for machines: written from a column or taken as they came, looked over, and kept in pieces."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace

import numpy as np
from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from meanbead import store
from meanbead.core.errors import MeanBeadError
from meanbead.core.estimate.engine import Engine
from meanbead.core.estimate.job import PrintJob, prepare
from meanbead.core.estimate.summary import Run
from meanbead.core.gcode.file_names import file_name
from meanbead.core.gcode.inspect import Inspection, Promise, inspect_file
from meanbead.core.gcode.program import plan_as_filed, promise_of, write_program
from meanbead.core.model import Material, Nozzle, Printer
from meanbead.core.model.machine_file import FileOptions
from meanbead.core.plates.outline import stood
from meanbead.core.runtime.progress import ProgressCallback
from meanbead.services.digests import inputs_digest
from meanbead.services.estimates import job_of
from meanbead.services.plates import load_plate
from meanbead.store.database import Database
from meanbead.store.print_tables import PrintFile, PrintPiece
from meanbead.store.tables import PlateRow, RecipeRow, plain

__all__ = ["Wanted", "file_inputs", "make_file", "pieces_of_file", "wanted_file"]

FORMAT = 1
"""Raised where the same column would be written otherwise."""


@dataclass(frozen=True)
class Wanted:
    """A file to be made: of which column, for which machine, named how; ``gcode`` is the file as it came, still packed."""

    inputs: str
    recipe_id: int
    machine_id: int
    part_name: str
    options: FileOptions
    printer: Printer
    nozzle: Nozzle
    material: Material
    job: PrintJob | None
    gcode: bytes | None
    middle_mm: tuple[float, float] | None


def file_inputs(session: Session, row: RecipeRow) -> str:
    """Identifies a column's file by all that it is made of."""
    digest = inputs_digest(row, row.part.digest)
    plate = _plate_of(session, row)
    content = [FORMAT, digest, row.gcode_id, row.machine.files, row.machine_id, None if plate is None else plate.items]
    return hashlib.sha256(json.dumps(content, sort_keys=True).encode()).hexdigest()


def wanted_file(session: Session, row: RecipeRow) -> Wanted:
    """What a column's file is made of. Raises :class:`MeanBeadError` for what cannot be written."""
    _, printer, nozzle, material, _ = store.recipes.recipe_inputs(row)
    gcode = None if row.gcode_id is None else store.gcode_files.gcode_content(session, row.gcode_id)
    job = job_of(session, row) if gcode is None else None
    plate = _plate_of(session, row)
    middle = None
    if job is not None:
        if plate is not None:
            middle = _middle_of_plate(session, plate, printer)
        prepare(job)  # refuses at once what could not be printed, such as copies in the head's way
    return Wanted(
        inputs=file_inputs(session, row),
        recipe_id=row.id,
        machine_id=row.machine_id,
        part_name=row.part.name,
        options=FileOptions.model_validate(row.machine.files),
        printer=printer,
        nozzle=nozzle,
        material=material,
        job=job,
        gcode=gcode,
        middle_mm=middle,
    )


def _plate_of(session: Session, row: RecipeRow) -> PlateRow | None:
    return session.scalars(
        select(PlateRow).where(PlateRow.part_id == row.part_id, PlateRow.deleted_at.is_(None)).limit(1)
    ).one_or_none()


def _middle_of_plate(session: Session, plate: PlateRow, printer: Printer) -> tuple[float, float]:
    """Where the middle of all that stands on a plate is on the bed: the parts stay where they were put."""
    if plate.order == "one_by_one":
        raise MeanBeadError(
            "Plates that are printed one part after the other are not written yet.",
            field="recipe_id",
            remedy="Print this plate layer by layer, or its parts by themselves.",
        )
    loaded = load_plate(session, plate)
    points = np.concatenate([stood(loaded.solids[one.of], one)[:, :2] for one in loaded.placed])
    middle = (points.min(axis=0) + points.max(axis=0)) / 2
    return float(printer.bed_mm.x / 2 + middle[0]), float(printer.bed_mm.y / 2 + middle[1])


def make_file(database: Database, engine: Engine, wanted: Wanted, progress: ProgressCallback) -> int:
    """Write or take a file, look it over, and keep it; its number. One of ours that is not as it should be is not kept: what was
    found is. ``progress`` may raise to end it, and nothing is left then."""
    notes: list[str] = []
    options = wanted.options
    promise, may_skip, run = None, False, None
    if wanted.job is not None:
        progress(0.05, "planning every stroke")
        run = _run(engine, wanted.job, options)
        promise = promise_of(run)
        may_skip = run.plan.above_melt == "run_on"
        if options.accelerations == "own":
            usual = engine.run(wanted.job).timing.print_time_s
            notes.append(
                f"The machine takes no accelerations from files: with its own it takes {promise.print_time_s / usual - 1:+.1%} "
                "of the column's time."
            )
    file_id, seen = _kept(database, wanted, run, options, promise, may_skip=may_skip, progress=progress)
    if run is not None and options.curves == "arcs" and any(check.name == "time" for check in seen.wrong):
        notes.append("With arcs it would not take the time that was estimated; it is written as segments.")
        _forget(database, file_id)
        options = options.model_copy(update={"curves": "segments"})
        file_id, seen = _kept(database, wanted, run, options, promise, may_skip=may_skip, progress=progress)
    with database.session.begin() as session:
        row = store.prints.get_file(session, file_id)
        row.notes = notes
        if seen.unknown_commands:
            row.notes = [
                *notes,
                f"{seen.unknown_commands:,} commands are not known to the reader; they are left as they are.",
            ]
        if run is not None and seen.wrong:
            row.state = "refused"
            session.execute(delete(PrintPiece).where(PrintPiece.file_id == file_id))
        else:
            row.state = "ready"
        store.prints.forget_files(session)
    return file_id


def pieces_of_file(database: Database, file_id: int) -> Iterator[bytes]:
    """A file's text; each piece in a transaction of its own, for whoever takes it may take hours."""
    number = 0
    while True:
        with database.session.begin() as session:
            piece = store.prints.piece_of(session, file_id, number)
        if piece is None:
            return
        yield piece
        number += 1


def _run(engine: Engine, job: PrintJob, options: FileOptions) -> Run:
    prepared = prepare(job)
    plan = plan_as_filed(prepared.plan, job.printer, options)
    return engine.run(replace(prepared, plan=plan) if plan is not prepared.plan else prepared)


def _kept(
    database: Database,
    wanted: Wanted,
    run: Run | None,
    options: FileOptions,
    promise: Promise | None,
    *,
    may_skip: bool,
    progress: ProgressCallback,
) -> tuple[int, Inspection]:
    height = 0.0 if run is None else run.plan.shape.layer_height_mm
    content: Iterable[bytes]
    if run is not None:
        content = write_program(run, options, wanted.part_name, wanted.middle_mm)
    else:
        assert wanted.gcode is not None
        content = _blocks(wanted.gcode)
    with database.session.begin() as session:
        row = PrintFile(
            inputs=wanted.inputs,
            recipe_id=wanted.recipe_id,
            machine_id=wanted.machine_id,
            name="",
            ours=run is not None,
            state="writing",
            size_bytes=0,
            inspection={},
        )
        session.add(row)
        session.flush()
        file_id, size = row.id, 0
    try:
        for number, packed, length in store.prints.write_pieces(content):
            with database.session.begin() as session:
                session.add(PrintPiece(file_id=file_id, number=number, content=packed))
            size += length
            progress(0.35, f"writing: {size / 1e6:.1f} MB")
        progress(0.5, "reading it back")
        with database.session.begin() as session:
            seen = inspect_file(
                lambda: store.prints.open_file(session, file_id),
                wanted.printer,
                wanted.nozzle,
                wanted.material,
                promise=promise,
                may_skip=may_skip,
                progress=lambda share: progress(0.5 + 0.5 * share, "reading it back"),
            )
        with database.session.begin() as session:
            row = store.prints.get_file(session, file_id)
            row.size_bytes, row.inspection = size, plain(seen)
            row.name = file_name(
                wanted.part_name,
                wanted.nozzle.bore_mm,
                height,
                seen.print_time_s,
                wanted.options.names,
                store.prints.names_of_others(session, wanted.recipe_id, wanted.machine_id),
            )
    except BaseException:
        _forget(database, file_id)
        raise
    return file_id, seen


def _blocks(packed: bytes) -> Iterable[bytes]:
    with store.gcode_files.open_gcode(packed) as stream:
        while block := stream.read(1 << 20):
            yield block


def _forget(database: Database, file_id: int) -> None:
    with database.session.begin() as session:
        session.execute(delete(PrintFile).where(PrintFile.id == file_id))
