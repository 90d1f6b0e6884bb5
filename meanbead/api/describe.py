"""Polish the generated OpenAPI document: one schema per model, problem details as such, the upload's form."""

from __future__ import annotations

import json
import re
from typing import Any

from apiflask import APIFlask

_NESTED = re.compile(r"(#/components/schemas/)[A-Za-z]+\.([A-Za-z0-9]+)")
_PROBLEM = {"$ref": "#/components/schemas/Problem"}


def _form(**extra: Any) -> dict[str, Any]:
    """A multipart form with a file, and whatever else."""
    properties = {"file": {"type": "string", "format": "binary"}, **extra}
    schema = {"type": "object", "required": ["file"], "properties": properties}
    return {"required": True, "content": {"multipart/form-data": {"schema": schema}}}


_UPLOAD = _form(unit={"type": "string", "enum": ["auto", "mm", "cm", "inch", "m"], "default": "auto"})
_GCODE = _form()


def register(app: APIFlask) -> None:
    """Have the document polished whenever it is made."""

    @app.spec_processor
    def polish(spec: dict[Any, Any] | str) -> dict[Any, Any] | str:
        return spec if isinstance(spec, str) else polished(spec)


def polished(spec: dict[str, Any]) -> dict[str, Any]:
    """The document with nested models under their own names instead of one copy per user."""
    whole: dict[str, Any] = json.loads(_NESTED.sub(r"\1\2", json.dumps(spec)))
    schemas = whole["components"]["schemas"]
    for name in list(schemas):
        if "." in name:
            schemas.setdefault(name.rsplit(".", 1)[1], schemas[name])
            del schemas[name]
    for path in whole["paths"].values():
        for operation in path.values():
            for response in operation.get("responses", {}).values() if isinstance(operation, dict) else []:
                content = response.get("content", {})
                if content.get("application/json", {}).get("schema") == _PROBLEM:
                    content["application/problem+json"] = content.pop("application/json")
    whole["paths"]["/api/parts"]["post"]["requestBody"] = _UPLOAD
    whole["paths"]["/api/parts/{part_id}/gcode"]["post"]["requestBody"] = _GCODE
    picture = {"description": "The part's drawing", "content": {"image/png": {}}}
    whole["paths"]["/api/parts/{part_id}/picture"]["get"]["responses"]["200"] = picture
    return whole
