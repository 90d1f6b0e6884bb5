"""``meanbead schema``: the JSON Schemas of what goes in and comes out."""

from __future__ import annotations

import argparse
import json

from pydantic import BaseModel

from meanbead.cli.inputs import Commands
from meanbead.core.model import Estimate, LayerLedger, Material, Nozzle, PartFacts, Printer, Recipe
from meanbead.core.model.day import Day, DayPlan

__all__ = ["add"]

SCHEMAS: dict[str, type[BaseModel]] = {
    "recipe": Recipe,
    "printer": Printer,
    "nozzle": Nozzle,
    "material": Material,
    "estimate": Estimate,
    "layers": LayerLedger,
    "facts": PartFacts,
    "day": Day,
    "plan": DayPlan,
}


def add(commands: Commands) -> None:
    """Add the command and its arguments."""
    schema = commands.add_parser("schema", help="JSON Schema of a model")
    schema.add_argument("model", choices=sorted(SCHEMAS))
    schema.set_defaults(run=_schema)


def _schema(arguments: argparse.Namespace) -> None:
    print(json.dumps(SCHEMAS[arguments.model].model_json_schema(by_alias=True), indent=2))
