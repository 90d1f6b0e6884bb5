import os
import tempfile
import unittest
from pathlib import Path

from alembic import command
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import inspect, text

from meanbead import services, store
from meanbead.core.estimate import Engine
from meanbead.core.model import Recipe
from meanbead.demo.workshop import estimate_first_columns, fill_if_empty
from meanbead.store import cluster
from meanbead.store.database import Database, alembic_config
from meanbead.store.tables import Base, Machine, Part, Purpose, RecipeRow
from tests.support.server import new_database, running_cluster
from tests.support.solids import box


class Migrations(unittest.TestCase):
    def test_migrated_schema_is_the_one_in_the_models(self) -> None:
        database = new_database("migrations")
        self.addCleanup(database.close)
        with database.engine.connect() as connection:
            context = MigrationContext.configure(connection, opts={"compare_type": True})
            # The queue's tables are its library's own.
            ours = [
                difference
                for difference in compare_metadata(context, Base.metadata)
                if "procrastinate" not in repr(difference)
            ]
            self.assertEqual(ours, [])
            tables = set(inspect(connection).get_table_names())
        self.assertLessEqual({"machines", "nozzles", "materials", "parts", "recipes", "estimates"}, tables)

    def test_the_newest_tables_can_be_taken_back_and_made_again(self) -> None:
        database = new_database("migrations_back")
        self.addCleanup(database.close)
        with database.engine.begin() as connection:
            config = alembic_config()
            config.attributes["connection"] = connection
            command.downgrade(config, "0002")
            tables = set(inspect(connection).get_table_names())
        self.assertFalse(
            {name for name in tables if name.startswith("procrastinate")} | (tables & {"jobs", "purposes"})
        )
        database.migrate()
        with database.session.begin() as session:
            self.assertEqual(len(store.rows.all_rows(session, Purpose)), 4)

    def test_migrating_again_does_nothing(self) -> None:
        database = new_database("migrations")
        self.addCleanup(database.close)

        def stands() -> tuple[list[str], str | None]:
            """Every row of every table of ours, and the revision."""
            with database.engine.connect() as connection:
                rows = [
                    f"{table.name} {row}"
                    for table in Base.metadata.sorted_tables
                    for row in connection.execute(table.select()).all()
                ]
                return sorted(rows), MigrationContext.configure(connection).get_current_revision()

        before = stands()
        self.assertTrue(before[0])
        database.migrate()
        self.assertEqual(stands(), before)

    def test_recipes_of_before_keep_what_a_renamed_key_said(self) -> None:
        database = new_database("migrations_renamed", usual=True)
        self.addCleanup(database.close)
        said = {"walls": 3, "infill": {"density": 0.2, "lines_side_by_side": 2}}
        with database.session.begin() as session:
            part = services.parts.add_part(session, box(8, 8, 2), name="Block", file_name="b.stl", source=b"")
            machine, nozzle, material = store.shelf.first_of_each(session)
            ids = {"machine_id": machine.id, "nozzle_id": nozzle.id, "material_id": material.id}
            row = store.recipes.add_recipe(session, part, name="Twins", choices=Recipe.model_validate(said), **ids)  # type: ignore[arg-type]
            plain = store.recipes.add_recipe(session, part, name="Plain", choices=Recipe(), **ids)  # type: ignore[arg-type]
            store.versions.record_version(session, row)
            row_id, plain_id = row.id, plain.id
        with database.engine.begin() as connection:
            config = alembic_config()
            config.attributes["connection"] = connection
            command.downgrade(config, "0005")
            old = connection.execute(text("select choices from recipes where id = :id"), {"id": row_id}).scalar_one()
        self.assertEqual(old["infill"], {"density": 0.2, "line_multiplier": 2})
        database.migrate()
        with database.session.begin() as session:
            self.assertEqual(store.recipes.get_recipe(session, row_id).choices, said)
            self.assertEqual(store.recipes.get_recipe(session, plain_id).choices, {})
            kept = store.versions.versions_of(session, RecipeRow, row_id)[0]
            self.assertEqual(kept.content["choices"], said)


