"""What advice reads of the store around a column: purpose, house, the fullest spool, nozzles, the first column's shell."""

from __future__ import annotations

from datetime import UTC, date, datetime, timedelta
from typing import Any

from meanbead import store
from meanbead.core.estimate import Engine
from meanbead.core.formulas.strength import shell_mm
from meanbead.services.advice import AdviceInputs, load_advice
from meanbead.store.tables import Machine, MaterialRow, NozzleRow, Purpose, SpoolRow
from tests.api.test_api import ApiCase

WEDNESDAY = datetime(2024, 5, 15, 9, 30, tzinfo=UTC)


class AroundAColumn(ApiCase):
    def looked_at(self, recipe_id: int, moment: datetime | None = None) -> AdviceInputs:
        with self.database.session.begin() as session:
            return load_advice(session, store.recipes.get_recipe(session, recipe_id), moment)

    def spool(self, left_g: float, dried_on: date | None) -> int:
        with self.database.session.begin() as session:
            material = store.rows.all_rows(session, MaterialRow)[0]
            row = SpoolRow(name="Spool", material_id=material.id, left_g=left_g, dried_on=dried_on)
            session.add(row)
            session.flush()
            return row.id

    def take_off(self, *ids: int) -> None:
        with self.database.session.begin() as session:
            for recipe_id in ids:
                store.rows.delete(session, session.get_one(SpoolRow, recipe_id))

    def test_without_a_purpose_no_limit_holds(self) -> None:
        found = self.looked_at(self.columns(self.upload())[0]["id"])
        self.assertEqual(set(found.limits.model_dump().values()), {None})
        self.assertEqual(len(found.nozzles), 2)
        self.assertIsNone(found.shop.spool_left_g)
        self.assertIsNone(found.shop.spool_dry)
        self.assertIsNone(found.shop.now_h)

    def test_a_column_that_is_removed_while_it_is_read_stands_alone(self) -> None:
        part = self.upload()
        with self.database.session.begin() as session:
            row = store.recipes.get_recipe(session, self.columns(part)[0]["id"])
            for column in store.recipes.recipes_of(session, part["id"]):
                store.rows.delete(session, column)
            self.assertIsNone(load_advice(session, row).shell_before_mm)

    def test_the_purpose_sets_the_limits(self) -> None:
        part = self.upload()
        with self.database.session.begin() as session:
            purpose = next(row for row in store.rows.all_rows(session, Purpose) if row.name == "Workhorse")
            requested = purpose.id
        self.call("PATCH", f"/api/parts/{part['id']}", {"version": part["version"], "purpose_id": requested})
        self.assertEqual(self.looked_at(self.columns(part)[0]["id"]).limits.shell_mm, 1.6)

    def test_the_fullest_spool_speaks_and_dryness_wears_off(self) -> None:
        column = self.columns(self.upload())[0]["id"]
        with self.database.session.begin() as session:
            row = store.rows.all_rows(session, MaterialRow)[0]
            before = row.material
            row.material = before | {"damp_prone": True, "open_hours": 48}
        spools = [self.spool(300, None), self.spool(700, WEDNESDAY.date() - timedelta(days=1))]
        found = self.looked_at(column, WEDNESDAY).shop
        self.assertEqual((found.spool_left_g, found.spool_dry), (700, True))
        later = self.looked_at(column, WEDNESDAY + timedelta(days=2)).shop
        self.assertIs(later.spool_dry, False)
        self.assertIn("3 days ago", later.spool_says)
        self.take_off(spools[1])
        left = self.looked_at(column, WEDNESDAY).shop
        self.assertEqual((left.spool_left_g, left.spool_dry), (300, None))
        self.take_off(spools[0])
        with self.database.session.begin() as session:
            store.rows.all_rows(session, MaterialRow)[0].material = before

    def test_the_columns_own_spool_goes_before_the_machines_and_that_before_the_fullest(self) -> None:
        column = self.columns(self.upload())[0]
        spools = [self.spool(grams, None) for grams in (200, 400, 900)]

        def left() -> float | None:
            return self.looked_at(column["id"]).shop.spool_left_g

        self.assertEqual(left(), 900)
        with self.database.session.begin() as session:
            store.rows.get(session, Machine, column["machine_id"]).spool_id = spools[1]
        self.assertEqual(left(), 400)
        body = {"version": column["version"], "spool_id": spools[0]}
        told = self.call("PATCH", f"/api/recipes/{column['id']}", body)
        self.assertEqual((told["spool_id"], left()), (spools[0], 200))
        with self.database.session.begin() as session:
            store.rows.get(session, Machine, column["machine_id"]).spool_id = None
        self.take_off(*spools)

    def test_the_hour_is_that_of_the_week_and_does_not_make_advice_new(self) -> None:
        column = self.columns(self.upload())[0]["id"]
        found = self.looked_at(column, WEDNESDAY)
        self.assertEqual(found.shop.now_h, 2 * 24 + 9.5)
        self.assertEqual(found.inputs(), self.looked_at(column).inputs())

    def test_a_changed_house_makes_advice_new(self) -> None:
        column = self.columns(self.upload())[0]["id"]
        before = self.looked_at(column).inputs()
        with self.database.session.begin() as session:
            row = store.house.house_of(session)
            row.rules = {"seam": "scattered"}
        self.assertNotEqual(self.looked_at(column).inputs(), before)
        with self.database.session.begin() as session:
            store.house.house_of(session).rules = {}
        self.assertEqual(self.looked_at(column).inputs(), before)

    def test_another_nozzle_is_held_against_the_first_columns_shell(self) -> None:
        first, second = self.columns(self.upload())
        self.assertNotEqual(first["nozzle_id"], second["nozzle_id"])
        self.assertIsNone(self.looked_at(first["id"]).shell_before_mm)
        shell = self.looked_at(second["id"]).shell_before_mm
        job = self.looked_at(first["id"]).job
        context = self.looked_at(first["id"]).context(Engine())
        self.assertAlmostEqual(shell or 0, shell_mm(context.rule_input(job).plan))

    def test_a_missing_nozzle_is_named(self) -> None:
        column: dict[str, Any] = self.columns(self.upload())[0]
        with self.database.session.begin() as session:
            unknown = max(row.id for row in store.rows.all_rows(session, NozzleRow)) + 1
        body = {"copy_of": column["id"], "settings": [{"key": "nozzle", "value": unknown}]}
        problem = self.call("POST", f"/api/parts/{column['part_id']}/recipes", body, 422)
        self.assertIn("on hand", problem["detail"])
