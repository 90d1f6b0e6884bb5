"""The words of the trade as models: units in the field names, bounds in the types.

One definition serves validation, storage, the API's schema and the front end's types.
"""

from meanbead.core.vocabulary.estimate import Causes, Estimate, FeatureShare, Finding, Interval, LayerLedger
from meanbead.core.vocabulary.insight import PartInsight
from meanbead.core.vocabulary.material import Material
from meanbead.core.vocabulary.nozzle import Nozzle
from meanbead.core.vocabulary.part import Extents, PartFacts
from meanbead.core.vocabulary.pose import Pose
from meanbead.core.vocabulary.printer import Printer
from meanbead.core.vocabulary.purpose import Limits
from meanbead.core.vocabulary.recipe import Recipe

__all__ = [
    "Causes",
    "Estimate",
    "Extents",
    "FeatureShare",
    "Finding",
    "Interval",
    "LayerLedger",
    "Limits",
    "Material",
    "Nozzle",
    "PartFacts",
    "PartInsight",
    "Pose",
    "Printer",
    "Recipe",
]
