"""Recipes: every choice and its default, resolved to a plan; adapted to another nozzle; as a sheet and before any part."""

from meanbead.core.recipe.adapt import adapted, short_line
from meanbead.core.recipe.choices import Choice, value_at, with_value
from meanbead.core.recipe.defaults import DEFAULTS, Default
from meanbead.core.recipe.preview import Preview
from meanbead.core.recipe.settings_sheet import Setting

__all__ = ["DEFAULTS", "Choice", "Default", "Preview", "Setting", "adapted", "short_line", "value_at", "with_value"]
