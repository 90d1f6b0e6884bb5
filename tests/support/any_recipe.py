"""Any recipe at all, made from the recipe's own model: a key or a value that is added there is tried from then on."""

from __future__ import annotations

import types
from typing import Annotated, Any, Literal, Union, get_args, get_origin

from annotated_types import Ge, Gt, Le, Lt, MaxLen
from hypothesis import strategies as st
from pydantic import BaseModel
from pydantic.fields import FieldInfo

from meanbead.core.model import Recipe

BOUNDS: dict[str, tuple[float, float]] = {
    "nozzle_diameter_mm": (0.4, 0.4),
    "layer_height_mm": (0.05, 0.4),
    "first_layer_height_mm": (0.1, 0.4),
    "walls": (0, 6),
    "top_layers": (0, 6),
    "bottom_layers": (0, 6),
    "line_width_mm": (0.2, 1.2),
    "infill.lines_side_by_side": (1, 3),
    "infill.overlap_mm": (0, 0.5),
    "skins.top_mm": (0, 2),
    "skins.bottom_mm": (0, 2),
    "skins.overlap_mm": (0, 0.5),
    "ironing.flow": (0.05, 1),
    "ironing.spacing_mm": (0.1, 1),
    "supports.spacing_mm": (0.5, 10),
    "supports.interface_layers": (0, 4),
    "supports.gap_layers": (0, 3),
    "supports.gap_mm": (0, 2),
    "variable_height.min_mm": (0.08, 0.15),
    "variable_height.max_mm": (0.2, 0.4),
    "variable_height.ridge_mm": (0.02, 0.2),
    "variable_height.max_step_mm": (0.02, 0.3),
    "height_ranges.from_mm": (0.5, 0.5),
    "height_ranges.to_mm": (2.5, 2.5),
    "height_ranges.walls": (0, 4),
    "height_ranges.top_layers": (0, 4),
    "height_ranges.bottom_layers": (0, 4),
    "copies.count": (1, 3),
    "copies.gap_mm": (0, 20),
    "speed_mm_s": (1, 400),
    "acceleration_mm_s2": (100, 20_000),
    "retraction.length_mm": (0, 6),
    "retraction.min_travel_mm": (0, 20),
    "retraction.z_hop_mm": (0, 1),
    "retraction.wipe_mm": (0, 5),
    "cooling.min_layer_time_s": (0, 60),
    "cooling.min_speed_mm_s": (1, 100),
    "adhesion.loops": (0, 4),
    "adhesion.distance_mm": (0, 10),
    "adhesion.width_mm": (0, 6),
    "adhesion.layers": (1, 4),
    "adhesion.raft_layer_mm": (0.1, 0.5),
}
"""Narrower bounds than the model's for what would only take long: by key, or by the group that it is in."""

_LIST_AT_MOST = 2


def numbers(low: float, high: float) -> st.SearchStrategy[float]:
    """Numbers to a thousandth, as people type them."""
    return st.floats(low, high).map(lambda value: min(max(round(value, 3), low), high))


def some(**keys: st.SearchStrategy[Any]) -> st.SearchStrategy[dict[str, Any]]:
    """Any of the keys, or none."""
    return st.fixed_dictionaries({}, optional=keys)


def recipes(*, without: tuple[str, ...] = ()) -> st.SearchStrategy[dict[str, Any]]:
    """Recipes as JSON has them: any of the keys, each with any value of its type within its bounds; but for some that belong to
    something else there."""
    return _model(Recipe, "").map(lambda keys: {key: value for key, value in keys.items() if key not in without})


def paths(model: type[BaseModel] = Recipe, before: str = "") -> set[str]:
    """Dotted names of all keys, groups too."""
    found: set[str] = set()
    for name, field in model.model_fields.items():
        path = f"{before}{name}"
        found.add(path)
        inner = _model_in(field.annotation)
        if inner is not None:
            found |= paths(inner, f"{path}.")
    return found


def _model(model: type[BaseModel], before: str) -> st.SearchStrategy[dict[str, Any]]:
    keys = {name: _field(field, f"{before}{name}") for name, field in model.model_fields.items()}
    needed = {name: keys.pop(name) for name, field in model.model_fields.items() if field.is_required()}
    return st.fixed_dictionaries(needed, optional=keys)


def _field(field: FieldInfo, path: str) -> st.SearchStrategy[Any]:
    return _values(field.annotation, tuple(field.metadata), path)


def _values(kind: Any, limits: tuple[Any, ...], path: str) -> st.SearchStrategy[Any]:
    """Values of a type, as its annotation says."""
    origin = get_origin(kind)
    if origin is Annotated:
        inner, *more = get_args(kind)
        bounds = [limit for one in more for limit in (one.metadata if isinstance(one, FieldInfo) else (one,))]
        return _values(inner, (*bounds, *limits), path)
    if origin in (Union, types.UnionType):
        (inner,) = [one for one in get_args(kind) if one is not type(None)]
        return _values(inner, limits, path)
    if origin is Literal:
        return st.sampled_from(get_args(kind))
    if origin is tuple:
        longest = min([_LIST_AT_MOST, *(one.max_length for one in limits if isinstance(one, MaxLen))])
        return st.lists(_values(get_args(kind)[0], (), path), max_size=longest)
    if kind is bool:
        return st.booleans()
    if kind in (int, float):
        low, high = _bounds(limits, path)
        if kind is int:
            return st.integers(int(low), int(high))
        return numbers(low, high)
    if isinstance(kind, type) and issubclass(kind, BaseModel):
        return _model(kind, f"{path}.")
    raise TypeError(f"{path}: no values are known for {kind!r}")


def _bounds(limits: tuple[Any, ...], path: str) -> tuple[float, float]:
    narrower = BOUNDS.get(path) or BOUNDS.get(path.rpartition(".")[0])
    if narrower is not None:
        return narrower
    low = [
        _number(one.ge if isinstance(one, Ge) else one.gt, 0 if isinstance(one, Ge) else 1e-3)
        for one in limits
        if isinstance(one, Ge | Gt)
    ]
    high = [
        _number(one.le if isinstance(one, Le) else one.lt, 0 if isinstance(one, Le) else -1e-3)
        for one in limits
        if isinstance(one, Le | Lt)
    ]
    if not low or not high:
        raise TypeError(f"{path} has no bounds on both sides: give it some in BOUNDS")
    return max(low), min(high)


def _number(bound: Any, inside: float) -> float:
    return float(bound) + inside


def _model_in(kind: Any) -> type[BaseModel] | None:
    if isinstance(kind, type) and issubclass(kind, BaseModel):
        return kind
    for inner in get_args(kind):
        found = _model_in(inner)
        if found is not None:
            return found
    return None
