"""Skins have an order: recipes that had all top strokes one way, or not, have it written as that"""

from alembic import op

revision = "0016"
down_revision = "0015"
branch_labels = None
depends_on = None

PLACES = (
    ("recipes", "choices", "skins"),
    ("house_recipes", "choices", "skins"),
    ("recipe_versions", "content", "choices,skins"),
)


def upgrade() -> None:
    # Versions stay: what is printed is the same.
    for table, column, path in PLACES:
        old = f"{column} #> '{{{path},one_way}}'"
        order = f"case {old} when 'true' then jsonb_build_object('order', 'one_way') when 'false' then jsonb_build_object('order', 'nearest') else '{{}}' end"
        op.execute(
            f"update {table} set {column} = jsonb_set({column}, '{{{path}}}', ({column} #> '{{{path}}}') - 'one_way' || {order}) "
            f"where {old} is not null"
        )


def downgrade() -> None:
    for table, column, path in PLACES:
        new = f"{column} #> '{{{path},order}}'"
        one_way = f"jsonb_build_object('one_way', {new} = '\"one_way\"')"
        op.execute(
            f"update {table} set {column} = jsonb_set({column}, '{{{path}}}', ({column} #> '{{{path}}}') - 'order' || {one_way}) "
            f"where {new} is not null"
        )
