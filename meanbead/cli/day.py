"""``meanbead plan``: a day's runs on machines."""

from __future__ import annotations

import argparse
from pathlib import Path

from meanbead.cli.inputs import Commands, read

__all__ = ["add"]


def add(commands: Commands) -> None:
    """Add the command and its arguments."""
    plan = commands.add_parser(
        "plan", help="the day: which run on which machine when, around the hours with someone there"
    )
    plan.add_argument("day", metavar="DAY.json", type=Path)
    plan.add_argument("--seconds", metavar="S", type=float, default=10.0, help="how long to better the plan (10)")
    plan.add_argument("--json", action="store_true", help="print one JSON object")
    plan.set_defaults(run=_plan)


def _plan(arguments: argparse.Namespace) -> None:
    from meanbead.core.model.day import Day
    from meanbead.core.schedule.day import plan_day

    found = plan_day(read(arguments.day, Day), max(0.0, arguments.seconds))
    if arguments.json:
        print(found.model_dump_json(by_alias=True))
        return
    for run in found.runs:
        changes = ", ".join(f"{change.kind}: {change.says}" for change in run.changes)
        print(
            f"{run.machine:<12} {run.start:%a %H:%M} to {run.end:%a %H:%M}  {run.job} {run.copy_number}"
            f"{f'   ({changes})' if changes else ''}"
        )
    for one in found.drying:
        print(f"dry          {one.start:%a %H:%M} to {one.end:%a %H:%M}  {one.material}")
    for late in found.late:
        print(
            f"late         {late.job} {late.copy_number}: due {late.due:%a %H:%M}, by {late.by_s / 3600:.1f} h at the worst"
        )
    for missing in found.unplaced:
        print(f"no place     {missing.job} {missing.copy_number}: {missing.why}")
    print(found.bound_says)
