"""All that a rule may look at, and the few words that rules share."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field

from meanbead.core.estimate.job import Prepared
from meanbead.core.formulas.melt import MeltCeiling
from meanbead.core.model.estimate import Estimate
from meanbead.core.model.finding import Remedy, SettingValue, SetTo
from meanbead.core.model.house import HouseRules
from meanbead.core.model.insight import PartInsight, Spot, SpotKind
from meanbead.core.model.material import Material
from meanbead.core.model.nozzle import Nozzle
from meanbead.core.model.part import PartFacts
from meanbead.core.model.plan import Plan
from meanbead.core.model.printer import PTFE_LIMIT_C, Printer
from meanbead.core.model.purpose import Limits
from meanbead.core.model.recipe import Recipe
from meanbead.core.model.shop import Shop
from meanbead.core.recipe.defaults import SPREAD_TO_FIT
from meanbead.core.rules.conventions import convention_label

__all__ = [
    "CEILING_BORES",
    "PTFE_LIMIT_C",
    "SPREAD_TO_FIT",
    "RuleInput",
    "ceil_to",
    "even_flow_mm3_s",
    "floor_to",
    "remedy",
    "words",
]


@dataclass(frozen=True)
class RuleInput:
    """One recipe on one part and machine. ``estimate`` is None before anything was planned: rules that need it, and
    those that need the part's ``insight``, say nothing then.

    ``nozzles`` are those on hand by number, ``shell_before_mm`` the shell of the column that this one was made from
    where that has another nozzle, ``lying_overhang_mm2`` the least overhang of all steady ways to stand the part.
    """

    prepared: Prepared
    facts: PartFacts
    estimate: Estimate | None = None
    insight: PartInsight | None = None
    house: HouseRules = HouseRules()
    limits: Limits = Limits()
    shop: Shop = Shop()
    nozzles: dict[int, Nozzle] = field(default_factory=dict)
    shell_before_mm: float | None = None
    lying_overhang_mm2: float | None = None

    @property
    def recipe(self) -> Recipe:
        """What was chosen."""
        return self.prepared.job.recipe

    @property
    def plan(self) -> Plan:
        """What follows from it."""
        return self.prepared.plan

    @property
    def printer(self) -> Printer:
        """The machine."""
        return self.prepared.job.printer

    @property
    def nozzle(self) -> Nozzle:
        """The nozzle."""
        return self.prepared.job.nozzle

    @property
    def material(self) -> Material:
        """The plastic."""
        return self.prepared.job.material

    @property
    def ceiling(self) -> MeltCeiling:
        """What the hot end melts at the plan's temperature."""
        return self.prepared.ceiling

    @property
    def height_mm(self) -> float:
        """The highest layer, mm."""
        heights = self.plan.shape.slope_heights
        return self.plan.shape.layer_height_mm if heights is None else heights.max_mm

    @property
    def height_key(self) -> str:
        """The setting that decides the highest layer."""
        return "layer_height_mm" if self.plan.shape.slope_heights is None else "variable_height.max_mm"

    @property
    def step_mm(self) -> float:
        """The grid on which heights are worth setting, mm."""
        return self.printer.z_step_mm or 0.01

    @property
    def highest_mm(self) -> float:
        """The house's ceiling of the layer height, mm."""
        return CEILING_BORES[self.house.layer_height_ceiling] * self.nozzle.bore_mm

    @property
    def highest_c(self) -> float:
        """The highest temperature that hot end, lining and plastic allow, degrees C."""
        return min(self.material.nozzle_temp_max_c, self.printer.highest_nozzle_c)

    def convention(self, topic: str) -> str:
        """The house rule that speaks on a matter."""
        return convention_label(self.house, topic)

    def seconds(self, *features: str) -> float:
        """Seconds of features; 0 before an estimate."""
        if self.estimate is None:
            return 0.0
        return sum(self.estimate.by_feature[name].time_s for name in features if name in self.estimate.by_feature)

    @property
    def even_flow_mm3_s(self) -> float:
        """The largest flow that lines of even width ask for, mm3/s; 0 before an estimate."""
        return 0.0 if self.estimate is None else even_flow_mm3_s(self.estimate)

    def has(self, feature: str) -> bool:
        """Whether a feature is laid: seen in the estimate, or known from the part where a sample may have missed it."""
        if self.estimate is None:
            return False
        if feature in self.estimate.by_feature:
            return True
        if self.insight is None or self.estimate.layers_planned == self.estimate.layers:
            return False
        shape = self.plan.shape
        if feature == "top":
            return shape.top_layers > 0 and self.insight.flat_top_mm2 > _WORTH_MM2
        if feature == "bottom":
            return shape.bottom_layers > 0
        if feature == "bridge":
            return self.insight.bridge_mm2 > _WORTH_MM2
        return False

    def spots(self, *kinds: SpotKind) -> list[Spot]:
        """Places on the part of some kinds."""
        return [] if self.insight is None else [spot for spot in self.insight.spots if spot.kind in kinds]

    def floor_step(self, height_mm: float) -> float:
        """The highest height on the grid at or below one, mm; the height itself where the grid has none."""
        stepped = math.floor(height_mm / self.step_mm + 1e-6) * self.step_mm
        return round(stepped if stepped > 0 else height_mm, 4)

    def ceil_step(self, height_mm: float) -> float:
        """The lowest height on the grid at or above one, mm."""
        return round(math.ceil(height_mm / self.step_mm - 1e-6) * self.step_mm, 4)


CEILING_BORES = {"four_fifths": 0.8, "three_quarters": 0.75}
"""The house's ceiling of the layer height, bores."""

_WORTH_MM2 = 15.0


def even_flow_mm3_s(estimate: Estimate) -> float:
    """The largest flow that lines of even width ask for, mm3/s. Thin walls, whose width varies along the stroke, are held
    to the ceiling place by place and count for no margin."""
    return max(
        (share.asked_flow_mm3_s for name, share in estimate.by_feature.items() if name != "thin_wall"), default=0.0
    )


def remedy(label: str, settings: Mapping[str, SettingValue]) -> Remedy:
    """A remedy from keys and values."""
    return Remedy(label=label, settings=[SetTo(key=key, value=value) for key, value in settings.items()])


def words(names: list[str]) -> str:
    """``outer wall, infill and top``."""
    spoken = [name.replace("_", " ") for name in names]
    return spoken[0] if len(spoken) == 1 else f"{', '.join(spoken[:-1])} and {spoken[-1]}"


def floor_to(value: float, step: float) -> float:
    """The next multiple of a step at or below a value."""
    return round(math.floor(value / step + 1e-9) * step, 4)


def ceil_to(value: float, step: float) -> float:
    """The next multiple of a step at or above a value."""
    return round(math.ceil(value / step - 1e-9) * step, 4)