class Cluster(unittest.TestCase):
    def test_starting_a_running_one_finds_it(self) -> None:
        running = running_cluster()
        again = cluster.start(running.folder.parent, durable=False)
        self.assertEqual((again.port, again.url), (running.port, running.url))

    def test_listens_on_loopback_only_and_asks_for_the_password(self) -> None:
        import psycopg

        running = running_cluster()
        with psycopg.connect(running.url.replace("+psycopg", "")) as connection:
            self.assertEqual(connection.execute("show listen_addresses").fetchone(), ("127.0.0.1",))
        with self.assertRaises(psycopg.OperationalError):
            psycopg.connect(host="127.0.0.1", port=running.port, user="meanbead", password="guess", dbname="postgres")

    def test_a_folder_with_other_things_is_not_touched(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            os.chmod(name, 0o755)
            folder = cluster.database_folder(Path(name))
            folder.mkdir(parents=True)
            (folder / "letter.txt").write_text("keep me")
            with self.assertRaises(cluster.ClusterError):
                cluster.start(Path(name))
            self.assertEqual((folder / "letter.txt").read_text(), "keep me")

    def test_a_taken_port_is_avoided(self) -> None:
        running = running_cluster()
        self.assertNotEqual(cluster.free_port(running.port), running.port)

    def test_stopping_what_does_not_run_is_quiet(self) -> None:
        cluster.stop(Path("/nonexistent/postgres"))


class Workshop(unittest.TestCase):
    database: Database

    @classmethod
    def setUpClass(cls) -> None:
        cls.database = new_database("workshop", usual=True)

    @classmethod
    def tearDownClass(cls) -> None:
        cls.database.close()

    def test_a_solid_comes_back_as_it_was(self) -> None:
        solid = box(20, 30, 40)
        with self.database.session.begin() as db:
            part_id = services.parts.add_part(db, solid, name="Box", file_name="box.stl", source=b"file").id
        with self.database.session.begin() as db:
            again = store.parts.load_solid(db, part_id)
            self.assertEqual(store.rows.get(db, Part, part_id).source, b"file")
        self.assertEqual(again.digest, solid.digest)
        self.assertEqual(again.vertices.tobytes(), solid.vertices.tobytes())
        self.assertEqual(again.faces.tolist(), solid.faces.tolist())

    def test_filling_twice_keeps_what_is_there(self) -> None:
        with self.database.session.begin() as db:
            machine = store.rows.all_rows(db, Machine)[0]
            machine.name = "Renamed"
        self.assertFalse(fill_if_empty(self.database, samples=True))
        with self.database.session.begin() as db:
            self.assertEqual([row.name for row in store.rows.all_rows(db, Machine)], ["Renamed"])

    def test_first_columns_are_estimated_once(self) -> None:
        with self.database.session.begin() as db:
            part = services.parts.add_part(db, box(15, 15, 5), name="Small", file_name="s.stl", source=b"x")
            machine, nozzle, material = store.shelf.first_of_each(db)
            row = store.recipes.add_recipe(
                db,
                part,
                name="One",
                machine_id=machine.id,
                nozzle_id=nozzle.id,
                material_id=material.id,
                choices=Recipe(),
            )
            recipe_id = row.id
        for _ in range(2):
            estimate_first_columns(self.database, Engine())
        with self.database.session.begin() as db:
            row = store.recipes.get_recipe(db, recipe_id)
            inputs = services.digests.inputs_digest(row, row.part.digest)
            self.assertIsNotNone(store.estimates.find_estimate(db, inputs))
            # Another machine limit is another input: the stored figure must not answer for it.
            row.machine.printer = row.machine.printer | {"start_time_s": 1}
            self.assertIsNone(store.estimates.find_estimate(db, services.digests.inputs_digest(row, row.part.digest)))
            db.rollback()

    def test_columns_are_placed_between_their_neighbours(self) -> None:
        with self.database.session.begin() as db:
            part = services.parts.add_part(db, box(15, 15, 5), name="P", file_name="p.stl", source=b"x")
            machine, nozzle, material = store.shelf.first_of_each(db)

            def add(name: str, after: RecipeRow | None = None) -> RecipeRow:
                return store.recipes.add_recipe(
                    db,
                    part,
                    name=name,
                    machine_id=machine.id,
                    nozzle_id=nozzle.id,
                    material_id=material.id,
                    choices=Recipe(),
                    after=after,
                )

            first = add("a")
            add("d")
            second = add("b", first)
            add("c", second)
            self.assertEqual([row.name for row in store.recipes.recipes_of(db, part.id)], ["a", "b", "c", "d"])
