"""The nozzle: bore, metal, inner shape, and the flat around the bore."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from meanbead.core.model.base import Model

__all__ = ["Nozzle"]

NozzleMetal = Literal["brass", "plated_copper", "hardened_steel", "stainless_steel"]
NozzleShape = Literal["plain", "long_melt", "split_flow"]


class Nozzle(Model):
    """A nozzle. ``flat_mm`` is the diameter of the flat that irons the bead; None means about 2.5 bores."""

    bore_mm: Annotated[float, Field(ge=0.1, le=2.0)] = 0.4
    metal: NozzleMetal = "brass"
    shape: NozzleShape = "plain"
    flat_mm: Annotated[float, Field(gt=0, le=10)] | None = None
