"""Jobs that always end; uploads that wait for an answer; what was guessed of a part's surface"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None

UNDER_WAY = "state in ('waiting', 'running') and not cancel"


def upgrade() -> None:
    # What an older version left under way has nobody at work on it any more.
    op.execute(
        "update jobs set state = 'failed', problem = 'It was interrupted. Start it again.' "
        "where state in ('waiting', 'running')"
    )
    op.add_column("jobs", sa.Column("queue", sa.String(length=20), nullable=False, server_default="long"))
    op.add_column("jobs", sa.Column("worker", sa.String(length=80), nullable=False, server_default=""))
    op.add_column("jobs", sa.Column("attempts", sa.Integer(), nullable=False, server_default="0"))
    op.add_column("jobs", sa.Column("beat_at", sa.DateTime(timezone=True), nullable=True))
    op.create_index("ix_jobs_under_way", "jobs", ["kind", "inputs"], unique=True, postgresql_where=sa.text(UNDER_WAY))
    op.create_table(
        "uploads",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("file_name", sa.String(length=255), nullable=False),
        sa.Column("unit", sa.String(length=10), nullable=False),
        sa.Column("member", sa.String(length=255), nullable=False),
        sa.Column("source", sa.LargeBinary(), nullable=False),
        sa.Column("picture", sa.LargeBinary(), nullable=True),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
    )
    op.add_column("parts", sa.Column("guessed", JSONB(), nullable=True))
    op.add_column("parts", sa.Column("guessed_faces", sa.LargeBinary(), nullable=True))


def downgrade() -> None:
    op.drop_column("parts", "guessed_faces")
    op.drop_column("parts", "guessed")
    op.drop_table("uploads")
    op.drop_index("ix_jobs_under_way", "jobs")
    for name in ("beat_at", "attempts", "worker", "queue"):
        op.drop_column("jobs", name)
