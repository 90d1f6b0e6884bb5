"""Keep a small workshop as this version stores it: ``.venv/bin/python -m tests.released.make``, once a released version.

What is kept is never changed afterwards: later versions are tested to open it.
"""

from __future__ import annotations

import gzip
import os
import subprocess
from pathlib import Path

import trimesh
from alembic import command

from meanbead import services, store
from meanbead.core.estimate import Engine
from meanbead.core.part.read import read_mesh
from meanbead.core.part.solid import make_solid
from meanbead.demo.workshop import fill_if_empty
from meanbead.store import cluster
from meanbead.store.database import Database, alembic_config
from tests.support.people import add_people
from tests.support.server import new_database, running_cluster
from tests.support.solids import stl_bytes

HERE = Path(__file__).resolve().parent
BEFORE = "0008"
"""The first version that is kept in this way had one before it, whose tables are those of now with the newest taken back."""


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
    """Make the workshop, and keep it as of now and as of the version before."""
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
    add_people(database, Ida="owner", Gus="guest")
    dump(database, "0009")
    with database.engine.begin() as connection:
        config = alembic_config()
        config.attributes["connection"] = connection
        command.downgrade(config, BEFORE)
    dump(database, BEFORE)
    database.close()


if __name__ == "__main__":
    main()
