"""G-code files, and columns that replay one"""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "gcode_files",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("file_name", sa.String(length=255), nullable=False),
        sa.Column("digest", sa.String(length=64), nullable=False),
        sa.Column("size_bytes", sa.BigInteger(), nullable=False),
        sa.Column("content", sa.LargeBinary(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_gcode_files")),
    )
    op.add_column("recipes", sa.Column("gcode_id", sa.Integer(), nullable=True))
    op.create_foreign_key(op.f("fk_recipes_gcode_id"), "recipes", "gcode_files", ["gcode_id"], ["id"])


def downgrade() -> None:
    op.drop_constraint(op.f("fk_recipes_gcode_id"), "recipes", type_="foreignkey")
    op.drop_column("recipes", "gcode_id")
    op.drop_table("gcode_files")
