"""What fills in a recipe where it leaves something open: the house's rules, and what the part is for."""

from __future__ import annotations

from meanbead.core.model.base import Model
from meanbead.core.model.house import HouseRules
from meanbead.core.model.purpose import Limits

__all__ = ["Standards"]


class Standards(Model):
    """The house's rules, and the limits of what the part is for; both decide defaults, never what was chosen."""

    house: HouseRules = HouseRules()
    limits: Limits = Limits()
