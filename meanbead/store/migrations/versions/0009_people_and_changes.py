"""People, their sessions, invitations, the audit journal; and a notice of every change"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None

TOLD = (
    "parts",
    "recipes",
    "house_recipes",
    "house",
    "machines",
    "nozzles",
    "materials",
    "spools",
    "purposes",
    "flow_tests",
    "flow_points",
    "test_pieces",
)
"""Tables whose changes the pages hear of."""

_NOTICE = """
create function tell_change() returns trigger language plpgsql as $$
declare
  now_row jsonb := to_jsonb(new) - array['source', 'vertices', 'faces', 'picture', 'photo', 'guessed_faces', 'facts'];
begin
  perform pg_notify('meanbead_changes', json_build_object(
    'table', tg_table_name, 'id', new.id, 'version', new.version,
    'of', coalesce(now_row ->> 'part_id', now_row ->> 'test_id'))::text);
  return null;
end $$
"""

_COUNT = """
create function count_added() returns trigger language plpgsql as $$
begin
  update generations set count = count + 1 where name = tg_table_name;
  return null;
end $$
"""


def upgrade() -> None:
    op.create_table(
        "people",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("updated_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("deleted_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("role", sa.String(length=10), nullable=False),
        sa.Column("passphrase", sa.String(length=200), nullable=False),
        sa.PrimaryKeyConstraint("id", name="pk_people"),
    )
    op.create_index(
        "ix_people_name",
        "people",
        [sa.text("lower(name)")],
        unique=True,
        postgresql_where=sa.text("deleted_at is null"),
    )
    op.create_table(
        "sessions",
        sa.Column("token", sa.String(length=64), nullable=False),
        sa.Column("number", sa.Integer(), sa.Identity(), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=False),
        sa.Column("data", JSONB(), nullable=False),
        sa.Column("device", sa.String(length=120), nullable=False),
        sa.Column("address", sa.String(length=45), nullable=False),
        sa.Column("remembered", sa.Boolean(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("seen_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("confirmed_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name="fk_sessions_person_id", ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("token", name="pk_sessions"),
    )
    op.create_index("ix_sessions_person_id", "sessions", ["person_id"])
    op.create_table(
        "invitations",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("token", sa.String(length=64), nullable=False),
        sa.Column("role", sa.String(length=10), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=True),
        sa.Column("made_by", sa.String(length=120), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("ends_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("used_at", sa.DateTime(timezone=True), nullable=True),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name="fk_invitations_person_id", ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name="pk_invitations"),
        sa.UniqueConstraint("token", name="uq_invitations_token"),
    )
    op.create_table(
        "tries",
        sa.Column("key", sa.String(length=140), nullable=False),
        sa.Column("failed", sa.Integer(), nullable=False),
        sa.Column("last_at", sa.DateTime(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint("key", name="pk_tries"),
    )
    op.create_table(
        "audit",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("who", sa.String(length=120), nullable=False),
        sa.Column("what", sa.String(length=200), nullable=False),
        sa.Column("about", sa.String(length=400), nullable=False),
        sa.Column("address", sa.String(length=45), nullable=False),
        sa.PrimaryKeyConstraint("id", name="pk_audit"),
    )
    op.create_index("ix_audit_at", "audit", ["at"])
    generations = op.create_table(
        "generations",
        sa.Column("name", sa.String(length=40), nullable=False),
        sa.Column("count", sa.BigInteger(), nullable=False),
        sa.PrimaryKeyConstraint("name", name="pk_generations"),
    )
    op.bulk_insert(generations, [{"name": "estimates", "count": 0}])
    op.execute(_COUNT)
    op.execute("create trigger count_added after insert on estimates for each statement execute function count_added()")
    op.create_index("ix_estimates_recipe_made", "estimates", ["recipe_id", "created_at"])
    op.drop_index("ix_estimates_recipe_id", "estimates")
    op.execute(_NOTICE)
    for table in TOLD:
        made = "for each row execute function tell_change()"
        op.execute(f"create trigger tell_added after insert on {table} {made}")
        # What is noted beside a row without a new version is nobody's change.
        op.execute(
            f"create trigger tell_changed after update on {table} for each row "
            "when (old.version is distinct from new.version) execute function tell_change()"
        )


def downgrade() -> None:
    for table in TOLD:
        op.execute(f"drop trigger tell_added on {table}")
        op.execute(f"drop trigger tell_changed on {table}")
    op.execute("drop function tell_change()")
    op.execute("drop trigger count_added on estimates")
    op.execute("drop function count_added()")
    op.create_index("ix_estimates_recipe_id", "estimates", ["recipe_id"])
    op.drop_index("ix_estimates_recipe_made", "estimates")
    for table in ("generations", "audit", "tries", "invitations", "sessions", "people"):
        op.drop_table(table)
