"""Checks of a recipe: small functions, each with a value, a limit, a reason and a remedy."""

from meanbead.core.rules.checks import Situation, findings

__all__ = ["Situation", "findings"]
