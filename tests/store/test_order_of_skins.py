"""Recipes of before skins had an order are read as what they meant, from files and in the database."""

import json
import unittest

from alembic import command
from sqlalchemy import text

from meanbead.core.model import Recipe
from meanbead.store.database import Database, alembic_config
from tests.support.server import new_database


class OneWay(unittest.TestCase):
    def test_a_file_is_read_as_it_was_meant(self) -> None:
        for one_way, order in ((True, "one_way"), (False, "nearest"), (None, None)):
            self.assertEqual(Recipe.model_validate({"skins": {"one_way": one_way}}).skins.order, order)
        both = Recipe.model_validate({"skins": {"one_way": True, "order": "sweep"}})
        self.assertEqual(both.skins.order, "sweep")

    def test_what_is_stored_is_written_anew_and_back(self) -> None:
        database = new_database("order_of_skins")
        self.addCleanup(database.close)
        self.moved(database, "downgrade", "0015")
        kept = [{"skins": {"one_way": True, "top_mm": 1}}, {"skins": {"one_way": False}}, {"walls": 3}]
        with database.session.begin() as session:
            for version, choices in enumerate(kept):
                session.execute(
                    text(
                        "insert into recipe_versions (kind, row_id, version, at, who, content) "
                        "values ('recipes', 1, :version, now(), '', cast(:content as jsonb))"
                    ),
                    {"version": version, "content": json.dumps({"choices": choices})},
                )
        self.moved(database, "upgrade", "0016")
        self.assertEqual(self.skins(database), [{"order": "one_way", "top_mm": 1}, {"order": "nearest"}, None])
        self.moved(database, "downgrade", "0015")
        self.assertEqual(self.skins(database), [{"one_way": True, "top_mm": 1}, {"one_way": False}, None])
        self.moved(database, "upgrade", "head")

    def moved(self, database: Database, way: str, revision: str) -> None:
        with database.engine.begin() as connection:
            config = alembic_config()
            config.attributes["connection"] = connection
            getattr(command, way)(config, revision)

    def skins(self, database: Database) -> list[object]:
        with database.session.begin() as session:
            return list(
                session.scalars(text("select content #> '{choices,skins}' from recipe_versions order by version"))
            )


if __name__ == "__main__":
    unittest.main()
