"""Keep a small workshop as this version stores it: ``.venv/bin/python -m tests.released.make``, once a released version.

What is kept is never changed afterwards: later versions are tested to open it.
"""

from __future__ import annotations

import gzip
import io
import os
import subprocess
from datetime import UTC, datetime
from pathlib import Path

import trimesh
from PIL import Image
from sqlalchemy.orm import Session

from meanbead import services, store
from meanbead.core.estimate import Engine
from meanbead.core.model import Estimate
from meanbead.core.model.run import RunEntry
from meanbead.core.part.read import read_mesh
from meanbead.core.part.solid import make_solid
from meanbead.demo.workshop import fill_if_empty
from meanbead.store import archive, cluster
from meanbead.store.database import Database
from meanbead.store.tables import RecipeRow, RunPhoto
from tests.support.people import add_people
from tests.support.server import new_database, running_cluster
from tests.support.solids import stl_bytes

HERE = Path(__file__).resolve().parent
VERSION = "0010"
"""The newest migration: what is kept is named after it."""


def dump(database: Database, name: str) -> None:
    """Keep a database as SQL that any connection can run."""
    program = cluster.binary("pg_dump")
    url = database.url.replace("postgresql+psycopg://", "postgresql://")
    words = ["--no-owner", "--no-privileges", "--inserts", "--dbname", url]
    told = subprocess.run([program, *words], capture_output=True, check=True, env={**os.environ}).stdout
    # Backslash commands are for one program only.
    lines = [line for line in told.decode().splitlines() if not line.startswith("\\")]
    with gzip.GzipFile(HERE / f"workshop-{name}.sql.gz", "wb", mtime=0) as file:
        file.write("\n".join(lines).encode())


def main() -> None:
    """Make the workshop, and keep it as this version stores it: as SQL, and as an archive."""
    running_cluster()
    database = new_database("released")
    fill_if_empty(database, samples=False)
    engine = Engine()
    with database.session.begin() as session:
        data = stl_bytes(trimesh.creation.box((20, 20, 6)))
        part = services.intake.add_read_part(
            session, make_solid(read_mesh(data, "block.stl", "")), file_name="block.stl", source=data
        )
        for column in store.recipes.recipes_of(session, part.id):
            store.versions.record_version(session, column, "Ida")
            estimate = services.estimates.computation(session, column, engine)()
            inputs = services.digests.inputs_digest(column, part.digest)
            store.estimates.save_estimate(session, inputs, column.id, estimate)
            _log(session, column, estimate)
    add_people(database, Ida="owner", Gus="guest")
    dump(database, VERSION)
    archive.write(database.url, HERE / f"archive-{VERSION}.zip")
    database.close()


def _log(session: Session, column: RecipeRow, estimate: Estimate) -> None:
    """A run of a column, tagged and photographed."""
    run = services.runs.add_run(
        session,
        column,
        estimate,
        key=f"released-{column.id:04d}",
        who="Ida",
        started_at=datetime(2026, 11, 2, 9, tzinfo=UTC),
    )
    told = RunEntry(
        state="scrapped", time_s=1500, weight_g=2.5, looks=2, faults=("strings",), note="Älter, with signs: ✓"
    )
    services.runs.change_entry(session, run, told)
    out = io.BytesIO()
    Image.new("RGB", (40, 30), (180, 80, 20)).save(out, "JPEG")
    session.add(RunPhoto(run_id=run.id, key="released-photo", name="", photo=out.getvalue(), thumbnail=out.getvalue()))


if __name__ == "__main__":
    main()
