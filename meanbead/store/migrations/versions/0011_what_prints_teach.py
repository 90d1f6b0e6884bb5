"""Experiments with their cells, comparisons and measurements; ledgers of runs made again"""

from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None

TOLD = ("experiments", "comparisons", "measurements")
"""Tables whose changes the pages hear of."""

_NOTICE = """
create or replace function tell_change() returns trigger language plpgsql as $$
declare
  now_row jsonb := to_jsonb(new)
    - array['source', 'vertices', 'faces', 'picture', 'photo', 'guessed_faces', 'facts', 'thumbnail', 'snapshot', 'entry'];
begin
  perform pg_notify('meanbead_changes', json_build_object(
    'table', tg_table_name, 'id', new.id, 'version', new.version,
    'of', coalesce(now_row ->> 'run_id', now_row ->> 'part_id', now_row ->> 'test_id'{more}))::text);
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
        "experiments",
        *_versioned(),
        *(sa.Column(f"{name}_id", sa.Integer(), nullable=False) for name in ("part", "machine", "nozzle", "material")),
        sa.Column("choices", JSONB(), nullable=False),
        sa.Column("grid", JSONB(), nullable=False),
        sa.Column("note", sa.String(length=1000), nullable=False),
        sa.Column("kept", JSONB(), nullable=True),
        *(_refers("experiments", f"{name}_id", f"{name}s") for name in ("part", "machine", "nozzle", "material")),
        sa.PrimaryKeyConstraint("id", name="pk_experiments"),
    )
    op.create_index("ix_experiments_part_id", "experiments", ["part_id"])
    op.create_table(
        "comparisons",
        *_versioned(),
        sa.Column("key", sa.String(length=40), nullable=False),
        *(sa.Column(f"{name}_id", sa.Integer(), nullable=False) for name in ("experiment", "better", "other")),
        sa.Column("even", sa.Boolean(), nullable=False),
        sa.Column("spot", sa.String(length=40), nullable=False),
        sa.Column("who", sa.String(length=60), nullable=False),
        _refers("comparisons", "experiment_id", "experiments", ondelete="CASCADE"),
        _refers("comparisons", "better_id", "recipes", ondelete="CASCADE"),
        _refers("comparisons", "other_id", "recipes", ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name="pk_comparisons"),
        sa.UniqueConstraint("key", name="uq_comparisons_key"),
    )
    op.create_index("ix_comparisons_experiment_id", "comparisons", ["experiment_id"])
    op.create_table(
        "measurements",
        *_versioned(),
        sa.Column("key", sa.String(length=40), nullable=False),
        *(sa.Column(f"{name}_id", sa.Integer(), nullable=False) for name in ("experiment", "recipe")),
        sa.Column("measured", JSONB(), nullable=False),
        sa.Column("who", sa.String(length=60), nullable=False),
        _refers("measurements", "experiment_id", "experiments", ondelete="CASCADE"),
        _refers("measurements", "recipe_id", "recipes", ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name="pk_measurements"),
        sa.UniqueConstraint("key", name="uq_measurements_key"),
    )
    op.create_index("ix_measurements_experiment_id", "measurements", ["experiment_id"])
    op.add_column("recipes", sa.Column("experiment_id", sa.Integer(), nullable=True))
    op.add_column("recipes", sa.Column("cell", JSONB(), nullable=True))
    op.create_foreign_key(
        "fk_recipes_experiment_id", "recipes", "experiments", ["experiment_id"], ["id"], ondelete="CASCADE"
    )
    op.create_index("ix_recipes_experiment_id", "recipes", ["experiment_id"])
    op.add_column("runs", sa.Column("again", JSONB(), nullable=True))
    op.execute(_NOTICE.format(more=", now_row ->> 'experiment_id'"))
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
    op.drop_column("runs", "again")
    op.drop_index("ix_recipes_experiment_id", "recipes")
    op.drop_constraint("fk_recipes_experiment_id", "recipes", type_="foreignkey")
    op.drop_column("recipes", "cell")
    op.drop_column("recipes", "experiment_id")
    for table in ("measurements", "comparisons", "experiments"):
        op.drop_table(table)
