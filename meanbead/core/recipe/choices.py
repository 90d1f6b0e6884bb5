"""Every choice of a recipe as people meet it: in which order, by which name, in which unit, and what it does.

One catalogue serves the sheet, the settings page that is printed, and both exports. Bounds are those of the recipe's
own model, so that they cannot differ from what is accepted; defaults are told by the module that makes them.
"""

from __future__ import annotations

import tomllib
from collections.abc import Iterable, Iterator
from functools import cache
from importlib.resources import files
from typing import Annotated, Any, Literal

from annotated_types import Ge, Gt, Le, Lt
from pydantic import BaseModel, TypeAdapter

from meanbead.core.model.estimate import Result
from meanbead.core.model.recipe import Recipe
from meanbead.core.recipe.defaults import sentence_of

__all__ = ["Choice", "Option", "check_value", "choices", "value_at", "with_value", "with_values"]

Kind = Literal[
    "number", "whole", "percent", "choice", "yesno", "ranges", "angles", "machine", "nozzle", "material", "spool"
]

_SHELF = ("machine", "nozzle", "material", "spool")


class Option(Result):
    """One of the values of a choice that is picked."""

    value: str
    label: str


class Choice(Result):
    """A choice: ``key`` is its dotted name in the recipe. ``low`` and ``high`` are the bounds that are accepted, in the
    recipe's own unit, so that a percentage runs from 0 to 1."""

    key: str
    group: str
    label: str
    unit: str
    kind: Kind
    everyday: bool
    explain: str
    default: str
    when: str
    options: list[Option]
    low: float | None
    high: float | None


def choices() -> list[Choice]:
    """All choices in the order in which people decide."""
    return list(_all())


@cache
def _all() -> tuple[Choice, ...]:
    return tuple(_made())


def _made() -> Iterator[Choice]:
    catalogue = tomllib.loads(files("meanbead.core.recipe").joinpath("choices.toml").read_text("utf-8"))
    for group, rows in catalogue.items():
        for key, row in rows.items():
            low, high = _bounds(key)
            options = [Option(value=value, label=label) for value, label in row.pop("options", {}).items()]
            usual = {"unit": "", "kind": "number", "everyday": False, "when": ""}
            made = {"key": key, "group": group, "low": low, "high": high, "options": options}
            yield Choice(**made, default=sentence_of(key), **(usual | row))


def _bounds(key: str) -> tuple[float | None, float | None]:
    """What the recipe's model accepts at a key."""
    if key in _SHELF:
        return None, None
    model, last = _place(key)
    low: float | None = None
    high: float | None = None
    for constraint in _metadata(model.model_fields[last]):
        if isinstance(constraint, Ge | Gt):
            low = float(constraint.ge if isinstance(constraint, Ge) else constraint.gt)  # type: ignore[arg-type]
        if isinstance(constraint, Le | Lt):
            high = float(constraint.le if isinstance(constraint, Le) else constraint.lt)  # type: ignore[arg-type]
    return low, high


def _place(key: str) -> tuple[type[BaseModel], str]:
    """The model that holds a dotted key, and the key's name there."""
    model: type[BaseModel] = Recipe
    *path, last = key.split(".")
    for name in path:
        model = model.model_fields[name].annotation  # type: ignore[assignment]
    return model, last


def _metadata(field: Any) -> Iterator[Any]:
    """Constraints of a field, those inside of an optional or annotated type included."""
    pending = [field.annotation, *field.metadata]
    while pending:
        constraint = pending.pop()
        for name in ("__args__", "__metadata__", "metadata"):
            pending.extend(getattr(constraint, name, ()))
        yield constraint


def check_value(key: str, value: object) -> None:
    """Raises pydantic's ValidationError for a value that no recipe may have at a key, whatever its other choices are. None
    leaves a key open; keys of the shelf (machine, nozzle, material, spool) take any."""
    if value is None or key in _SHELF:
        return
    model, last = _place(key)
    _adapter(model, last).validate_python(value)


@cache
def _adapter(model: type[BaseModel], name: str) -> TypeAdapter[Any]:
    field = model.model_fields[name]
    return TypeAdapter(Annotated[field.annotation, field])  # type: ignore[arg-type]


def value_at(recipe: Recipe | None, key: str) -> Any:
    """The value at a dotted key of a recipe; None where it is left open."""
    found: Any = recipe
    for name in key.split("."):
        found = getattr(found, name, None)
    return found


def with_value(recipe: Recipe, key: str, value: Any) -> Recipe:
    """A recipe with one key set, or left open with None. Raises pydantic's ValidationError for a value out of bounds."""
    return with_values(recipe, [(key, value)])


def with_values(recipe: Recipe, settings: Iterable[tuple[str, Any]]) -> Recipe:
    """The same for several keys at once, one after the other, checked when all are set."""
    content = recipe.model_dump(exclude_none=True)
    for key, value in settings:
        *path, last = key.split(".")
        place = content
        for name in path:
            place = place.setdefault(name, {})
        if value is None:
            place.pop(last, None)
        else:
            place[last] = value
    return Recipe.model_validate(content)
