"""Runs with their photos, the journal of changes, and how CSV files were matched"""

from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import ARRAY, JSONB

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None

TOLD = ("runs", "run_photos", "journal")
"""Tables whose changes the pages hear of."""

_NOTICE = """
create or replace function tell_change() returns trigger language plpgsql as $$
declare
  now_row jsonb := to_jsonb(new)
    - array['source', 'vertices', 'faces', 'picture', 'photo', 'guessed_faces', 'facts'{more}];
begin
  perform pg_notify('meanbead_changes', json_build_object(
    'table', tg_table_name, 'id', new.id, 'version', new.version,
    'of', coalesce({of}now_row ->> 'part_id', now_row ->> 'test_id'))::text);
  return null;
end $$
"""


def _versioned() -> list[sa.Column[Any]]:
    return [
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("updated_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("deleted_at", sa.DateTime(timezone=True), nullable=True),
    ]


def _refers(table: str, column: str, to: str, ondelete: str | None = None) -> sa.ForeignKeyConstraint:
    return sa.ForeignKeyConstraint([column], [f"{to}.id"], name=f"fk_{table}_{column}", ondelete=ondelete)


def upgrade() -> None:
    op.create_table(
        "runs",
        *_versioned(),
        sa.Column("key", sa.String(length=40), nullable=False),
        *(
            sa.Column(name, sa.Integer(), nullable=True)
            for name in ("part_id", "recipe_id", "machine_id", "nozzle_id", "material_id", "spool_id", "follows_id")
        ),
        sa.Column("tries_cause", sa.String(length=40), nullable=False),
        sa.Column("who", sa.String(length=60), nullable=False),
        sa.Column("plates", sa.Integer(), nullable=False),
        sa.Column("copies", sa.Integer(), nullable=False),
        sa.Column("started_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("snapshot", JSONB(), nullable=False),
        sa.Column("entry", JSONB(), nullable=False),
        sa.Column("state", sa.String(length=10), nullable=False),
        sa.Column("faults", ARRAY(sa.String(length=40)), nullable=False),
        *(
            sa.Column(name, sa.String(length=120), nullable=False)
            for name in ("column_name", "machine_name", "nozzle_name", "material_name", "plastic")
        ),
        sa.Column("predicted_s", sa.Float(), nullable=True),
        sa.Column("predicted_g", sa.Float(), nullable=True),
        sa.Column("real_s", sa.Float(), nullable=True),
        sa.Column("hours", sa.Float(), nullable=False),
        sa.Column("booked", JSONB(), nullable=False),
        sa.Column("proof", JSONB(), nullable=True),
        _refers("runs", "part_id", "parts"),
        _refers("runs", "recipe_id", "recipes"),
        _refers("runs", "machine_id", "machines"),
        _refers("runs", "nozzle_id", "nozzles"),
        _refers("runs", "material_id", "materials"),
        _refers("runs", "spool_id", "spools"),
        _refers("runs", "follows_id", "runs"),
        sa.PrimaryKeyConstraint("id", name="pk_runs"),
        sa.UniqueConstraint("key", name="uq_runs_key"),
    )
    op.create_index("ix_runs_part_started", "runs", ["part_id", "started_at"])
    op.create_index("ix_runs_machine_started", "runs", ["machine_id", "started_at"])
    op.create_index("ix_runs_started", "runs", ["started_at", "id"])
    op.create_index("ix_runs_faults", "runs", ["faults"], postgresql_using="gin")
    op.create_index("ix_runs_follows_id", "runs", ["follows_id"])
    op.create_table(
        "run_photos",
        *_versioned(),
        sa.Column("run_id", sa.Integer(), nullable=False),
        sa.Column("key", sa.String(length=40), nullable=False),
        sa.Column("photo", sa.LargeBinary(), nullable=False),
        sa.Column("thumbnail", sa.LargeBinary(), nullable=False),
        _refers("run_photos", "run_id", "runs", ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name="pk_run_photos"),
        sa.UniqueConstraint("run_id", "key", name="uq_run_photos_run_id"),
    )
    op.create_table(
        "journal",
        *_versioned(),
        sa.Column("key", sa.String(length=40), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("kind", sa.String(length=20), nullable=False),
        *(sa.Column(name, sa.Integer(), nullable=True) for name in ("machine_id", "nozzle_id", "spool_id")),
        sa.Column("before", JSONB(), nullable=False),
        sa.Column("after", JSONB(), nullable=False),
        sa.Column("note", sa.String(length=1000), nullable=False),
        sa.Column("who", sa.String(length=60), nullable=False),
        _refers("journal", "machine_id", "machines"),
        _refers("journal", "nozzle_id", "nozzles"),
        _refers("journal", "spool_id", "spools"),
        sa.PrimaryKeyConstraint("id", name="pk_journal"),
        sa.UniqueConstraint("key", name="uq_journal_key"),
    )
    op.create_index("ix_journal_machine_at", "journal", ["machine_id", "at"])
    op.create_index("ix_journal_at", "journal", ["at"])
    op.create_table(
        "import_columns",
        sa.Column("headings", sa.String(length=64), nullable=False),
        sa.Column("matched", JSONB(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint("headings", name="pk_import_columns"),
    )
    op.add_column("recipes", sa.Column("tries_run_id", sa.Integer(), nullable=True))
    op.add_column("recipes", sa.Column("tries_cause", sa.String(length=40), nullable=False, server_default=""))
    op.create_foreign_key("fk_recipes_tries_run_id", "recipes", "runs", ["tries_run_id"], ["id"])
    op.create_index("ix_recipes_tries_run_id", "recipes", ["tries_run_id"])
    op.add_column("machines", sa.Column("panel", sa.String(length=12), nullable=False, server_default=""))
    op.add_column("house", sa.Column("scale_address", sa.String(length=200), nullable=False, server_default=""))
    for table, column in (("recipes", "tries_cause"), ("machines", "panel"), ("house", "scale_address")):
        op.alter_column(table, column, server_default=None)
    generations = sa.table("generations", sa.column("name"), sa.column("count"))
    op.bulk_insert(generations, [{"name": "restores", "count": 0}])
    op.execute(_NOTICE.format(more=", 'thumbnail', 'snapshot', 'entry'", of="now_row ->> 'run_id', "))
    for table in TOLD:
        made = "for each row execute function tell_change()"
        op.execute(f"create trigger tell_added after insert on {table} {made}")
        op.execute(
            f"create trigger tell_changed after update on {table} for each row "
            "when (old.version is distinct from new.version) execute function tell_change()"
        )


def downgrade() -> None:
    for table in TOLD:
        op.execute(f"drop trigger tell_added on {table}")
        op.execute(f"drop trigger tell_changed on {table}")
    op.execute(_NOTICE.format(more="", of=""))
    op.execute("delete from generations where name = 'restores'")
    op.drop_column("house", "scale_address")
    op.drop_column("machines", "panel")
    op.drop_constraint("fk_recipes_tries_run_id", "recipes", type_="foreignkey")
    op.drop_column("recipes", "tries_cause")
    op.drop_column("recipes", "tries_run_id")
    for table in ("import_columns", "journal", "run_photos", "runs"):
        op.drop_table(table)
