"""Versions of recipes and poses in the store: written once, taken again, and safe against what has gone since."""

import unittest
from typing import Any

from meanbead import services, store
from meanbead.core.errors import PartError
from meanbead.core.model import Pose, Recipe
from meanbead.store import jobs
from meanbead.store.database import Database
from meanbead.store.tables import JobRow, NozzleRow, Part, Purpose, RecipeRow, plain
from tests.support.server import new_database
from tests.support.solids import box

LYING = Pose(matrix=(0, 0, 1, 0, 1, 0, -1, 0, 0))


class StoreCase(unittest.TestCase):
    database: Database

    @classmethod
    def setUpClass(cls) -> None:
        cls.database = new_database("versions", usual=True)

    @classmethod
    def tearDownClass(cls) -> None:
        cls.database.close()

    def setUp(self) -> None:
        self.session = self.database.session()
        self.addCleanup(self.session.close)
        self.part = services.parts.add_part(self.session, box(10, 20, 30), name="Brick", file_name="b.stl", source=b"")
        machine, nozzle, material = store.shelf.first_of_each(self.session)
        self.recipe = store.recipes.add_recipe(
            self.session,
            self.part,
            name="Everyday",
            machine_id=machine.id,
            nozzle_id=nozzle.id,
            material_id=material.id,
            choices=Recipe(walls=2),
        )

    def versions(self) -> list[dict[str, Any]]:
        found = store.versions.versions_of(self.session, RecipeRow, self.recipe.id)
        return [{"version": item.version, "who": item.who, **item.content} for item in found]

    def change(self, **keys: Any) -> None:
        self.recipe.choices = store.recipes.stored_choices(Recipe.model_validate(keys))
        store.versions.record_version(self.session, self.recipe, "Kim")


class Versions(StoreCase):
    def test_each_is_written_once_and_never_changed(self) -> None:
        store.versions.record_version(self.session, self.recipe, "Robin")
        store.versions.record_version(self.session, self.recipe, "Somebody else")
        self.assertEqual([(version["version"], version["who"]) for version in self.versions()], [(1, "Robin")])
        self.change(walls=5)
        self.change(walls=6)
        self.assertEqual([version["choices"].get("walls") for version in self.versions()], [6, 5, 2])

    def test_an_older_one_is_taken_again_with_its_nozzle(self) -> None:
        store.versions.record_version(self.session, self.recipe)
        first = self.recipe.nozzle_id
        other = next(row for row in store.rows.all_rows(self.session, NozzleRow) if row.id != first)
        self.recipe.nozzle = other
        self.change(walls=7)
        store.versions.restore_version(self.session, self.recipe, 1)
        store.versions.record_version(self.session, self.recipe)
        self.assertEqual((self.recipe.nozzle_id, self.recipe.choices["walls"], self.recipe.version), (first, 2, 3))

    def test_a_nozzle_that_has_gone_is_not_brought_back(self) -> None:
        gone = NozzleRow(name="worn out", nozzle={"bore_mm": 0.5})
        self.session.add(gone)
        self.session.flush()
        kept = self.recipe.nozzle_id
        self.recipe.nozzle = gone
        store.versions.record_version(self.session, self.recipe)
        self.recipe.nozzle = store.rows.get(self.session, NozzleRow, kept)
        self.change(walls=3)
        store.rows.delete(self.session, gone)
        store.versions.restore_version(self.session, self.recipe, 2)
        self.session.flush()
        self.assertEqual(self.recipe.nozzle_id, kept)
        with self.assertRaises(store.rows.NotFound):
            store.versions.restore_version(self.session, self.recipe, 77)

    def test_a_copy_keeps_where_it_came_from(self) -> None:
        twin = store.recipes.copy_recipe(self.session, self.recipe, self.part, beside=True)
        self.assertGreater(twin.position, self.recipe.position)
        self.assertEqual((twin.choices, twin.house_id), (self.recipe.choices, None))


class Poses(StoreCase):
    def test_the_mesh_as_read_stays_and_everything_else_follows(self) -> None:
        before, digest = self.part.vertices, self.part.digest
        services.parts.set_pose(self.session, self.part, LYING)
        self.assertEqual(self.part.vertices, before)
        self.assertNotEqual(self.part.digest, digest)
        self.assertEqual(self.part.facts["extents_mm"], {"x": 30.0, "y": 20.0, "z": 10.0})
        stood = store.parts.load_solid(self.session, self.part.id)
        self.assertEqual(stood.digest, self.part.digest)
        services.parts.set_pose(self.session, self.part, Pose())
        self.assertEqual((self.part.digest, self.part.pose), (digest, {}))

    def test_a_size_that_cannot_be_changes_nothing(self) -> None:
        digest = self.part.digest
        with self.assertRaises(PartError):
            services.parts.set_pose(self.session, self.part, Pose(matrix=(900, 0, 0, 0, 900, 0, 0, 0, 900)))
        self.assertEqual((self.part.digest, self.part.pose), (digest, {}))

    def test_figures_of_another_pose_are_others(self) -> None:
        digests = set()
        for pose in (Pose(), LYING, Pose(matrix=(2, 0, 0, 0, 2, 0, 0, 0, 2))):
            services.parts.set_pose(self.session, self.part, pose)
            digests.add(services.digests.inputs_digest(self.recipe, self.part.digest))
        self.assertEqual(len(digests), 3)

    def test_purposes_come_with_the_tables(self) -> None:
        names = [row.name for row in store.rows.all_rows(self.session, Purpose)]
        self.assertEqual(names, ["Show piece", "Everyday", "Workhorse", "Draft"])
        self.assertEqual(plain(Pose())["matrix"][0], 1.0)
        self.assertIsNone(self.session.get_one(Part, self.part.id).purpose_id)


class Rows(StoreCase):
    def test_a_done_job_is_found_again_unless_it_is_to_be_done_anew(self) -> None:
        row, new = jobs.find_or_add(self.session, "stances", "x", {})
        self.assertTrue(new)
        jobs.begin(self.session, row.id, "one")
        jobs.end(self.session, row.id, "one", "done", result={"ways": []})
        self.session.expire_all()
        self.assertEqual(jobs.find_or_add(self.session, "stances", "x", {})[0].id, row.id)
        again, fresh = jobs.find_or_add(self.session, "stances", "x", {}, again=True)
        self.assertTrue(fresh and again.id != row.id)
        jobs.begin(self.session, again.id, "one")
        jobs.end(self.session, again.id, "another", "done", result={"ways": []})  # it was taken away from that one
        jobs.end(self.session, again.id, "one", "failed", problem="it broke")
        self.session.expire_all()
        failed = self.session.get_one(JobRow, again.id)
        self.assertEqual((failed.state, failed.problem), ("failed", "it broke"))
        anew, fresh = jobs.find_or_add(self.session, "stances", "x", {}, again=True)
        self.assertTrue(fresh and anew.id not in (row.id, again.id))
        self.assertEqual(jobs.digest_of("a", [1]), jobs.digest_of("a", [1]))
        self.assertNotEqual(jobs.digest_of("a", [1]), jobs.digest_of("b", [1]))


if __name__ == "__main__":
    unittest.main()
