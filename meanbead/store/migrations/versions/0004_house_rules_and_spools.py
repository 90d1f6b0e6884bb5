"""House rules of the workshop; spools"""

from datetime import UTC, datetime
from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0004"
down_revision = "0003"
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
    house = op.create_table(
        "house", *_kept(sa.Column("rules", JSONB(), nullable=False), sa.Column("shop", JSONB(), nullable=False))
    )
    now = datetime.now(UTC)
    op.bulk_insert(
        house, [{"name": "House", "version": 1, "created_at": now, "updated_at": now, "rules": {}, "shop": {}}]
    )
    op.create_table(
        "spools",
        *_kept(
            sa.Column("material_id", sa.Integer(), sa.ForeignKey("materials.id"), nullable=False),
            sa.Column("left_g", sa.Float(), nullable=False),
            sa.Column("dried_on", sa.Date(), nullable=True),
        ),
    )


def downgrade() -> None:
    op.drop_table("spools")
    op.drop_table("house")
