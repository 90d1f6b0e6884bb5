"""``meanbead gcode`` and ``firmware``: replay a file, and read what a machine says of itself."""

from __future__ import annotations

import argparse
from pathlib import Path

from meanbead.cli.inputs import Commands, read
from meanbead.core.errors import MeanBeadError
from meanbead.core.model import Material, Nozzle, Printer
from meanbead.core.text.durations import duration

__all__ = ["add"]


def add(commands: Commands) -> None:
    """Add the commands and their arguments."""
    gcode = commands.add_parser("gcode", help="replay a G-code file through the motion model")
    gcode.add_argument("file", metavar="FILE", type=Path)
    gcode.add_argument("--printer", metavar="P.json", type=Path, help="machine; left out, a typical one")
    gcode.add_argument(
        "--nozzle",
        metavar="N.json",
        type=Path,
        help="nozzle, for the melt ceiling; left out, the one that the file's head names",
    )
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


def _gcode(arguments: argparse.Namespace) -> None:
    from meanbead.core.gcode import FEATURE_PATTERN, replay
    from meanbead.core.gcode.beside import nozzle_of_head

    with arguments.file.open("rb") as stream:
        nozzle = read(arguments.nozzle, Nozzle) if arguments.nozzle else nozzle_of_head(stream)
        result = replay(
            stream,
            read(arguments.printer, Printer),
            nozzle=nozzle,
            material=read(arguments.material, Material),
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
    print(printer_from_report(text, read(arguments.printer, Printer)).printer.model_dump_json(indent=2))
