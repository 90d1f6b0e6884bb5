"""Two recipes against each other: which change makes how much of the difference, and what a step costs."""

from meanbead.core.compare.sensitivity import Sensitivity, sensitivities
from meanbead.core.compare.waterfall import Waterfall, changes_between

__all__ = ["Sensitivity", "Waterfall", "changes_between", "sensitivities"]
