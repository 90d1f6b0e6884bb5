"""What files say of their settings, over HTTP: the names in their comments, matched to ours once."""

from __future__ import annotations

from apiflask import APIBlueprint
from sqlalchemy.orm import Session

from meanbead import services, store
from meanbead.api.context import session
from meanbead.api.schema import Schema, Version
from meanbead.core.errors import MeanBeadError
from meanbead.core.gcode.comments import CommentRules, recipe_of
from meanbead.store.tables import House, RecipeRow, plain

blueprint = APIBlueprint("comments", __name__, url_prefix="/api", tag="Comments")


class NamedValue(Schema):
    """A name in a file's comments with its value; ``problem`` says why a matched one could not be taken."""

    name: str
    value: str
    problem: str


class FileCommentsOut(Schema):
    """All that a file's comments name, how the workshop reads them, and under which version of the house that stands."""

    column: str
    part_id: int
    names: list[NamedValue]
    rules: CommentRules
    house_version: int


class CommentRulesEdit(Schema):
    """How comments are to be read from now on."""

    version: Version
    rules: CommentRules


class CommentRulesOut(Schema):
    """How comments are read, and how many columns hold something else by it."""

    rules: CommentRules
    house_version: int
    changed: int


@blueprint.get("/recipes/<int:recipe_id>/comments")
@blueprint.output(FileCommentsOut)
def list_comments(recipe_id: int) -> FileCommentsOut:
    """What the comments of a column's file name, and what is made of it."""
    with session() as db:
        return _comments(db, store.recipes.get_recipe(db, recipe_id))


def _comments(db: Session, row: RecipeRow) -> FileCommentsOut:
    if row.gcode_id is None:
        raise MeanBeadError("This column replays no file.", field="recipe_id")
    rules = services.comments.rules_of(db)
    names = services.comments.names_in(db, row, rules)
    refused = recipe_of(names, rules.matches).refused
    return FileCommentsOut(
        column=row.name,
        part_id=row.part_id,
        names=[NamedValue(name=name, value=value, problem=refused.get(name, "")) for name, value in names.items()],
        rules=rules,
        house_version=store.house.house_of(db).version,
    )


@blueprint.put("/comment-rules")
@blueprint.input(CommentRulesEdit)
@blueprint.output(CommentRulesOut)
def edit_comment_rules(json_data: CommentRulesEdit) -> CommentRulesOut:
    """Say which of our settings the names in comments are. Columns that replay files follow at once."""
    with session() as db:
        house = store.rows.get_for_edit(db, House, store.house.house_of(db).id, json_data.version)
        house.comments = plain(json_data.rules)
        db.flush()
        changed = services.comments.take_all(db, json_data.rules)
        return CommentRulesOut(rules=json_data.rules, house_version=house.version, changed=len(changed))
