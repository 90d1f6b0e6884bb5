"""``meanbead write`` and ``meanbead inspect``: a file that prints a plan, and what a file would do."""

from __future__ import annotations

import argparse
import io
import os
import sys
from pathlib import Path
from typing import TYPE_CHECKING, BinaryIO

from meanbead.cli.inputs import Commands, job_arguments, job_of, part_arguments, read
from meanbead.core.errors import MeanBeadError
from meanbead.core.model import Material, Nozzle, Printer

if TYPE_CHECKING:  # loading the reader takes longer than finding out that it is not asked for
    from meanbead.core.gcode.inspect import Inspection

__all__ = ["add"]


def add(commands: Commands) -> None:
    """Add the commands and their arguments."""
    write = commands.add_parser("write", help="G-code that prints a plan, with the machine's own start and end text")
    part_arguments(write)
    job_arguments(write)
    write.add_argument("--options", metavar="O.json", type=Path, help="how the machine wants its files")
    write.add_argument("--out", metavar="FILE", type=Path, help="where to; left out, standard output")
    write.set_defaults(run=_write)
    inspect = commands.add_parser("inspect", help="what any G-code file would do to a machine")
    inspect.add_argument("file", metavar="FILE", type=Path)
    inspect.add_argument("--printer", metavar="P.json", type=Path, help="machine; left out, a typical one")
    inspect.add_argument(
        "--nozzle", metavar="N.json", type=Path, help="nozzle; left out, the one that the file's head names"
    )
    inspect.add_argument("--material", metavar="M.json", type=Path, help="plastic")
    inspect.add_argument("--json", action="store_true", help="print one JSON object")
    inspect.set_defaults(run=_inspect)


def _write(arguments: argparse.Namespace) -> None:
    from dataclasses import replace

    from meanbead.core.estimate import Engine, prepare
    from meanbead.core.gcode.inspect import inspect_file
    from meanbead.core.gcode.program import plan_as_filed, promise_of, write_program
    from meanbead.core.model.machine_file import FileOptions

    options = read(arguments.options, FileOptions)
    job = job_of(arguments)
    prepared = prepare(job)
    run = Engine().run(replace(prepared, plan=plan_as_filed(prepared.plan, job.printer, options)))
    text = write_program(run, options, arguments.part.stem)
    if arguments.out is None:
        for piece in text:
            sys.stdout.buffer.write(piece)
        return
    # Under another name until it was read back: what is refused leaves nothing behind.
    part = arguments.out.with_name(f"{arguments.out.name}.part")
    try:
        with part.open("wb") as file:
            for piece in text:
                file.write(piece)
        seen = inspect_file(
            lambda: _opened(part),
            job.printer,
            job.nozzle,
            job.material,
            promise=promise_of(run),
            may_skip=run.plan.above_melt == "run_on",
        )
        if seen.wrong:
            raise MeanBeadError(f"The file is refused: {' '.join(check.says for check in seen.wrong)}")
        os.replace(part, arguments.out)
    finally:
        part.unlink(missing_ok=True)
    _tell(seen)


def _inspect(arguments: argparse.Namespace) -> None:
    from meanbead.core.gcode.inspect import inspect_file

    seen = inspect_file(
        lambda: _opened(arguments.file),
        read(arguments.printer, Printer),
        None if arguments.nozzle is None else read(arguments.nozzle, Nozzle),
        read(arguments.material, Material),
    )
    if arguments.json:
        print(seen.model_dump_json())
        return
    _tell(seen)


def _tell(seen: Inspection) -> None:
    from meanbead.core.text.durations import duration

    print(f"printing   {duration(seen.print_time_s)}, {seen.filament_g:.1f} g, {seen.size_bytes / 1e6:.1f} MB")
    for check in seen.checks:
        line = "" if check.line is None else f" Line {check.line}."
        print(f"{'fine ' if check.ok else 'WRONG'} {check.says}{line}")


def _opened(path: Path) -> BinaryIO:
    return io.BufferedReader(path.open("rb", buffering=0), 1 << 20)
