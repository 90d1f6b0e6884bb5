"""Which rows came with the sample workshop, so that it can be removed whole"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("house", sa.Column("samples", JSONB(), server_default="{}", nullable=False))


def downgrade() -> None:
    op.drop_column("house", "samples")
