"""Settings that a file names in its comments, ``; name = value``, and which of ours they are: as the user has matched them once.

Nothing is known beforehand of any program's names. A name is matched to one of our settings, with a factor where units differ
(0.01 where a percentage stands for a share).
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Annotated, BinaryIO

from pydantic import Field, ValidationError

from meanbead.core.errors import MeanBeadError
from meanbead.core.model.base import Model
from meanbead.core.model.recipe import Recipe
from meanbead.core.recipe.choices import choices, with_value
from meanbead.core.text.explain import explain

__all__ = ["COMMENT_PATTERN", "CommentMatch", "CommentRules", "Matched", "named_values", "recipe_of"]

COMMENT_PATTERN = r"^;\s*(?P<name>[A-Za-z][\w .()/-]{0,79}?)\s*[=:]\s*(?P<value>\S.{0,199}?)\s*$"
"""Comments that name a setting; the groups ``name`` and ``value`` are what they say. Users may change it."""

MOST_NAMES = 1000
_LINE_BYTES = 400
_KEPT_BYTES = 256 * 1024
_NUMBER = re.compile(r"-?\d*\.?\d+")
_NUMBERS = ("number", "whole", "percent")


class CommentMatch(Model):
    """A name in comments stands for one of our settings; its number times ``factor`` is ours, and ``values`` says words in ours."""

    name: Annotated[str, Field(min_length=1, max_length=80)]
    key: Annotated[str, Field(min_length=1, max_length=80)]
    factor: Annotated[float, Field(gt=0, le=1e6)] = 1.0
    values: dict[str, str] = Field(default={})


class CommentRules(Model):
    """How a workshop reads the comments of files: its pattern, and what the names in them are."""

    pattern: Annotated[str, Field(max_length=500)] = COMMENT_PATTERN
    matches: Annotated[tuple[CommentMatch, ...], Field(max_length=500)] = ()


class Matched(Model):
    """What a file's comments come to: a recipe of what was matched, and what could not be taken, with the reason."""

    recipe: Recipe = Recipe()
    taken: dict[str, str] = Field(default={})
    refused: dict[str, str] = Field(default={})


def named_values(stream: BinaryIO, pattern: str = COMMENT_PATTERN) -> dict[str, str]:
    """Names and values that a file's comments hold, the last of each name, from its first and last quarter megabyte: settings
    stand at one end or the other. Raises :class:`MeanBeadError` for a pattern that is none."""
    try:
        wanted = re.compile(pattern)
    except re.error as problem:
        raise MeanBeadError(f"The pattern is no regular expression: {problem}.", field="comment_pattern") from None
    if not {"name", "value"} <= set(wanted.groupindex):
        raise MeanBeadError(
            "The pattern has no groups named name and value.",
            field="comment_pattern",
            remedy="Write (?P<name>...) and (?P<value>...).",
        )
    head = stream.read(_KEPT_BYTES)
    tail = b""
    while block := stream.read(4 * _KEPT_BYTES):
        tail = (tail + block)[-_KEPT_BYTES:]
    found: dict[str, str] = {}
    for line in (head + b"\n" + tail).split(b"\n"):
        if not line.lstrip().startswith(b";") or len(line) > _LINE_BYTES:
            continue
        told = wanted.match(line.decode("utf-8", "replace").strip())
        if told and (told["name"] in found or len(found) < MOST_NAMES):
            found[told["name"]] = told["value"]
    return found


def recipe_of(named: dict[str, str], matches: Sequence[CommentMatch]) -> Matched:
    """A recipe of what a file's comments say, by the user's matches. A value that a setting cannot take is told, and left out."""
    kinds = {choice.key: choice for choice in choices()}
    recipe, taken, refused = Recipe(), {}, {}
    for match in matches:
        if match.name not in named:
            continue
        value = named[match.name]
        choice = kinds.get(match.key)
        if choice is None:
            refused[match.name] = f"{match.key} is no setting of ours."
            continue
        said = match.values.get(value, value).strip()
        try:
            recipe = with_value(recipe, match.key, _content(said, choice.kind, match.factor))
        except ValidationError as problem:
            refused[match.name] = explain(problem)[0].message
            continue
        except ValueError:
            refused[match.name] = f"“{value[:40]}” is no {'number' if choice.kind in _NUMBERS else 'value of it'}."
            continue
        taken[match.key] = value
    return Matched(recipe=recipe, taken=taken, refused=refused)


def _content(said: str, kind: str, factor: float) -> object:
    if kind in _NUMBERS:
        number = _NUMBER.match(said)
        if number is None:
            raise ValueError(said)
        value = float(number[0]) * factor
        return round(value) if kind == "whole" else value
    if kind == "yesno":
        return said.lower() in ("1", "true", "yes", "on")
    if kind in ("machine", "nozzle", "material", "spool", "ranges", "angles"):
        raise ValueError(said)
    return said
