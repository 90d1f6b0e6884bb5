"""The plastic: price, weight, heat and habits."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field, model_validator

from meanbead.core.model.base import Model, NonNegative, Provenance, Share

__all__ = ["Material"]


class Material(Model):
    """A plastic. Thermal figures are those of the melt and are *typical* unless marked otherwise.

    ``flow_temp_c`` is the temperature at which the strand's centre is soft enough to follow the bore;
    ``diffusivity_mm2_s`` is conductivity / (density x specific heat) over the range from room to melt;
    ``push_limit_mm3_s`` is the flow of well-molten plastic that a drive can push through a 0.4 mm bore. ``fan_min`` and
    ``fan_max`` bound the fan that suits it, ``min_bore_mm`` is the least bore that its filling passes.
    """

    name: Annotated[str, Field(min_length=1, max_length=80)] = "PLA"
    density_g_cm3: Annotated[float, Field(gt=0.5, le=5)] = 1.24
    price_per_kg: NonNegative = 22.0
    nozzle_temp_min_c: Annotated[float, Field(ge=100, le=500)] = 190
    nozzle_temp_max_c: Annotated[float, Field(ge=100, le=500)] = 230
    nozzle_temp_c: Annotated[float, Field(ge=100, le=500)] = 210
    bed_temp_c: Annotated[float, Field(ge=0, le=200)] = 55
    flow_temp_c: Annotated[float, Field(ge=60, le=450)] = 150
    diffusivity_mm2_s: Annotated[float, Field(gt=0.01, le=0.5)] = 0.08
    push_limit_mm3_s: Annotated[float, Field(gt=0.5, le=200)] = 30
    specific_heat_j_g_k: Annotated[float, Field(gt=0.3, le=5)] = 1.9
    abrasive: bool = False
    ventilate: bool = False
    warp_prone: bool = False
    damp_prone: bool = False
    fan_min: Share = 0.0
    fan_max: Share = 1.0
    min_bore_mm: Annotated[float, Field(ge=0, le=2)] = 0.0
    source: Provenance = "typical"

    @model_validator(mode="after")
    def _window(self) -> Material:
        if not self.nozzle_temp_min_c <= self.nozzle_temp_c <= self.nozzle_temp_max_c:
            raise ValueError(
                "nozzle_temp_c must lie within nozzle_temp_min_c and nozzle_temp_max_c: "
                f"{self.nozzle_temp_c:g} is outside {self.nozzle_temp_min_c:g} to {self.nozzle_temp_max_c:g}"
            )
        return self
