"""Validation errors in the words of the people who get them."""

from __future__ import annotations

from dataclasses import dataclass
from difflib import get_close_matches
from typing import Any, get_args

from pydantic import BaseModel, ValidationError

RENAMED = {"line_multiplier": "lines_side_by_side"}
"""Keys that had another name once, for files that were written then."""


@dataclass(frozen=True)
class Problem:
    """One field's problem: ``field`` is its dotted name, ``message`` a sentence with the remedy."""

    field: str
    message: str


def explain(error: ValidationError, model: type[BaseModel] | None = None) -> list[Problem]:
    """All problems of a validation error; unknown keys get the nearest known key of ``model`` as a suggestion."""
    found: list[Problem] = []
    for detail in error.errors(include_url=False):
        path = [str(step) for step in detail["loc"]]
        found.append(Problem(".".join(path), _sentence(detail, path, model)))
    return found


def _sentence(detail: Any, path: list[str], model: type[BaseModel] | None) -> str:
    kind: str = detail["type"]
    given = detail.get("input")
    context: dict[str, Any] = detail.get("ctx") or {}
    if kind == "extra_forbidden":
        keys = _keys(model, path[:-1]) if model else []
        renamed = RENAMED.get(path[-1])
        near = [renamed] if renamed in keys else get_close_matches(path[-1], keys, 1)
        return f"There is no such key.{f' Did you mean {near[0]}?' if near else ' Remove it.'}"
    if kind in ("greater_than", "greater_than_equal", "less_than", "less_than_equal"):
        bound = next(iter(context.values()))
        words = {
            "greater_than": "more than",
            "greater_than_equal": "at least",
            "less_than": "less than",
            "less_than_equal": "at most",
        }
        return f"Must be {words[kind]} {bound:g}, not {_short(given)}."
    if kind in ("float_type", "float_parsing", "int_type", "int_parsing", "finite_number"):
        return (
            f"Must be a number that can be counted with, not {_short(given)}."
            if kind == "finite_number"
            else f"Must be a number, not {_short(given)}."
        )
    if kind == "int_from_float":
        return f"Must be a whole number, not {_short(given)}."
    if kind in ("literal_error", "enum"):
        return f"Must be one of {context.get('expected')}, not {_short(given)}."
    if kind == "missing":
        return "Must be given."
    if kind == "json_invalid":
        return f"Not valid JSON: {context.get('error')}."
    if kind == "value_error":
        return f"{context.get('error')}."
    message: str = detail["msg"]
    return f"{message}."


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
