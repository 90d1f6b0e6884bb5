"""A first estimate of a small part, so that whoever asks next does not wait for compiled code to be loaded."""

from __future__ import annotations

from meanbead.core.estimate import Engine
from meanbead.core.estimate.job import PrintJob
from meanbead.core.model import Recipe
from meanbead.core.part.read import read_mesh
from meanbead.core.part.solid import make_solid
from meanbead.demo.parts import as_stl, bin_tag

__all__ = ["load_compiled"]


def load_compiled() -> None:
    """Load what a first estimate runs through, half a second from the disk: for a process that will be asked for one."""
    Engine().estimate(PrintJob(make_solid(read_mesh(as_stl(bin_tag()), "warm.stl")), Recipe()))
