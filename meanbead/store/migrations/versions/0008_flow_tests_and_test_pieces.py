"""Flow tests with their strands, and printed test pieces"""

from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def _versioned() -> list[sa.Column[Any]]:
    return [
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("updated_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("deleted_at", sa.DateTime(timezone=True), nullable=True),
    ]


def _refers(
    table: str, column: str, other: str, *, nullable: bool = False
) -> tuple[sa.Column[Any], sa.ForeignKeyConstraint]:
    return (
        sa.Column(column, sa.Integer(), nullable=nullable),
        sa.ForeignKeyConstraint([column], [f"{other}.id"], name=f"fk_{table}_{column}"),
    )


def upgrade() -> None:
    op.create_table(
        "flow_tests",
        *_versioned(),
        *_refers("flow_tests", "machine_id", "machines"),
        *_refers("flow_tests", "nozzle_id", "nozzles"),
        *_refers("flow_tests", "material_id", "materials"),
        *_refers("flow_tests", "spool_id", "spools", nullable=True),
        sa.Column("setup", JSONB(), nullable=False),
        sa.Column("measured", JSONB(), nullable=True),
        sa.Column("measured_of", sa.String(length=64), nullable=False),
        sa.Column("wear", JSONB(), nullable=False),
        sa.Column("retired_on", sa.Date(), nullable=True),
        sa.Column("retired_because", sa.String(length=400), nullable=False),
        sa.PrimaryKeyConstraint("id", name="pk_flow_tests"),
    )
    op.create_index("ix_flow_tests_machine_id", "flow_tests", ["machine_id"])
    op.create_table(
        "flow_points",
        *_versioned(),
        sa.Column("test_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["test_id"], ["flow_tests.id"], name="fk_flow_points_test_id", ondelete="CASCADE"),
        sa.Column("key", sa.String(length=40), nullable=False),
        sa.Column("point", JSONB(), nullable=False),
        sa.Column("photo", sa.LargeBinary(), nullable=True),
        sa.Column("has_photo", sa.Boolean(), nullable=False),
        sa.PrimaryKeyConstraint("id", name="pk_flow_points"),
        sa.UniqueConstraint("test_id", "key", name="uq_flow_points_test_id"),
    )
    op.create_table(
        "test_pieces",
        *_versioned(),
        *_refers("test_pieces", "machine_id", "machines"),
        *_refers("test_pieces", "nozzle_id", "nozzles"),
        *_refers("test_pieces", "material_id", "materials"),
        *_refers("test_pieces", "part_id", "parts", nullable=True),
        sa.Column("kind", sa.String(length=40), nullable=False),
        sa.Column("setup", JSONB(), nullable=False),
        sa.Column("result", JSONB(), nullable=True),
        sa.PrimaryKeyConstraint("id", name="pk_test_pieces"),
    )


def downgrade() -> None:
    op.drop_table("test_pieces")
    op.drop_table("flow_points")
    op.drop_table("flow_tests")
