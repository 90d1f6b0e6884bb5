"""What the API takes and gives: the settings sheet."""

from __future__ import annotations

from meanbead.api.schema import Schema
from meanbead.core.recipe.settings_sheet import Setting


class SettingsOut(Schema):
    """A recipe's settings sheet."""

    name: str
    machine: str
    nozzle: str
    material: str
    settings: list[Setting]
