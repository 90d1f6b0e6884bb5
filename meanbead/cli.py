"""The core from a shell. Bad input ends with exit code 2 and one clear line on standard error."""

from __future__ import annotations

import argparse
import json
import sys
import threading
from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING, Any, NoReturn, TypeVar

from pydantic import BaseModel, ValidationError

from meanbead.core.errors import MeanBeadError, OpenSurface, PartError, SeveralModels
from meanbead.core.model import Estimate, LayerLedger, Material, Nozzle, PartFacts, Printer, Recipe
from meanbead.core.text.durations import duration, duration_difference
from meanbead.core.text.explain import explain

if TYPE_CHECKING:  # the engine is loaded by the commands that need it
    from meanbead.core.advise.context import AdviceContext
    from meanbead.core.advise.limits import SearchLimits
    from meanbead.core.estimate.engine import Engine, PrintJob

SCHEMAS: dict[str, type[BaseModel]] = {
    "recipe": Recipe,
    "printer": Printer,
    "nozzle": Nozzle,
    "material": Material,
    "estimate": Estimate,
    "layers": LayerLedger,
    "facts": PartFacts,
}
AnyModel = TypeVar("AnyModel", bound=BaseModel)


class _Parser(argparse.ArgumentParser):
    """Says what is wrong in one line, without the usage text in front of it."""

    def error(self, message: str) -> NoReturn:
        self.exit(2, f"{self.prog}: {message} (see {self.prog} --help)\n")


def main(argv: list[str] | None = None) -> int:
    """Entry point of the ``meanbead`` command; returns the exit code."""
    arguments = _parser().parse_args(argv)
    try:
        arguments.run(arguments)
    except BrokenPipeError:
        return 0
    except (MeanBeadError, OSError) as problem:
        print(f"meanbead: {_one_line(problem)}", file=sys.stderr)
        return 2
    return 0


