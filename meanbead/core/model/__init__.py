"""The words of the trade as models: units in the field names, bounds in the types.

One definition serves validation, storage, the API's schema and the front end's types.
"""

from meanbead.core.model.estimate import Causes, Estimate, FeatureShare, Finding, Interval, LayerLedger
from meanbead.core.model.insight import PartInsight
from meanbead.core.model.material import Material
from meanbead.core.model.nozzle import Nozzle
from meanbead.core.model.part import Extents, PartFacts
from meanbead.core.model.pose import Pose
from meanbead.core.model.printer import Printer
from meanbead.core.model.purpose import Limits
from meanbead.core.model.recipe import Recipe
from meanbead.core.model.spool import Spool
from meanbead.core.model.standards import Standards

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
    "Spool",
    "Standards",
]
