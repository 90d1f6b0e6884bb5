"""``meanbead estimate`` and ``settings``: what a recipe comes to, in time and plastic, and setting by setting."""

from __future__ import annotations

import argparse
import json
from pathlib import Path
from typing import TYPE_CHECKING

from meanbead.cli.inputs import Commands, inputs_of, job_arguments, job_of, layers, part_arguments, read
from meanbead.core.text.durations import duration

if TYPE_CHECKING:
    from meanbead.core.estimate.job import Prepared
    from meanbead.core.model import Estimate, PartFacts
    from meanbead.core.model.estimate import Indices

__all__ = ["add"]


def add(commands: Commands) -> None:
    """Add the commands and their arguments."""
    estimate = commands.add_parser("estimate", help="time, filament and cost of a part with a recipe")
    part_arguments(estimate)
    job_arguments(estimate)
    estimate.add_argument(
        "--layers", type=layers, default=None, metavar="all|N", help="plan all layers, or a sample of N"
    )
    estimate.add_argument(
        "--runs", metavar="RUNS.json", type=Path, help="logged runs of the machine: the interval then rests on them"
    )
    estimate.add_argument("--per-layer", action="store_true", help="print both ledgers layer by layer, as JSON")
    estimate.set_defaults(run=_estimate)
    settings = commands.add_parser("settings", help="every setting that a recipe comes to, with its reason")
    job_arguments(settings)
    settings.add_argument(
        "--house", metavar="H.json", type=Path, help="house rules; left out, the usual school of each"
    )
    settings.add_argument("--limits", metavar="L.json", type=Path, help="limits of what the part is for")
    settings.add_argument("--json", action="store_true", help="print one JSON object")
    settings.set_defaults(run=_settings)


def _estimate(arguments: argparse.Namespace) -> None:
    from meanbead.core.estimate import Engine
    from meanbead.core.estimate.job import prepare
    from meanbead.core.rules import with_findings

    job = job_of(arguments)
    if arguments.per_layer:
        print(Engine().by_layer(job).model_dump_json())
        return
    engine, prepared = Engine(), prepare(job)
    result = with_findings(engine.estimate(prepared, arguments.layers), prepared, engine.facts(job.solid))
    if arguments.runs is None:
        from meanbead.core.estimate.interval import whole_interval

        interval = whole_interval(result)
    else:
        from meanbead.cli.learnt import calibration_of

        interval = calibration_of(arguments.runs).interval(result)
    result = result.model_copy(update={"interval": interval})
    if arguments.json:
        measures = _indices(prepared, result, engine.facts(job.solid))
        print(result.model_copy(update={"measures": measures}).model_dump_json())
        return
    print(
        f"printing   {duration(result.print_time_s)}   ({duration(result.interval.low_s)} to "
        f"{duration(result.interval.high_s)}, {result.interval.source})"
    )
    if result.interval.runs and result.interval.expected_s is not None:
        print(f"expected   {duration(result.interval.expected_s)}   {result.interval.basis}")
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


def _indices(prepared: Prepared, estimate: Estimate, facts: PartFacts) -> Indices:
    from meanbead.core.formulas.strength import strength
    from meanbead.core.formulas.surface import clean_overhang_deg
    from meanbead.core.model.estimate import Indices

    index = strength(prepared.plan, prepared.job.material, facts.volume_mm3, facts.surface_mm2)
    return Indices(
        bond=index.bond,
        crush=index.crush,
        sideways=index.sideways,
        bend=index.bend,
        clean_overhang_deg=clean_overhang_deg(prepared.plan, prepared.job.printer),
        returns_mm=estimate.returns_mm,
    )


def _settings(arguments: argparse.Namespace) -> None:
    from meanbead.core.model import Limits, Standards
    from meanbead.core.model.house import HouseRules
    from meanbead.core.recipe.machine_sheet import machine_sheet
    from meanbead.core.recipe.settings_sheet import settings_sheet

    standards = Standards(house=read(arguments.house, HouseRules), limits=read(arguments.limits, Limits))
    inputs = inputs_of(arguments)
    rows = settings_sheet(*inputs, standards) + machine_sheet(*inputs, standards)
    if arguments.json:
        print(json.dumps({"settings": [row.model_dump() for row in rows]}, ensure_ascii=False))
        return
    for row in rows:
        print(f"{row.label:<28} {row.shown:>14} {row.unit:<6} {row.why}")
