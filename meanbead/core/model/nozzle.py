"""The nozzle: bore, metal, inner shape, and the flat around the bore."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from meanbead.core.model.base import Model

__all__ = ["FLAT_PER_BORE", "HARD_METALS", "Nozzle", "NozzleMetal", "NozzleShape"]

NozzleMetal = Literal["brass", "plated_copper", "hardened_steel", "stainless_steel", "hard_tip"]
NozzleShape = Literal["plain", "long_melt", "split_flow"]

HARD_METALS: tuple[NozzleMetal, ...] = ("hardened_steel", "hard_tip")
"""Metals that filled plastics do not wear out soon. Stainless steel is not among them: it is tough, not hard."""

FLAT_PER_BORE = 2.5
"""Typical diameter of the flat around the bore, in bores."""


class Nozzle(Model):
    """A nozzle. ``flat_mm`` is the diameter of the flat that irons the bead; None means about 2.5 bores. ``channels`` is
    into how many parallel channels a ``split_flow`` shape divides the melt; other shapes have one. ``hard_tip`` is brass
    with a hard tip: it passes heat like brass and wears like a stone."""

    bore_mm: Annotated[float, Field(ge=0.1, le=2.0)] = 0.4
    metal: NozzleMetal = "brass"
    shape: NozzleShape = "plain"
    channels: Annotated[int, Field(ge=1, le=7)] = 1
    flat_mm: Annotated[float, Field(gt=0, le=10)] | None = None

    @model_validator(mode="after")
    def _channels_of_shape(self) -> Nozzle:
        if self.channels > 1 and self.shape != "split_flow":
            raise ValueError(f"channels: only a split_flow nozzle has {self.channels} of them")
        return self

    @property
    def melt_channels(self) -> int:
        """Into how many channels it divides the melt: three, typically, where a split one's number is not known."""
        if self.shape != "split_flow":
            return 1
        return self.channels if self.channels > 1 else 3

    @property
    def hard(self) -> bool:
        """Whether filled plastics may run through it for long."""
        return self.metal in HARD_METALS
