"""Answers that are kept go by a state; whatever they are made of has to be in it."""

from __future__ import annotations

import re
from typing import Any
from unittest import mock

from sqlalchemy import event

from meanbead.api import kept
from meanbead.store.state import STATE_TABLES, workshop_state
from meanbead.store.tables import Base
from tests.api.test_api import ApiCase

COUNTED = {"estimates", "generations"}
"""Estimates are only ever added, and counted; the counters are part of the state."""


class Kept(ApiCase):
    def read_by(self, address: str) -> tuple[bool, set[str]]:
        """Whether an answer is kept, and the tables that are read for it once its state is known."""
        statements: list[str] = []

        def state(*asked: Any) -> tuple[str, int]:
            known = workshop_state(*asked)
            statements.clear()  # who asks was looked up before, and is no part of the answer
            return known

        def hear(connection: Any, cursor: Any, statement: str, *rest: Any) -> None:
            statements.append(statement)

        event.listen(self.database.engine, "before_cursor_execute", hear)
        try:
            with mock.patch.object(kept, "workshop_state", side_effect=state) as asked:
                self.client.get(address)
        finally:
            event.remove(self.database.engine, "before_cursor_execute", hear)
        words = {word for one in statements for word in re.findall(r"(?:from|join)\s+\"?(\w+)", one, re.IGNORECASE)}
        return asked.called, words & set(Base.metadata.tables)

    def test_what_is_kept_is_made_of_what_its_state_tells_apart(self) -> None:
        part = self.upload()
        self.columns(part)
        found = []
        for rule in self.app.url_map.iter_rules():
            if "GET" not in (rule.methods or ()) or not rule.rule.startswith("/api/") or "changes" in rule.rule:
                continue
            is_kept, tables = self.read_by(re.sub(r"<[^>]+>", str(part["id"]), rule.rule))
            if is_kept:
                found.append(rule.rule)
                self.assertLessEqual(tables, STATE_TABLES | COUNTED, f"{rule.rule} reads what its state leaves out")
        self.assertLessEqual({"/api/parts", "/api/shelf", "/api/parts/<int:part_id>/recipes"}, set(found))
