"""The shelf's own knowledge: typical plastics and machines to start from, full-step heights, and how dry a spool is."""

from meanbead.core.shelf.dryness import Dryness, dryness
from meanbead.core.shelf.full_steps import StepHeight, full_step_heights
from meanbead.core.shelf.plastics import typical_plastics
from meanbead.core.shelf.wizard import Answers, typical_printer

__all__ = [
    "Answers",
    "Dryness",
    "StepHeight",
    "dryness",
    "full_step_heights",
    "typical_plastics",
    "typical_printer",
]
