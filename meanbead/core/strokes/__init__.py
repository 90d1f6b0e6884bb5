"""From slices and a plan to ordered strokes in flat arrays."""

from meanbead.core.strokes.features import FEATURES, Feature
from meanbead.core.strokes.planner import StrokePlanner, plan_strokes
from meanbead.core.strokes.table import Strokes

__all__ = ["FEATURES", "Feature", "StrokePlanner", "Strokes", "plan_strokes"]
