"""Files for machines, ways to them, tokens, prints under way; what comments of files mean"""

from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None

_UNDER_WAY = "state in ('sending', 'sent', 'starting', 'printing', 'paused') and deleted_at is null"


def _moment(name: str, *, nullable: bool = False) -> sa.Column[Any]:
    return sa.Column(name, sa.DateTime(timezone=True), nullable=nullable)


def upgrade() -> None:
    op.create_table(
        "device_tokens",
        sa.Column("machine_id", sa.Integer(), autoincrement=False, nullable=False),
        sa.Column("sealed", sa.LargeBinary(), nullable=False),
        _moment("set_at"),
        sa.PrimaryKeyConstraint("machine_id", name="pk_device_tokens"),
    )
    op.create_table(
        "print_files",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("inputs", sa.String(length=64), nullable=False),
        sa.Column("recipe_id", sa.Integer(), nullable=False),
        sa.Column("machine_id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("ours", sa.Boolean(), nullable=False),
        sa.Column("state", sa.String(length=10), nullable=False),
        sa.Column("size_bytes", sa.BigInteger(), nullable=False),
        sa.Column("inspection", JSONB(), nullable=False),
        sa.Column("notes", JSONB(), nullable=False),
        _moment("made_at"),
        sa.PrimaryKeyConstraint("id", name="pk_print_files"),
    )
    op.create_index("ix_print_files_inputs", "print_files", ["inputs"])
    op.create_index("ix_print_files_recipe_id", "print_files", ["recipe_id"])
    op.create_table(
        "print_pieces",
        sa.Column("file_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("content", sa.LargeBinary(), nullable=False),
        sa.ForeignKeyConstraint(["file_id"], ["print_files.id"], name="fk_print_pieces_file_id", ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("file_id", "number", name="pk_print_pieces"),
    )
    op.create_table(
        "prints",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        _moment("created_at"),
        _moment("updated_at"),
        _moment("deleted_at", nullable=True),
        sa.Column("key", sa.String(length=40), nullable=False),
        sa.Column("machine_id", sa.Integer(), nullable=False),
        sa.Column("recipe_id", sa.Integer(), nullable=False),
        sa.Column("file_id", sa.Integer(), nullable=False),
        sa.Column("queue_id", sa.Integer(), nullable=True),
        sa.Column("queue_plate", sa.Integer(), nullable=True),
        sa.Column("run_id", sa.Integer(), nullable=True),
        sa.Column("way", sa.String(length=10), nullable=False),
        sa.Column("file_name", sa.String(length=120), nullable=False),
        sa.Column("state", sa.String(length=10), nullable=False),
        sa.Column("who", sa.String(length=60), nullable=False),
        sa.Column("sent_bytes", sa.BigInteger(), nullable=False),
        sa.Column("size_bytes", sa.BigInteger(), nullable=False),
        sa.Column("track", JSONB(), nullable=False),
        sa.Column("followed", JSONB(), nullable=False),
        sa.Column("problem", sa.String(length=500), nullable=False),
        _moment("lost_at", nullable=True),
        _moment("seen_at", nullable=True),
        sa.PrimaryKeyConstraint("id", name="pk_prints"),
        sa.UniqueConstraint("key", name="uq_prints_key"),
    )
    op.create_index("ix_prints_machine_id", "prints", ["machine_id"])
    op.create_index("ix_prints_run_id", "prints", ["run_id"])
    op.create_index(
        "uq_prints_machine_under_way", "prints", ["machine_id"], unique=True, postgresql_where=sa.text(_UNDER_WAY)
    )
    op.add_column("machines", sa.Column("files", JSONB(), nullable=False, server_default="{}"))
    op.add_column("machines", sa.Column("way", JSONB(), nullable=False, server_default="{}"))
    op.add_column("machines", _moment("first_file_at", nullable=True))
    op.add_column("house", sa.Column("comments", JSONB(), nullable=False, server_default="{}"))
    made = "for each row execute function tell_change()"
    op.execute(f"create trigger tell_added after insert on prints {made}")
    op.execute(
        "create trigger tell_changed after update on prints for each row "
        "when (old.version is distinct from new.version) execute function tell_change()"
    )


def downgrade() -> None:
    op.drop_column("house", "comments")
    for column in ("first_file_at", "way", "files"):
        op.drop_column("machines", column)
    for table in ("prints", "print_pieces", "print_files", "device_tokens"):
        op.drop_table(table)
