"""``meanbead levers`` and ``search``: which changes save, and all that limits allow."""

from __future__ import annotations

import argparse
import json
from pathlib import Path
from typing import TYPE_CHECKING, Any

from meanbead.cli.inputs import Commands, bores, job_arguments, job_of, part_arguments, read
from meanbead.core.errors import MeanBeadError
from meanbead.core.model import Nozzle
from meanbead.core.text.durations import duration, duration_difference

if TYPE_CHECKING:  # the engine is loaded by the commands that need it
    from meanbead.core.advise.context import AdviceContext
    from meanbead.core.advise.limits import SearchLimits
    from meanbead.core.estimate.engine import Engine, PrintJob

__all__ = ["add"]


def add(commands: Commands) -> None:
    """Add the commands and their arguments."""
    levers = commands.add_parser("levers", help="every single change worth considering, and what each takes")
    part_arguments(levers)
    job_arguments(levers)
    levers.add_argument("--limits", metavar="L.json", type=Path, help="limits of what the part is for")
    levers.add_argument(
        "--nozzles", metavar="MM,MM", type=bores, default=[], help="other bores on hand, such as 0.6,0.8"
    )
    levers.add_argument("--by", choices=["minutes", "grams", "cost"], default="minutes", help="what to rank by")
    levers.set_defaults(run=_levers)
    search = commands.add_parser("search", help="all that limits allow, and the frontier of time against filament")
    part_arguments(search)
    job_arguments(search)
    search.add_argument(
        "--vary", metavar="V.json", type=Path, help="settings and their values; left out, the usual ones"
    )
    search.add_argument("--limits", metavar="L.json", type=Path, help="limits of this search")
    search.add_argument("--nozzles", metavar="MM,MM", type=bores, default=[], help="other bores on hand")
    search.add_argument("--against", choices=["filament_g", "expected_cost", "ridge_mm", "bend"], default="filament_g")
    search.add_argument("--budget", type=int, default=500, help="recipes to compute at most")
    search.add_argument("--seconds", type=float, default=None, help="how long it may take, about")
    search.set_defaults(run=_search)


def _levers(arguments: argparse.Namespace) -> None:
    from meanbead.core.advise.levers import levers
    from meanbead.core.estimate import Engine

    engine, job = Engine(), job_of(arguments)
    context, _ = _advice_context(engine, job, arguments)
    advice = levers(engine, job, context, arguments.by)
    if arguments.json:
        print(advice.model_dump_json())
        return
    print(f"now        {duration(advice.base.piece_time_s)}   {advice.base.filament_g:.1f} g")
    for lever in advice.levers:
        takes = (
            "; ".join([*lever.takes, *(f"breaks a limit: {item.sentence}" for item in lever.breaks)]) or "takes nothing"
        )
        print(f"{duration_difference(lever.time_s):>13}  {lever.filament_g:+6.1f} g  {lever.label} ({takes})")
    if advice.together is not None:
        print(
            f"{duration_difference(advice.together.time_s):>13}  {advice.together.filament_g:+6.1f} g  {advice.together.label}"
        )


def _search(arguments: argparse.Namespace) -> None:
    from meanbead.core.advise.search import USUAL_TIME_S, search
    from meanbead.core.advise.space import usual_vary
    from meanbead.core.estimate import Engine

    engine, job = Engine(), job_of(arguments)
    context, limits = _advice_context(engine, job, arguments)
    vary = usual_vary(job, context) if arguments.vary is None else _read_vary(arguments.vary, context)
    time_s = arguments.seconds or USUAL_TIME_S
    found = search(
        engine, job, vary, limits, context, against=arguments.against, budget=arguments.budget, time_s=time_s
    )
    if arguments.json:
        print(found.model_dump_json())
        return
    print(
        f"computed   {found.computed} of {found.space}; {found.discarded} ruled out before, {found.broke_limits} over a limit"
    )
    print(f"now        {duration(found.base.piece_time_s)}   {found.base.filament_g:.1f} g")
    for number in found.frontier:
        dot = found.dots[number]
        values = ", ".join(f"{key} {value}" for key, value in dot.values.items())
        marks = [
            name
            for name, pick in (("fastest", found.fastest), ("knee", found.knee), ("leanest", found.leanest))
            if pick is not None and pick.dot == number
        ]
        print(
            f"{duration(dot.measures.piece_time_s):>10}   {dot.measures.filament_g:6.1f} g  {'/'.join(marks):8} {values}"
        )
    if found.doubt:
        print(found.doubt)


def _advice_context(engine: Engine, job: PrintJob, arguments: argparse.Namespace) -> tuple[AdviceContext, SearchLimits]:
    """The context of a part by itself: nozzle 0 is the one in use, the others those on hand."""
    from meanbead.core.advise.context import AdviceContext
    from meanbead.core.advise.limits import SearchLimits
    from meanbead.core.model import Limits
    from meanbead.core.part.facts import part_facts

    limits = read(arguments.limits, SearchLimits)
    own = {name: getattr(limits, name) for name in Limits.model_fields}
    nozzles = {0: job.nozzle} | {n: Nozzle(bore_mm=bore) for n, bore in enumerate(arguments.nozzles, start=1)}
    context = AdviceContext(part_facts(job.solid), engine.insight(job.solid).facts, Limits(**own), nozzles=nozzles)
    return context, limits


def _read_vary(path: Path, context: AdviceContext) -> dict[str, list[Any]]:
    """What varies, from a file; bores become the numbers of the nozzles on hand."""
    try:
        vary = json.loads(path.read_text())
    except ValueError:
        raise MeanBeadError(f"{path.name}: not JSON.") from None
    if not isinstance(vary, dict) or not all(isinstance(values, list) and values for values in vary.values()):
        raise MeanBeadError(f"{path.name}: give an object of settings, each with a list of values.")
    if "nozzle_diameter_mm" in vary:
        numbers = {nozzle.bore_mm: number for number, nozzle in context.nozzles.items()}
        unknown = [bore for bore in vary["nozzle_diameter_mm"] if bore not in numbers]
        if unknown:
            raise MeanBeadError(f"{path.name}: nozzle_diameter_mm: {unknown[0]} is not on hand; name it in --nozzles.")
        vary["nozzle"] = [numbers[bore] for bore in vary.pop("nozzle_diameter_mm")]
    return vary
