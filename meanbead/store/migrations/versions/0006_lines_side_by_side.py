"""The key infill.line_multiplier of recipes is called infill.lines_side_by_side"""

from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None

OLD, NEW = "line_multiplier", "lines_side_by_side"


def _rename(table: str, column: str, path: str, old: str, new: str) -> None:
    """Rename a key of the object at ``path`` (``infill`` or ``choices,infill``) of a JSONB column."""
    op.execute(
        f"update {table} set {column} = jsonb_set({column}, '{{{path}}}', "
        f"({column} #> '{{{path}}}') - '{old}' || jsonb_build_object('{new}', {column} #> '{{{path},{old}}}')) "
        f"where {column} #> '{{{path},{old}}}' is not null"
    )


def _everywhere(old: str, new: str) -> None:
    # Versions stay: what is printed is the same.
    _rename("recipes", "choices", "infill", old, new)
    _rename("house_recipes", "choices", "infill", old, new)
    _rename("recipe_versions", "content", "choices,infill", old, new)


def upgrade() -> None:
    _everywhere(OLD, NEW)


def downgrade() -> None:
    _everywhere(NEW, OLD)
