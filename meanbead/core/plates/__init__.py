"""Plates: several parts on one bed, by their true outlines; what the whole takes, and each part's share of it."""

from meanbead.core.plates.check import Trouble, print_order, troubles
from meanbead.core.plates.outline import Placed, Standing, outline_of
from meanbead.core.plates.pack import pack

__all__ = ["Placed", "Standing", "Trouble", "outline_of", "pack", "print_order", "troubles"]
