"""Validation errors in the words of the people who get them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from difflib import get_close_matches
from typing import Any, get_args

from pydantic import BaseModel, ValidationError

__all__ = ["Problem", "explain", "field_label"]

RENAMED = {"line_multiplier": "lines_side_by_side"}
"""Keys that had another name once, for files that were written then."""


@dataclass(frozen=True)
class Problem:
    """One field's problem: ``field`` is its dotted name, ``message`` a sentence with the remedy, ``code`` tells its kind
    to programs: ``not_a_number``, ``too_large``, ``unknown_key`` ... (see :data:`WORDINGS`)."""

    field: str
    message: str
    code: str = "invalid"


Wording = Callable[[object, dict[str, Any]], str]


def explain(error: ValidationError, model: type[BaseModel] | None = None) -> list[Problem]:
    """All problems of a validation error; unknown keys get the nearest known key of ``model`` as a suggestion."""
    found: list[Problem] = []
    for detail in error.errors(include_url=False):
        path = [str(step) for step in detail["loc"]]
        found.append(_problem(detail, path, model))
    return found


def _number(given: object, context: dict[str, Any]) -> str:
    return f"Must be a number, not {_short(given)}."


def _bound(words: str) -> Wording:
    return lambda given, context: f"Must be {words} {next(iter(context.values())):g}, not {_short(given)}."


def _choice(given: object, context: dict[str, Any]) -> str:
    return f"Must be one of {context.get('expected')}, not {_short(given)}."


WORDINGS: dict[str, tuple[str, Wording]] = {
    "greater_than": ("too_small", _bound("more than")),
    "greater_than_equal": ("too_small", _bound("at least")),
    "less_than": ("too_large", _bound("less than")),
    "less_than_equal": ("too_large", _bound("at most")),
    "float_type": ("not_a_number", _number),
    "float_parsing": ("not_a_number", _number),
    "int_type": ("not_a_number", _number),
    "int_parsing": ("not_a_number", _number),
    "finite_number": (
        "not_a_number",
        lambda given, context: f"Must be a number that can be counted with, not {_short(given)}.",
    ),
    "int_from_float": ("not_whole", lambda given, context: f"Must be a whole number, not {_short(given)}."),
    "literal_error": ("unknown_option", _choice),
    "enum": ("unknown_option", _choice),
    "missing": ("missing", lambda given, context: "Must be given."),
    "json_invalid": ("not_json", lambda given, context: f"Not valid JSON: {context.get('error')}."),
    "value_error": ("contradiction", lambda given, context: f"{context.get('error')}."),
}
"""By kind of validation error: the code, and what it says."""


def _unknown_key(path: list[str], model: type[BaseModel] | None) -> str:
    keys = _keys(model, path[:-1]) if model else []
    renamed = RENAMED.get(path[-1])
    near = [renamed] if renamed in keys else get_close_matches(path[-1], keys, 1)
    return f"There is no such key.{f' Did you mean {near[0]}?' if near else ' Remove it.'}"


def _problem(detail: Any, path: list[str], model: type[BaseModel] | None) -> Problem:
    field, kind = ".".join(path), detail["type"]
    if kind == "extra_forbidden":
        return Problem(field, _unknown_key(path, model), "unknown_key")
    code, says = WORDINGS.get(kind, ("invalid", lambda given, context: f"{detail['msg']}."))
    return Problem(field, says(detail.get("input"), detail.get("ctx") or {}), code)


def _keys(model: type[BaseModel], path: list[str]) -> list[str]:
    """The keys that a model knows at a path; places in lists are looked through."""
    for step in path:
        if step.isdigit():
            continue
        field = model.model_fields.get(step)
        inner = None if field is None else _model_in(field.annotation)
        if inner is None:
            return []
        model = inner
    return list(model.model_fields)


def _model_in(annotation: Any) -> type[BaseModel] | None:
    """The model within an optional, a list or another wrapping."""
    if isinstance(annotation, type) and issubclass(annotation, BaseModel):
        return annotation
    return next((found for item in get_args(annotation) if (found := _model_in(item)) is not None), None)


_UNITS = ("mm3_s", "mm_s2", "mm_s", "mm2", "mm3", "mm", "deg", "cm3", "c", "s", "g", "h", "w", "kg", "min")


def field_label(field: str) -> str:
    """A dotted field as people call it: a setting by its own label, others by their words."""
    from meanbead.core.recipe.choices import choices

    labels = {choice.key: choice.label for choice in choices()}
    steps = [step for step in field.split(".") if not step.isdigit()]
    for start in range(len(steps)):
        label = labels.get(".".join(steps[start:]))
        if label is not None:
            return label
    last = steps[-1] if steps else "The request"
    for unit in _UNITS:
        last = last.removesuffix(f"_{unit}")
    words = last.replace("_id", "").replace("_", " ").strip()
    return words[:1].upper() + words[1:]


def _short(value: object) -> str:
    text = f"{value:g}" if isinstance(value, float) else repr(value)
    return text if len(text) <= 40 else text[:37] + "..."
