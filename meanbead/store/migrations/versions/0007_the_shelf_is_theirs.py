"""Own order, sources and wear of what lies on the shelf; what a machine holds; spools in full; a part's chosen column"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None

SHELF = ("machines", "nozzles", "materials", "spools", "purposes")
EMPTY = sa.text("'{}'::jsonb")


def _foreign(table: str, column: str, other: str) -> None:
    op.add_column(table, sa.Column(column, sa.Integer(), nullable=True))
    op.create_foreign_key(f"fk_{table}_{column}", table, other, [column], ["id"])


def _drop_foreign(table: str, column: str) -> None:
    op.drop_constraint(f"fk_{table}_{column}", table, type_="foreignkey")
    op.drop_column(table, column)


def _rename_key(table: str, column: str, old: str, new: str) -> None:
    op.execute(
        f"update {table} set {column} = ({column} - '{old}') || jsonb_build_object('{new}', {column} -> '{old}') "
        f"where {column} ? '{old}'"
    )


def upgrade() -> None:
    for table in SHELF:
        op.add_column(table, sa.Column("position", sa.Float(), nullable=False, server_default="0"))
        op.execute(f"update {table} set position = id")
        op.alter_column(table, "position", server_default=None)
        op.add_column(table, sa.Column("sources", JSONB(), nullable=False, server_default=EMPTY))
        op.alter_column(table, "sources", server_default=None)
    _foreign("machines", "nozzle_id", "nozzles")
    _foreign("machines", "spool_id", "spools")
    op.add_column("machines", sa.Column("fitted_on", sa.Date(), nullable=True))
    op.add_column("machines", sa.Column("hours_run", sa.Float(), nullable=False, server_default="0"))
    op.alter_column("machines", "hours_run", server_default=None)
    op.add_column("machines", sa.Column("console", JSONB(), nullable=False, server_default=EMPTY))
    op.alter_column("machines", "console", server_default=None)
    op.add_column("nozzles", sa.Column("wear", JSONB(), nullable=False, server_default=EMPTY))
    op.alter_column("nozzles", "wear", server_default=None)
    for column in ("empty_g", "dried_temp_c", "dried_h"):
        op.add_column("spools", sa.Column(column, sa.Float(), nullable=True))
    op.add_column("spools", sa.Column("opened_on", sa.Date(), nullable=True))
    op.add_column("spools", sa.Column("kept", sa.String(length=10), nullable=False, server_default="open"))
    op.alter_column("spools", "kept", server_default=None)
    _foreign("recipes", "spool_id", "spools")
    _foreign("parts", "chosen_id", "recipes")
    _rename_key("machines", "printer", "running_cost_per_h", "wear_per_h")


def downgrade() -> None:
    # Keys that the models before did not know.
    known = [
        "start_gcode",
        "end_gcode",
        "end_time_s",
        "power_w",
        "price_per_kwh",
        "z_screw",
        "measured_overhangs",
        "bed_surface",
    ]
    for key in known:
        op.execute(f"update machines set printer = printer - '{key}'")
    _rename_key("machines", "printer", "wear_per_h", "running_cost_per_h")
    _drop_foreign("parts", "chosen_id")
    _drop_foreign("recipes", "spool_id")
    for column in ("empty_g", "dried_temp_c", "dried_h", "opened_on", "kept"):
        op.drop_column("spools", column)
    op.drop_column("nozzles", "wear")
    for column in ("console", "hours_run", "fitted_on"):
        op.drop_column("machines", column)
    _drop_foreign("machines", "spool_id")
    _drop_foreign("machines", "nozzle_id")
    for table in SHELF:
        op.drop_column(table, "sources")
        op.drop_column(table, "position")