def _parser() -> argparse.ArgumentParser:
    parser = _Parser(prog="meanbead", description="True time and filament of a printed part.")
    commands = parser.add_subparsers(required=True, metavar="COMMAND")

    facts = commands.add_parser("facts", help="what a part is: size, volume, surface, footprint")
    _part(facts)
    facts.set_defaults(run=_facts)

    estimate = commands.add_parser("estimate", help="time, filament and cost of a part with a recipe")
    _part(estimate)
    _job_arguments(estimate)
    estimate.add_argument(
        "--layers", type=_layers, default=None, metavar="all|N", help="plan all layers, or a sample of N"
    )
    estimate.add_argument("--per-layer", action="store_true", help="print both ledgers layer by layer, as JSON")
    estimate.set_defaults(run=_estimate)

    levers = commands.add_parser("levers", help="every single change worth considering, and what each takes")
    _part(levers)
    _job_arguments(levers)
    levers.add_argument("--limits", metavar="L.json", type=Path, help="limits of what the part is for")
    levers.add_argument(
        "--nozzles", metavar="MM,MM", type=_bores, default=[], help="other bores on hand, such as 0.6,0.8"
    )
    levers.add_argument("--by", choices=["minutes", "grams", "cost"], default="minutes", help="what to rank by")
    levers.set_defaults(run=_levers)

    search = commands.add_parser("search", help="all that limits allow, and the frontier of time against filament")
    _part(search)
    _job_arguments(search)
    search.add_argument(
        "--vary", metavar="V.json", type=Path, help="settings and their values; left out, the usual ones"
    )
    search.add_argument("--limits", metavar="L.json", type=Path, help="limits of this search")
    search.add_argument("--nozzles", metavar="MM,MM", type=_bores, default=[], help="other bores on hand")
    search.add_argument("--against", choices=["filament_g", "expected_cost", "ridge_mm", "bend"], default="filament_g")
    search.add_argument("--budget", type=int, default=500, help="recipes to compute at most")
    search.add_argument("--seconds", type=float, default=None, help="how long it may take, about")
    search.set_defaults(run=_search)

    settings = commands.add_parser("settings", help="every setting that a recipe comes to, with its reason")
    _job_arguments(settings)
    settings.add_argument(
        "--house", metavar="H.json", type=Path, help="house rules; left out, the usual school of each"
    )
    settings.add_argument("--limits", metavar="L.json", type=Path, help="limits of what the part is for")
    settings.add_argument("--json", action="store_true", help="print one JSON object")
    settings.set_defaults(run=_settings)

    gcode = commands.add_parser("gcode", help="replay a G-code file through the motion model")
    gcode.add_argument("file", metavar="FILE", type=Path)
    gcode.add_argument("--printer", metavar="P.json", type=Path, help="machine; left out, a typical one")
    gcode.add_argument("--nozzle", metavar="N.json", type=Path, help="nozzle, for the melt ceiling")
    gcode.add_argument("--material", metavar="M.json", type=Path, help="plastic, for grams and the melt ceiling")
    gcode.add_argument("--pattern", metavar="REGEX", help="comments that name features, with a group (?P<feature>...)")
    gcode.add_argument(
        "--limits-pattern",
        metavar="REGEX",
        help="extended commands that set limits, with groups (?P<acceleration>...) or (?P<corner>...)",
    )
    gcode.add_argument("--json", action="store_true", help="print one JSON object")
    gcode.set_defaults(run=_gcode)

    firmware = commands.add_parser("firmware", help="a printer from the settings that a firmware's console reports")
    firmware.add_argument("report", metavar="REPORT", type=Path, nargs="?", help="text of the report")
    firmware.add_argument("--console", metavar="ADDRESS", help="ask a console: host:port or a serial device")
    firmware.add_argument("--printer", metavar="P.json", type=Path, help="description to fill in")
    firmware.set_defaults(run=_firmware)

    simulate = commands.add_parser("simulate", help="run a simulated device to try things with")
    simulate.add_argument("device", choices=["console", "hotend", "scale"])
    simulate.add_argument("--grams", type=float, default=20.0, metavar="G", help="what lies on the simulated scale")
    simulate.add_argument("--hurry", type=float, default=1.0, metavar="TIMES", help="how much faster than real time")
    simulate.add_argument("--port", type=int, default=0, help="loopback port; 0 takes a free one")
    simulate.set_defaults(run=_simulate)

    worker = commands.add_parser("worker", help="do background work for a workshop, on this or a second machine")
    worker.add_argument("--database", metavar="URL", required=True, help="postgresql://... of the workshop")
    worker.set_defaults(run=_worker)

    flow = commands.add_parser("flow", help="the flow test: what to run, and what it says")
    kinds = flow.add_subparsers(required=True, metavar="plan|fit")
    planned = kinds.add_parser("plan", help="flows, lengths, time and grams of a test, or the file that runs it")
    for name, help_text in (("printer", "machine"), ("nozzle", "nozzle"), ("material", "plastic")):
        planned.add_argument(
            f"--{name}", metavar=f"{name[0].upper()}.json", type=Path, help=f"{help_text}; left out, a typical one"
        )
    planned.add_argument("--temp", metavar="C[,C]", type=_temps, required=True, help="temperatures, such as 205,220")
    planned.add_argument(
        "--fan", type=float, default=0.0, metavar="SHARE", help="share of the part fan, 0 to 1: as you print"
    )
    planned.add_argument("--scale", type=float, default=0.01, metavar="G", help="step in which the scale reads, g")
    planned.add_argument("--pause", choices=["button", "dwell"], default="button", help="how the machine waits for you")
    shown = planned.add_mutually_exclusive_group()
    shown.add_argument("--json", action="store_true", help="print one JSON object")
    shown.add_argument("--gcode", action="store_true", help="print the file that runs the test")
    planned.set_defaults(run=_flow_plan)
    fitted = kinds.add_parser("fit", help="knee, limits and drive from what came out")
    fitted.add_argument("test", metavar="TEST.json", type=Path)
    fitted.add_argument("--json", action="store_true", help="print one JSON object")
    fitted.set_defaults(run=_flow_fit)

    people = commands.add_parser("people", help="accounts of a workshop: add, list, give a new passphrase")
    kinds = people.add_subparsers(required=True, metavar="add|list|passphrase", dest="what")
    added = kinds.add_parser("add", help="add an account; its passphrase is asked for, or read from standard input")
    added.add_argument("name")
    added.add_argument(
        "--owner", dest="role", action="store_const", const="owner", default="member", help="as an owner"
    )
    added.add_argument("--guest", dest="role", action="store_const", const="guest", help="as a guest at the machine")
    listed = kinds.add_parser("list", help="who has an account")
    reset = kinds.add_parser("passphrase", help="give somebody a new passphrase; their devices are signed out")
    reset.add_argument("name")
    for one in (added, listed, reset):
        one.add_argument("--data", type=Path, help="folder of the database; left out, the usual one")
        one.set_defaults(run=_people)

    schema = commands.add_parser("schema", help="JSON Schema of a model")
    schema.add_argument("model", choices=sorted(SCHEMAS))
    schema.set_defaults(run=_schema)
    return parser


