"""What files say of their settings in comments, taken into the columns that replay them, as the workshop has matched names."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session, selectinload

from meanbead import store
from meanbead.core.gcode.comments import CommentRules, Matched, named_values, recipe_of
from meanbead.store.tables import RecipeRow

__all__ = ["names_in", "rules_of", "take_all", "take_into"]


def rules_of(session: Session) -> CommentRules:
    """How the workshop reads comments."""
    return CommentRules.model_validate(store.house.house_of(session).comments or {})


def names_in(session: Session, row: RecipeRow, rules: CommentRules) -> dict[str, str]:
    """Names and values in the comments of the file that a column replays."""
    if row.gcode_id is None:
        return {}
    content = store.gcode_files.gcode_content(session, row.gcode_id)
    with store.gcode_files.open_gcode(content) as stream:
        return named_values(stream, rules.pattern)


def take_into(session: Session, row: RecipeRow, rules: CommentRules) -> Matched:
    """Have a column hold what its file's comments say."""
    matched = recipe_of(names_in(session, row, rules), rules.matches)
    choices = store.recipes.stored_choices(matched.recipe)
    if row.choices != choices:
        row.choices = choices
        session.flush()
    return matched


def take_all(session: Session, rules: CommentRules) -> list[int]:
    """The same of every column that replays a file; those that changed."""
    rows = session.scalars(
        select(RecipeRow)
        .where(RecipeRow.gcode_id.is_not(None), RecipeRow.deleted_at.is_(None))
        .options(selectinload(RecipeRow.gcode))
    ).all()
    changed = []
    for row in rows:
        before = row.choices
        take_into(session, row, rules)
        if row.choices != before:
            changed.append(row.id)
    return changed
