"""Background work on files for machines."""

from __future__ import annotations

from typing import Any

from meanbead import services, store
from meanbead.jobs.work import Toolbox, Work

__all__ = ["KINDS"]


def make_file(tools: Toolbox, arguments: dict[str, Any]) -> dict[str, Any]:
    """A column's file, written or taken, and looked over. Arguments: ``recipe_id``. Its estimate is kept, too, so that a print of
    it is in the log with what was promised."""
    with tools.database.session.begin() as session:
        row = store.recipes.get_recipe(session, arguments["recipe_id"])
        wanted = services.print_files.wanted_file(session, row)
        digest = services.digests.inputs_digest(row, row.part.digest)
        known = store.estimates.find_estimate(session, digest)
        compute = None if known is not None else services.estimates.computation(session, row, tools.engine)
    if compute is not None:
        tools.progress(0.0, "computing what it takes")
        estimate = compute()
        with tools.database.session.begin() as session:
            store.estimates.save_estimate(session, digest, arguments["recipe_id"], estimate)
    file_id = services.print_files.make_file(tools.database, tools.engine, wanted, tools.progress)
    return {"file_id": file_id}


KINDS: dict[str, Work] = {"file": make_file}