def _part(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("part", metavar="PART", type=Path, help="STL, OBJ, 3MF, PLY or STEP file, or a zip of these")
    parser.add_argument("--unit", choices=["auto", "mm", "cm", "inch", "m"], default="auto", help="unit of the file")
    parser.add_argument("--member", metavar="NAME", default="", help="which model of a zip archive")
    parser.add_argument("--close-gaps", action="store_true", help="agree to guess where the surface is open")
    parser.add_argument(
        "--sheet-mm", metavar="MM", type=float, help="thickness for sheets that have none, with --close-gaps"
    )
    parser.add_argument("--json", action="store_true", help="print one JSON object")


def _job_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--recipe", metavar="R.json", type=Path, help="choices; left out, all defaults")
    parser.add_argument("--printer", metavar="P.json", type=Path, help="machine; left out, a typical one")
    parser.add_argument("--nozzle", metavar="N.json", type=Path, help="nozzle metal and shape")
    parser.add_argument("--material", metavar="M.json", type=Path, help="plastic; left out, a typical PLA")


def _facts(arguments: argparse.Namespace) -> None:
    from meanbead.core.part.facts import part_facts

    solid = _solid(arguments)
    facts = part_facts(solid)
    if arguments.json:
        print(facts.model_dump_json())
        return
    size = facts.extents_mm
    print(f"size       {size.x:.2f} x {size.y:.2f} x {size.z:.2f} mm")
    print(f"volume     {facts.volume_mm3 / 1000:.2f} cm3")
    print(f"surface    {facts.surface_mm2 / 100:.1f} cm2")
    print(f"footprint  {facts.footprint_mm2 / 100:.2f} cm2")
    print(f"triangles  {facts.triangles:,} in {facts.bodies} {'body' if facts.bodies == 1 else 'bodies'}")
    if solid.guessed is not None and solid.guessed.any():
        print(f"guessed    {int(solid.guessed.sum()):,} triangles of the surface")
    for sentence in facts.mended:
        print(f"mended     {sentence}")


def _estimate(arguments: argparse.Namespace) -> None:
    from meanbead.core.estimate import Engine
    from meanbead.core.estimate.job import prepare
    from meanbead.core.rules import with_findings

    job = _job(arguments)
    if arguments.per_layer:
        print(Engine().by_layer(job).model_dump_json())
        return
    engine, prepared = Engine(), prepare(job)
    result = with_findings(engine.estimate(prepared, arguments.layers), prepared, engine.facts(job.solid))
    if arguments.json:
        print(result.model_dump_json())
        return
    print(
        f"printing   {duration(result.print_time_s)}   ({duration(result.interval.low_s)} to "
        f"{duration(result.interval.high_s)}, {result.interval.source})"
    )
    print(f"whole      {duration(result.whole_time_s)}   with heat-up and start routine")
    print(f"filament   {result.filament_g:.1f} g, {result.filament_mm / 1000:.2f} m")
    costs = f"{result.filament_cost:.2f} filament, {result.power_cost:.2f} electricity, {result.wear_cost:.2f} wear"
    print(f"cost       {result.cost:.2f}   {costs}")
    sampled = f"   {result.layers_planned} planned, within {100 * result.sampling_error:.1f} %"
    print(f"layers     {result.layers}{sampled if result.layers_planned < result.layers else ''}")
    if result.lost_mm3 + result.overfilled_mm3 > 0.001 * result.filament_mm3:
        print(f"truth      {result.lost_mm3:.0f} mm3 too thin to lay, {result.overfilled_mm3:.0f} mm3 laid twice")
    print(
        f"flow       {result.peak_flow_mm3_s:.1f} of {result.melt_ceiling_mm3_s:.1f} mm3/s "
        f"({result.melt_ceiling_source})"
    )
    for name, share in sorted(result.by_feature.items(), key=lambda pair: -pair[1].time_s):
        print(f"  {name:<12} {duration(share.time_s):>8}  {share.filament_g:6.1f} g")
    for finding in result.findings:
        print(f"{finding.severity:<6} {finding.sentence} {finding.remedy}")


def _job(arguments: argparse.Namespace) -> PrintJob:
    from meanbead.core.estimate.engine import PrintJob

    return PrintJob(_solid(arguments), *_inputs(arguments))


def _inputs(arguments: argparse.Namespace) -> tuple[Recipe, Printer, Nozzle, Material]:
    from meanbead.core.gcode.routine import with_routines

    recipe = _read(arguments.recipe, Recipe)
    nozzle = _read(arguments.nozzle, Nozzle)
    if arguments.nozzle is None and recipe.nozzle_diameter_mm is not None:
        nozzle = Nozzle(bore_mm=recipe.nozzle_diameter_mm)
    return recipe, with_routines(_read(arguments.printer, Printer)), nozzle, _read(arguments.material, Material)


def _settings(arguments: argparse.Namespace) -> None:
    from meanbead.core.model import Limits, Standards
    from meanbead.core.model.house import HouseRules
    from meanbead.core.recipe.settings_sheet import settings_sheet

    standards = Standards(house=_read(arguments.house, HouseRules), limits=_read(arguments.limits, Limits))
    rows = settings_sheet(*_inputs(arguments), standards)
    if arguments.json:
        print(json.dumps({"settings": [row.model_dump() for row in rows]}, ensure_ascii=False))
        return
    for row in rows:
        print(f"{row.label:<28} {row.shown:>14} {row.unit:<6} {row.why}")


def _advice_context(engine: Engine, job: PrintJob, arguments: argparse.Namespace) -> tuple[AdviceContext, SearchLimits]:
    """The context of a part by itself: nozzle 0 is the one in use, the others those on hand."""
    from meanbead.core.advise.context import AdviceContext
    from meanbead.core.advise.limits import SearchLimits
    from meanbead.core.model import Limits
    from meanbead.core.part.facts import part_facts

    limits = _read(arguments.limits, SearchLimits)
    own = {name: getattr(limits, name) for name in Limits.model_fields}
    nozzles = {0: job.nozzle} | {n: Nozzle(bore_mm=bore) for n, bore in enumerate(arguments.nozzles, start=1)}
    context = AdviceContext(part_facts(job.solid), engine.insight(job.solid).facts, Limits(**own), nozzles=nozzles)
    return context, limits


def _levers(arguments: argparse.Namespace) -> None:
    from meanbead.core.advise.levers import levers
    from meanbead.core.estimate import Engine

    engine, job = Engine(), _job(arguments)
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

    engine, job = Engine(), _job(arguments)
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


def _read_vary(path: Path, context: AdviceContext) -> dict[str, list[Any]]:
    """What varies, from a file; bores become the numbers of the nozzles on hand."""
    try:
        vary = json.loads(path.read_text())
    except ValueError:
        raise MeanBeadError(f"{path.name}: not JSON.") from None
    if not isinstance(vary, dict) or not all(isinstance(values, list) and values for values in vary.values()):
        raise MeanBeadError(f"{path.name}: give an object of settings, each with a list of values.")
    if "nozzle_diameter_mm" in vary:
        bores = {nozzle.bore_mm: number for number, nozzle in context.nozzles.items()}
        unknown = [bore for bore in vary["nozzle_diameter_mm"] if bore not in bores]
        if unknown:
            raise MeanBeadError(f"{path.name}: nozzle_diameter_mm: {unknown[0]} is not on hand; name it in --nozzles.")
        vary["nozzle"] = [bores[bore] for bore in vary.pop("nozzle_diameter_mm")]
    return vary


def _bores(text: str) -> list[float]:
    try:
        bores = [float(entry) for entry in text.split(",") if entry]
    except ValueError:
        bores = [0.0]
    if not all(0.1 <= bore <= 2 for bore in bores):
        raise argparse.ArgumentTypeError(f"give bores in mm, such as 0.6,0.8, not {text!r}")
    return bores


def _gcode(arguments: argparse.Namespace) -> None:
    from meanbead.core.gcode import FEATURE_PATTERN, replay

    with arguments.file.open("rb") as stream:
        result = replay(
            stream,
            _read(arguments.printer, Printer),
            nozzle=_read(arguments.nozzle, Nozzle),
            material=_read(arguments.material, Material),
            pattern=arguments.pattern or FEATURE_PATTERN,
            limits_pattern=arguments.limits_pattern,
        )
    if arguments.json:
        print(result.model_dump_json())
        return
    print(f"printing   {duration(result.print_time_s)}   without homing and heating")
    print(f"filament   {result.filament_g:.1f} g, {result.filament_mm / 1000:.2f} m")
    print(f"layers     {result.layers}")
    print(
        f"flow       {result.peak_flow_mm3_s:.1f} of {result.melt_ceiling_mm3_s:.1f} mm3/s ({result.melt_ceiling_source})"
    )
    for name, share in result.by_feature.items():
        print(f"  {name:<16} {duration(share.time_s):>8}  {share.filament_g:6.1f} g")
    if result.over_ceiling_first_line is not None:
        print(
            f"over the melt ceiling for {duration(result.over_ceiling_s)}, first in line {result.over_ceiling_first_line}"
        )
    if result.over_speed_first_line is not None:
        print(
            f"{result.over_speed_moves:,} moves ask for more speed than an axis has, first in line "
            f"{result.over_speed_first_line}"
        )
    if result.malformed_count:
        print(f"{result.malformed_count} malformed lines: {', '.join(map(str, result.malformed_lines))}")
    if result.unknown_commands:
        print(f"{result.unknown_commands} unknown commands were passed over")


def _firmware(arguments: argparse.Namespace) -> None:
    from meanbead.core.gcode import printer_from_report

    if (arguments.report is None) == (arguments.console is None):
        raise MeanBeadError("Give a report's file or a console's address, one of the two.")
    if arguments.console is not None:
        from meanbead.devices.console import fetch_report

        text = fetch_report(arguments.console)
    else:
        text = arguments.report.read_text(errors="replace")
    print(printer_from_report(text, _read(arguments.printer, Printer)).printer.model_dump_json(indent=2))


def _simulate(arguments: argparse.Namespace) -> None:
    if arguments.device == "hotend":
        _simulate_hotend(arguments)
        return
    if arguments.device == "scale":
        _simulate_scale(arguments)
        return
    from meanbead.simulators.console import ConsoleServer

    with ConsoleServer(arguments.port) as server:
        print(f"A simulated console listens at {server.address}. Stop it with Ctrl-C.", flush=True)
        with suppress(KeyboardInterrupt):
            server.serve_forever()


def _flow_plan(arguments: argparse.Namespace) -> None:
    from meanbead.core.gcode.flow_program import flow_program
    from meanbead.core.learn.flow import plan_flow_test

    if not 0 <= arguments.fan <= 1:
        raise MeanBeadError("--fan: give a share from 0 to 1.", field="fan")
    if not 0 < arguments.scale <= 100:
        raise MeanBeadError("--scale: give the step in which the scale reads, in g, such as 0.01.", field="scale")
    printer, nozzle = _read(arguments.printer, Printer), _read(arguments.nozzle, Nozzle)
    material = _read(arguments.material, Material)
    plan = plan_flow_test(printer, nozzle, material, arguments.temp, fan=arguments.fan, scale_g=arguments.scale)
    if arguments.gcode:
        print(flow_program(plan, printer, f"{material.name}, {nozzle.bore_mm:g} mm", arguments.pause), end="")
        return
    if arguments.json:
        print(plan.model_dump_json())
        return
    print(f"expected   knee at about {plan.expected_mm3_s:.1f} mm3/s ({plan.expected_source})")
    print(f"takes      {duration(plan.time_s)}, {plan.filament_mm / 1000:.1f} m, {plan.filament_g:.0f} g")
    for step in plan.steps:
        print(
            f"  {step.temp_c:g} C  {step.flow_mm3_s:6.1f} mm3/s   {step.speed_mm_s:6.2f} mm/s for {step.length_mm:g} mm, "
            f"{step.expected_g:.2f} g"
        )
    for sentence in (*plan.notes, *plan.cautions):
        print(f"mind       {sentence}")


def _flow_fit(arguments: argparse.Namespace) -> None:
    from meanbead.core.learn.flow import fit_flow_test
    from meanbead.core.model.flow_test import FlowTest

    test = _read(arguments.test, FlowTest)
    if not test.points:
        raise MeanBeadError(f"{arguments.test.name}: points: there are none.", remedy="Give at least one strand.")
    fit = fit_flow_test(test)
    if arguments.json:
        print(fit.model_dump_json())
        return
    for entry in fit.by_temp:
        knee = entry.knee_mm3_s
        where = f"{entry.temp_c:g} C{' fan' if entry.fan else ''}"
        if knee is not None:
            print(f"{where:<10} knee {knee.value:.1f} mm3/s ({knee.low:.1f} to {knee.high:.1f})")
        elif entry.above_mm3_s is not None:
            print(f"{where:<10} no knee up to {entry.above_mm3_s:.1f} mm3/s")
        for word, value in (("straight to", entry.curl_mm3_s), ("skips from", entry.skip_seen_mm3_s)):
            if value is not None:
                print(f"{'':<10} {word} {value:.1f} mm3/s")
        if entry.plan_mm3_s is not None:
            print(f"{'':<10} plan up to {entry.plan_mm3_s:.1f} mm3/s")
    if fit.drive_ratio is not None:
        print(f"drive      {fit.drive_ratio.value:.3f} ({fit.drive_ratio.low:.3f} to {fit.drive_ratio.high:.3f})")
    print("enough is known" if fit.enough else f"next       {fit.next_flow_mm3_s:g} mm3/s at {fit.next_temp_c:g} C")
    for note in fit.notes:
        print(f"note       {note}")


def _temps(text: str) -> list[float]:
    try:
        return [float(entry) for entry in text.split(",") if entry]
    except ValueError:
        raise argparse.ArgumentTypeError(f"give degrees C, such as 205,220, not {text!r}") from None


def _simulate_hotend(arguments: argparse.Namespace) -> None:
    from meanbead.simulators.hotend import HotendServer, SimulatedHotend
    from meanbead.simulators.scale import ScaleServer

    hotend = SimulatedHotend(hurry=arguments.hurry)
    with HotendServer(hotend, arguments.port) as server, ScaleServer(hotend.collect_g) as scale:
        threading.Thread(target=scale.serve_forever, daemon=True).start()
        print(
            f"A simulated hot end's console listens at {server.address}, its scale at {scale.address}. Stop it with Ctrl-C.",
            flush=True,
        )
        with suppress(KeyboardInterrupt):
            server.serve_forever()


def _simulate_scale(arguments: argparse.Namespace) -> None:
    from meanbead.simulators.scale import ScaleServer

    with ScaleServer(lambda: arguments.grams, port=arguments.port) as scale:
        print(f"A simulated scale listens at {scale.address}. Stop it with Ctrl-C.", flush=True)
        with suppress(KeyboardInterrupt):
            scale.serve_forever()


def _layers(text: str) -> int | None:
    if text == "all":
        return None
    if not text.isdigit() or int(text) < 1:
        raise argparse.ArgumentTypeError(f"give all, or a number of layers, not {text!r}")
    return int(text)


def _worker(arguments: argparse.Namespace) -> None:
    from meanbead.jobs.worker import run_process

    run_process(arguments.database)


def _people(arguments: argparse.Namespace) -> None:
    from meanbead import people_cli
    from meanbead.store.cluster import ClusterError
    from meanbead.store.database import NewerData

    try:
        people_cli.run(arguments)
    except (ClusterError, NewerData) as problem:
        raise MeanBeadError(str(problem)) from None


def _schema(arguments: argparse.Namespace) -> None:
    print(json.dumps(SCHEMAS[arguments.model].model_json_schema(), indent=2))


def _solid(arguments: argparse.Namespace) -> Any:
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


def _read(path: Path | None, model: type[AnyModel]) -> AnyModel:
    if path is None:
        return model()
    try:
        return model.model_validate_json(path.read_bytes())
    except ValidationError as problem:
        first = explain(problem, model)[0]
        raise MeanBeadError(f"{path.name}: {first.field + ': ' if first.field else ''}{first.message}") from None


def _one_line(problem: Exception) -> str:
    if isinstance(problem, OSError) and problem.strerror:
        return f"{problem.filename}: {problem.strerror}"
    return " ".join(str(problem).split())


if __name__ == "__main__":
    sys.exit(main())
