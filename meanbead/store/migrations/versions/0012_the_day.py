"""Plates, the queue, hours that are not as every week, and the day's plan"""

from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None

TOLD = ("plates", "queue_items", "hours_exceptions", "day_plans")
"""Tables whose changes the pages hear of."""

_NOTICE = """
create or replace function tell_change() returns trigger language plpgsql as $$
declare
  now_row jsonb := to_jsonb(new)
    - array['source', 'vertices', 'faces', 'picture', 'photo', 'guessed_faces', 'facts', 'thumbnail', 'snapshot', 'entry'{more}];
begin
  perform pg_notify('meanbead_changes', json_build_object(
    'table', tg_table_name, 'id', new.id, 'version', new.version,
    'of', coalesce(now_row ->> 'run_id', now_row ->> 'part_id', now_row ->> 'test_id', now_row ->> 'experiment_id'))::text);
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


def _refers(table: str, column: str, to: str) -> sa.ForeignKeyConstraint:
    return sa.ForeignKeyConstraint([column], [f"{to}.id"], name=f"fk_{table}_{column}")


def _moment(name: str, *, nullable: bool = False) -> sa.Column[Any]:
    return sa.Column(name, sa.DateTime(timezone=True), nullable=nullable)


def upgrade() -> None:
    op.create_table(
        "plates",
        *_versioned(),
        sa.Column("recipe_id", sa.Integer(), nullable=False),
        sa.Column("machine_id", sa.Integer(), nullable=False),
        sa.Column("order", sa.String(length=12), nullable=False),
        sa.Column("gap_mm", sa.Float(), nullable=True),
        sa.Column("items", JSONB(), nullable=False),
        sa.Column("part_id", sa.Integer(), nullable=True),
        sa.Column("note", sa.String(length=1000), nullable=False),
        _refers("plates", "recipe_id", "recipes"),
        _refers("plates", "machine_id", "machines"),
        _refers("plates", "part_id", "parts"),
        sa.PrimaryKeyConstraint("id", name="pk_plates"),
    )
    op.create_table(
        "queue_items",
        *_versioned(),
        sa.Column("key", sa.String(length=40), nullable=False),
        sa.Column("recipe_id", sa.Integer(), nullable=False),
        sa.Column("plate_id", sa.Integer(), nullable=True),
        sa.Column("quantity", sa.Integer(), nullable=False),
        sa.Column("per_plate", sa.Integer(), nullable=False),
        _moment("due_at", nullable=True),
        sa.Column("priority", sa.Integer(), nullable=False),
        sa.Column("may_pick", sa.Boolean(), nullable=False),
        sa.Column("machine_ids", JSONB(), nullable=False),
        sa.Column("material_id", sa.Integer(), nullable=True),
        sa.Column("pins", JSONB(), nullable=False),
        sa.Column("again_of_id", sa.Integer(), nullable=True),
        sa.Column("note", sa.String(length=1000), nullable=False),
        _refers("queue_items", "recipe_id", "recipes"),
        _refers("queue_items", "plate_id", "plates"),
        _refers("queue_items", "material_id", "materials"),
        _refers("queue_items", "again_of_id", "runs"),
        sa.PrimaryKeyConstraint("id", name="pk_queue_items"),
        sa.UniqueConstraint("key", name="uq_queue_items_key"),
    )
    op.create_table(
        "hours_exceptions",
        *_versioned(),
        _moment("from_at"),
        _moment("to_at"),
        sa.Column("there", sa.Boolean(), nullable=False),
        sa.Column("source", sa.String(length=300), nullable=False),
        sa.PrimaryKeyConstraint("id", name="pk_hours_exceptions"),
    )
    op.create_index("ix_hours_exceptions_source", "hours_exceptions", ["source"])
    op.create_table(
        "day_plans",
        *_versioned(),
        sa.Column("inputs", sa.String(length=64), nullable=False),
        sa.Column("plan", JSONB(), nullable=False),
        sa.Column("moved", JSONB(), nullable=False),
        sa.Column("notes", JSONB(), nullable=False),
        _moment("made_at"),
        sa.PrimaryKeyConstraint("id", name="pk_day_plans"),
    )
    op.add_column("runs", sa.Column("queue_id", sa.Integer(), nullable=True))
    op.add_column("runs", sa.Column("queue_plate", sa.Integer(), nullable=True))
    op.add_column("runs", sa.Column("delay_s", sa.Float(), nullable=False, server_default="0"))
    op.create_foreign_key("fk_runs_queue_id", "runs", "queue_items", ["queue_id"], ["id"])
    op.create_index("ix_runs_queue_id", "runs", ["queue_id"])
    op.add_column("machines", sa.Column("head", JSONB(), nullable=False, server_default="{}"))
    op.add_column("house", sa.Column("day", JSONB(), nullable=False, server_default="{}"))
    op.execute(_NOTICE.format(more=", 'plan'"))
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
    op.execute(_NOTICE.format(more=""))
    op.drop_column("house", "day")
    op.drop_column("machines", "head")
    op.drop_index("ix_runs_queue_id", "runs")
    op.drop_constraint("fk_runs_queue_id", "runs", type_="foreignkey")
    for column in ("delay_s", "queue_plate", "queue_id"):
        op.drop_column("runs", column)
    for table in ("day_plans", "hours_exceptions", "queue_items", "plates"):
        op.drop_table(table)
