"""How files are written for a machine, and what a written file promises."""

from __future__ import annotations

from typing import Literal

from meanbead.core.model.base import Model

__all__ = ["Accelerate", "Curves", "FileNames", "FileOptions", "ProgressMarks"]

Accelerate = Literal["by_kind", "one", "own"]
"""How a machine takes accelerations from a file: for printing and travel apart (``M204 P T``), one for all (``M204 S``), or not
at all; then its own stand."""

ProgressMarks = Literal["percent", "message", "none"]
"""How a file tells its progress: percent and minutes left (``M73``), a line on the panel (``M117``), or not."""

Curves = Literal["segments", "arcs"]
"""Two schools: straight strokes as planned; or arcs where many short ones lie on one, at the pace that the strokes have."""

FileNames = Literal["long", "short"]
"""Names that say part, nozzle, height and minutes; or the same in the eight letters and three of old card readers."""


class FileOptions(Model):
    """How files are written for a machine. The defaults are what most firmware takes."""

    accelerations: Accelerate = "by_kind"
    progress: ProgressMarks = "percent"
    curves: Curves = "segments"
    names: FileNames = "long"
