"""Poses and purposes of parts, house recipes, versions of recipes, background jobs"""

from datetime import UTC, datetime
from typing import Any

import sqlalchemy as sa
from alembic import op
from procrastinate.schema import SchemaManager
from sqlalchemy.dialects.postgresql import JSONB

from meanbead.core.model.purpose import PURPOSES

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def _kept(*columns: sa.Column[Any]) -> list[sa.Column[Any]]:
    return [
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("updated_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("deleted_at", sa.DateTime(timezone=True), nullable=True),
        *columns,
    ]


def upgrade() -> None:
    purposes = op.create_table("purposes", *_kept(sa.Column("limits", JSONB(), nullable=False)))
    now = datetime.now(UTC)
    op.bulk_insert(
        purposes,
        [
            {
                "name": name,
                "version": 1,
                "created_at": now,
                "updated_at": now,
                "limits": limits.model_dump(exclude_none=True),
            }
            for name, limits in PURPOSES.items()
        ],
    )
    op.add_column("parts", sa.Column("pose", JSONB(), nullable=False, server_default="{}"))
    op.add_column("parts", sa.Column("purpose_id", sa.Integer(), nullable=True))
    op.create_foreign_key(op.f("fk_parts_purpose_id"), "parts", "purposes", ["purpose_id"], ["id"])
    op.add_column("parts", sa.Column("quantity", sa.Integer(), nullable=False, server_default="1"))
    op.add_column("parts", sa.Column("due_on", sa.Date(), nullable=True))
    op.create_table(
        "house_recipes",
        *_kept(
            sa.Column("machine_id", sa.Integer(), sa.ForeignKey("machines.id"), nullable=False),
            sa.Column("nozzle_id", sa.Integer(), sa.ForeignKey("nozzles.id"), nullable=False),
            sa.Column("material_id", sa.Integer(), sa.ForeignKey("materials.id"), nullable=False),
            sa.Column("choices", JSONB(), nullable=False),
        ),
    )
    op.add_column("recipes", sa.Column("house_id", sa.Integer(), nullable=True))
    op.add_column("recipes", sa.Column("house_version", sa.Integer(), nullable=True))
    op.create_foreign_key(op.f("fk_recipes_house_id"), "recipes", "house_recipes", ["house_id"], ["id"])
    op.create_index(op.f("ix_recipes_house_id"), "recipes", ["house_id"])
    op.create_table(
        "recipe_versions",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("kind", sa.String(length=20), nullable=False),
        sa.Column("row_id", sa.Integer(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("who", sa.String(length=60), nullable=False),
        sa.Column("content", JSONB(), nullable=False),
    )
    op.create_index("ix_recipe_versions_of", "recipe_versions", ["kind", "row_id", "version"], unique=True)
    op.create_table(
        "jobs",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("kind", sa.String(length=40), nullable=False),
        sa.Column("inputs", sa.String(length=64), nullable=False),
        sa.Column("arguments", JSONB(), nullable=False),
        sa.Column("state", sa.String(length=10), nullable=False),
        sa.Column("share", sa.Float(), nullable=False),
        sa.Column("doing", sa.String(length=200), nullable=False),
        sa.Column("cancel", sa.Boolean(), nullable=False),
        sa.Column("result", JSONB(), nullable=True),
        sa.Column("problem", sa.String(length=1000), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("updated_at", sa.DateTime(timezone=True), nullable=False),
    )
    op.create_index("ix_jobs_inputs", "jobs", ["kind", "inputs"])
    # The queue's own tables. Its statements are many in one text, which only the driver itself takes.
    driver: Any = op.get_bind().connection.driver_connection
    driver.execute(SchemaManager.get_schema())


def downgrade() -> None:
    driver: Any = op.get_bind().connection.driver_connection
    driver.execute(_DROP_QUEUE)
    op.drop_table("jobs")
    op.drop_table("recipe_versions")
    op.drop_column("recipes", "house_version")
    op.drop_column("recipes", "house_id")
    op.drop_table("house_recipes")
    for column in ("due_on", "quantity", "purpose_id", "pose"):
        op.drop_column("parts", column)
    op.drop_table("purposes")


_DROP_QUEUE = r"""
do $$
declare one record;
begin
  for one in select tablename as name from pg_tables where tablename like 'procrastinate\_%' loop
    execute format('drop table %I cascade', one.name);
  end loop;
  for one in select oid::regprocedure as name from pg_proc where proname like 'procrastinate\_%' loop
    execute format('drop function %s cascade', one.name);
  end loop;
  for one in select typname as name from pg_type
             where typname like 'procrastinate\_%' and typtype in ('e', 'c') loop
    execute format('drop type %I cascade', one.name);
  end loop;
end $$;
"""
"""The queue has no list of what it made; all of it bears its name."""
