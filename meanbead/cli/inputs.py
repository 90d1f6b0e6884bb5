"""What several commands read from a shell: a part, a recipe with its machine, lists of figures."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

from pydantic import BaseModel, ValidationError

from meanbead.core.errors import MeanBeadError, OpenSurface, PartError, SeveralModels
from meanbead.core.model import Material, Nozzle, Printer, Recipe
from meanbead.core.text.explain import explain

if TYPE_CHECKING:  # the engine is loaded by the commands that need it
    from meanbead.core.estimate.engine import PrintJob

__all__ = ["Commands", "bores", "inputs_of", "job_arguments", "job_of", "layers", "part_arguments", "read", "solid_of"]

AnyModel = TypeVar("AnyModel", bound=BaseModel)
if TYPE_CHECKING:
    Commands = argparse._SubParsersAction[argparse.ArgumentParser]
else:
    Commands = Any


def part_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("part", metavar="PART", type=Path, help="STL, OBJ, 3MF, PLY or STEP file, or a zip of these")
    parser.add_argument("--unit", choices=["auto", "mm", "cm", "inch", "m"], default="auto", help="unit of the file")
    parser.add_argument("--member", metavar="NAME", default="", help="which model of a zip archive")
    parser.add_argument("--close-gaps", action="store_true", help="agree to guess where the surface is open")
    parser.add_argument(
        "--sheet-mm", metavar="MM", type=float, help="thickness for sheets that have none, with --close-gaps"
    )
    parser.add_argument("--json", action="store_true", help="print one JSON object")


def job_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--recipe", metavar="R.json", type=Path, help="choices; left out, all defaults")
    parser.add_argument("--printer", metavar="P.json", type=Path, help="machine; left out, a typical one")
    parser.add_argument("--nozzle", metavar="N.json", type=Path, help="nozzle metal and shape")
    parser.add_argument("--material", metavar="M.json", type=Path, help="plastic; left out, a typical PLA")


def job_of(arguments: argparse.Namespace) -> PrintJob:
    from meanbead.core.estimate.engine import PrintJob

    return PrintJob(solid_of(arguments), *inputs_of(arguments))


def inputs_of(arguments: argparse.Namespace) -> tuple[Recipe, Printer, Nozzle, Material]:
    from meanbead.core.gcode.routine import with_routines

    recipe = read(arguments.recipe, Recipe)
    nozzle = read(arguments.nozzle, Nozzle)
    if arguments.nozzle is None and recipe.nozzle_diameter_mm is not None:
        nozzle = Nozzle(bore_mm=recipe.nozzle_diameter_mm)
    return recipe, with_routines(read(arguments.printer, Printer)), nozzle, read(arguments.material, Material)


def solid_of(arguments: argparse.Namespace) -> Any:
    from meanbead.core.part.read import read_mesh
    from meanbead.core.part.solid import make_solid

    try:
        raw = read_mesh(arguments.part.read_bytes(), arguments.part.name, arguments.member)
    except SeveralModels as problem:
        names = ", ".join(problem.names)
        raise PartError(problem.message, field="member", remedy=f"Name one with --member: {names}.") from None
    if not arguments.close_gaps:
        try:
            return make_solid(raw, arguments.unit)
        except OpenSurface as problem:
            raise PartError(
                problem.message, field=problem.field, remedy="Give --close-gaps to have it closed by guessing."
            ) from None
    from meanbead.core.part.closing import close_gaps

    if arguments.sheet_mm is not None and not 0.1 <= arguments.sheet_mm <= 50:
        raise PartError("A sheet can be 0.1 to 50 mm thick.", field="sheet_mm")
    closed = close_gaps(raw, arguments.unit, arguments.sheet_mm)
    for sentence in closed.guesses.sentences:
        print(f"guessed    {sentence}", file=sys.stderr)
    return closed.solid


def read(path: Path | None, model: type[AnyModel]) -> AnyModel:
    if path is None:
        return model()
    try:
        return model.model_validate_json(path.read_bytes())
    except ValidationError as problem:
        first = explain(problem, model)[0]
        raise MeanBeadError(f"{path.name}: {first.field + ': ' if first.field else ''}{first.message}") from None


def bores(text: str) -> list[float]:
    try:
        bores = [float(entry) for entry in text.split(",") if entry]
    except ValueError:
        bores = [0.0]
    if not all(0.1 <= bore <= 2 for bore in bores):
        raise argparse.ArgumentTypeError(f"give bores in mm, such as 0.6,0.8, not {text!r}")
    return bores


def layers(text: str) -> int | None:
    if text == "all":
        return None
    if not text.isdigit() or int(text) < 1:
        raise argparse.ArgumentTypeError(f"give all, or a number of layers, not {text!r}")
    return int(text)
