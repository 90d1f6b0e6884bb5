"""A large workshop, made by code: parts by the thousand, their columns, and years of estimates."""

from __future__ import annotations

from datetime import UTC, datetime

from sqlalchemy import select, text
from sqlalchemy.orm import Session, lazyload

from meanbead import services, store
from meanbead.core.estimate import Engine
from meanbead.core.model import Recipe
from meanbead.core.model.run import RunEntry
from meanbead.demo.workshop import fill_if_empty
from meanbead.store.database import Database
from meanbead.store.tables import Part, RecipeRow, RunRow

__all__ = ["fill", "fill_log"]

_HEIGHTS_MM = (0.12, 0.16, 0.2, 0.24, 0.28)


def fill(database: Database, *, parts: int = 1_000, columns: int = 5, estimates: int = 100_000) -> None:
    """Fill a database that is empty but migrated: the sample workshop, its parts again and again under other names, columns
    with heights of their own, one estimate of each column as it stands, and old ones up to ``estimates``."""
    fill_if_empty(database, samples=True)
    with database.session.begin() as session:
        models = list(store.rows.all_rows(session, Part))
        like = store.recipes.recipes_of(session, models[0].id)[0]
        for number in range(len(models), parts):
            _copy_part(session, models[number % len(models)].id, f"Bracket {number:04d}")
        session.execute(text("delete from estimates"))
        session.execute(text("delete from recipe_versions"))
        session.execute(text("update parts set chosen_id = null"))
        session.execute(text("delete from queue_items"))
        session.execute(text("delete from plates"))
        session.execute(text("delete from recipes"))
        rows = [
            {
                "part_id": part_id,
                "name": f"Height {_HEIGHTS_MM[number % len(_HEIGHTS_MM)]:g}, {2 + number // len(_HEIGHTS_MM)} walls",
                "position": float(number),
                "machine_id": like.machine_id,
                "nozzle_id": like.nozzle_id,
                "material_id": like.material_id,
                "choices": store.recipes.stored_choices(
                    Recipe(layer_height_mm=_HEIGHTS_MM[number % len(_HEIGHTS_MM)], walls=2 + number // len(_HEIGHTS_MM))
                ),
            }
            for part_id in session.scalars(text("select id from parts order by id")).all()
            for number in range(columns)
        ]
        session.execute(RecipeRow.__table__.insert(), [row | {"version": 1} for row in rows])  # type: ignore[attr-defined]
    _estimate(database, estimates)


def fill_log(database: Database, *, runs: int = 5_000) -> None:
    """A long log: one real run of the first column again and again, over two years, every ninth tagged, of many parts."""
    with database.session.begin() as session:
        part_id = session.scalars(text("select id from parts order by id")).first()
        column = store.recipes.recipes_of(session, int(part_id or 0))[0]
        estimate = services.estimates.computation(session, column, Engine(), 24)()
        run = services.runs.add_run(
            session, column, estimate, key="the-first-run", who="Ida", started_at=datetime.now(UTC)
        )
        services.runs.change_entry(session, run, RunEntry(state="kept", time_s=3600, weight_g=20.0), booked=False)
        others = [one.name for one in RunRow.__table__.columns if one.name not in _OWN]
        kept = ", ".join(others)
        session.execute(
            text(
                f"insert into runs (key, part_id, started_at, faults, {kept}) select 'run-' || n, "
                "(select id from parts order by id offset n % (select count(*) from parts) limit 1), "
                "now() - n * interval '3 hours', case when n % 9 = 0 then array['strings'] else array[]::varchar[] end, "
                f"{kept} from runs, generate_series(1, :runs) n where runs.id = :one"
            ),
            {"runs": runs - 1, "one": run.id},
        )


_OWN = ("id", "key", "part_id", "started_at", "faults")


def _copy_part(session: Session, like: int, name: str) -> None:
    kept = "file_name, facts, digest, note, pose, quantity, source, vertices, faces, picture"
    session.execute(
        text(
            f"insert into parts (name, version, created_at, updated_at, {kept}) "
            f"select :name, 1, now(), now(), {kept} from parts where id = :like"
        ),
        {"name": name, "like": like},
    )


def _estimate(database: Database, count: int) -> None:
    """The figures of one real estimate under everybody's digest; what is measured is reading them, not their truth."""
    with database.session.begin() as session:
        part_id = session.scalars(text("select id from parts order by id")).first()
        row = store.recipes.recipes_of(session, int(part_id or 0))[0]
        result = services.estimates.computation(session, row, Engine(), 24)()
        session.execute(text("create temporary table one (result jsonb) on commit drop"))
        session.execute(text("insert into one values (cast(:result as jsonb))"), {"result": result.model_dump_json()})
        about = store.around.around(session)
        columns = session.scalars(select(RecipeRow).options(lazyload("*"))).all()
        # Copies of a part are one solid: each digest is computed once a solid and choice.
        digests = [
            {"inputs": services.digests.inputs_digest(column, column.part.digest, about), "recipe": column.id}
            for column in columns
        ]
        known = len({one["inputs"] for one in digests})
        session.execute(
            text(
                "insert into estimates (inputs, recipe_id, engine_version, result, created_at) "
                "select :inputs, :recipe, 'b', result, now() from one on conflict do nothing"
            ),
            digests,
        )
        session.execute(
            text(
                "insert into estimates (inputs, recipe_id, engine_version, result, created_at) "
                "select md5(n::text) || md5(n::text), r.id, 'b', result, now() - n * interval '1 minute' "
                "from one, generate_series(1, :left) n "
                "join (select id, row_number() over (order by id) as place, count(*) over () as many from recipes) r "
                "on r.place = n % r.many + 1"
            ),
            {"left": max(count - known, 0)},
        )
    with database.engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
        connection.execute(text("analyze"))
