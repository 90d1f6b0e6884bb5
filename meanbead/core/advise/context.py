"""What advice knows beside the recipe: the part's insight, its purpose, the house's rules, the shop, the nozzles."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from pydantic import ValidationError

from meanbead.core.errors import MeanBeadError, RecipeError
from meanbead.core.estimate.job import Prepared, PrintJob, prepare
from meanbead.core.model.estimate import Estimate
from meanbead.core.model.finding import SettingValue, SetTo
from meanbead.core.model.house import HouseRules
from meanbead.core.model.insight import PartInsight
from meanbead.core.model.nozzle import Nozzle
from meanbead.core.model.part import PartFacts
from meanbead.core.model.purpose import Limits
from meanbead.core.model.recipe import Recipe
from meanbead.core.model.shop import Shop
from meanbead.core.recipe.adapt import adapted
from meanbead.core.recipe.choices import with_value, with_values
from meanbead.core.rules import RuleInput

__all__ = ["AdviceContext", "settings_between", "with_settings"]


@dataclass(frozen=True)
class AdviceContext:
    """Everything about a part and its workshop that does not change from one recipe to the next.

    ``nozzles`` are those on hand, by a number of the caller's.
    """

    facts: PartFacts
    insight: PartInsight | None = None
    limits: Limits = Limits()
    house: HouseRules = HouseRules()
    shop: Shop = Shop()
    nozzles: dict[int, Nozzle] = field(default_factory=dict)
    shell_before_mm: float | None = None
    lying_overhang_mm2: float | None = None

    def rule_input(self, job: PrintJob | Prepared, estimate: Estimate | None = None) -> RuleInput:
        """What rules look at, for a recipe in this context. Raises :class:`RecipeError` as ``resolve`` does."""
        return RuleInput(
            prepare(job),
            self.facts,
            estimate,
            self.insight,
            self.house,
            self.limits,
            self.shop,
            self.nozzles,
            self.shell_before_mm,
            self.lying_overhang_mm2,
        )


def settings_between(old: Recipe, new: Recipe) -> list[SetTo]:
    """Settings that make one recipe of another, by dotted keys; ranges of heights are left as they are."""
    before, after = _flat(old), _flat(new)
    changed = [
        key for key in (*after, *(key for key in before if key not in after)) if before.get(key) != after.get(key)
    ]
    return [SetTo(key=key, value=after.get(key)) for key in changed]


def _flat(recipe: Recipe) -> dict[str, SettingValue]:
    found: dict[str, SettingValue] = {}
    for key, value in recipe.model_dump(exclude_none=True, exclude={"nozzle_diameter_mm", "height_ranges"}).items():
        if isinstance(value, dict):
            found |= {f"{key}.{name}": inner for name, inner in value.items()}
        else:
            found[key] = value
    return found


def with_settings(job: PrintJob, settings: list[SetTo], nozzles: dict[int, Nozzle]) -> PrintJob:
    """A job with settings changed. ``nozzle`` takes the number of one on hand and carries the recipe over to it: the
    shell's thickness and the ratios to the bore stay; the other settings are made after that.

    Raises :class:`RecipeError` for a value that its model does not take or a nozzle that is not on hand.
    """
    recipe, nozzle = job.recipe, job.nozzle
    for change in settings:
        if change.key == "nozzle":
            other = nozzles.get(int(change.value)) if isinstance(change.value, int | float) else None
            if other is None:
                raise RecipeError(f"There is no nozzle {change.value} on hand.", field="nozzle")
            recipe, nozzle = adapted(recipe, job.printer, nozzle, other, job.material, job.standards), other
    changes = [change for change in settings if change.key != "nozzle"]
    try:
        recipe = with_values(recipe, [(change.key, change.value) for change in changes])
    except (ValidationError, KeyError, TypeError, AttributeError):
        recipe = _one_by_one(recipe, changes)
    return replace(job, recipe=recipe, nozzle=nozzle)


def _one_by_one(recipe: Recipe, changes: list[SetTo]) -> Recipe:
    """The same, slower, to say which of the changes cannot be made."""
    for change in changes:
        try:
            recipe = with_value(recipe, change.key, change.value)
        except ValidationError as problem:
            says = problem.errors()[0]["msg"]
            raise RecipeError(f"{change.key} cannot be {change.value}: {says}.", field=change.key) from problem
        except (KeyError, TypeError, AttributeError) as problem:
            raise MeanBeadError(f"{change.key!r:.60} is not a setting.", field=change.key) from problem
    return recipe
