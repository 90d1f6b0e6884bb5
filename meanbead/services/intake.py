"""Take in a part that was read: its name, and columns to start from."""

from __future__ import annotations

import re
from pathlib import PurePosixPath

from sqlalchemy.orm import Session

from meanbead import services, store
from meanbead.core.model import Recipe
from meanbead.core.model.part import Guesses
from meanbead.core.part.solid import Solid
from meanbead.store.tables import Machine, Part, SpoolRow


def add_read_part(
    db: Session, solid: Solid, *, file_name: str, member: str = "", source: bytes, guesses: Guesses | None = None
) -> Part:
    """Keep a part under the name of its file, or of the archive's member that it is."""
    named = PurePosixPath(member).name if member else file_name
    part = services.parts.add_part(db, solid, name=_title(named), file_name=file_name, source=source, guesses=guesses)
    _first_columns(db, part)
    return part


def _title(file_name: str) -> str:
    stem = file_name.rsplit(".", 1)[0]
    words = re.sub(r"[\x00-\x1f_\-\s]+", " ", stem).strip()
    return (words[:1].upper() + words[1:]) or "Part"


def _first_columns(db: Session, part: Part) -> None:
    """A column with the house's everyday nozzle, and one with the next to compare it with."""
    machine, _, material = store.shelf.first_of_each(db)
    nozzles = store.shelf.nozzles_to_start_with(db, machine, material)[:2]
    usual = nozzles[0].nozzle["bore_mm"]
    for number, nozzle in enumerate(nozzles):
        bore = nozzle.nozzle["bore_mm"]
        if number and bore == usual:
            continue
        store.recipes.add_recipe(
            db,
            part,
            name="Everyday" if number == 0 else "Coarser" if bore > usual else "Finer",
            machine_id=machine.id,
            nozzle_id=nozzle.id,
            material_id=material.id,
            choices=Recipe(),
        )


def add_test_part(db: Session, solid: Solid, name: str, machine: Machine) -> Part:
    """Keep a made shape as a part with one column, on a machine with what it holds."""
    _, nozzle, material = store.shelf.first_of_each(db)
    import trimesh  # half a second to load, and few ask for it

    mesh = trimesh.Trimesh(solid.vertices, solid.faces, process=False)
    source: bytes = trimesh.exchange.stl.export_stl(mesh)
    part = services.parts.add_part(db, solid, name=name, file_name=f"{name}.stl", source=source)
    spool = None if machine.spool_id is None else db.get(SpoolRow, machine.spool_id)
    store.recipes.add_recipe(
        db,
        part,
        name="Test print",
        machine_id=machine.id,
        nozzle_id=machine.nozzle_id or nozzle.id,
        material_id=material.id if spool is None else spool.material_id,
        choices=Recipe(),
    )
    return part
