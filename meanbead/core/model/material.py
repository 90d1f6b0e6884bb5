"""The plastic: price, weight, heat and habits."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from meanbead.core.model.base import Model, NonNegative, Positive, Provenance, Share, SpeedMmS

__all__ = ["Gloss", "Material"]

Gloss = Literal["matte", "satin", "shiny"]
TempC = Annotated[float, Field(ge=100, le=500)]
BedTempC = Annotated[float, Field(ge=0, le=200)]


class Material(Model):
    """A plastic. Thermal figures are those of the melt and are *typical* unless marked otherwise.

    ``flow_temp_c`` is the temperature at which the strand's centre is soft enough to follow the bore;
    ``diffusivity_mm2_s`` is conductivity / (density x specific heat) over the range from room to melt;
    ``push_limit_mm3_s`` is the flow of well-molten plastic that a drive can push through a 0.4 mm bore, and
    ``max_flow_mm3_s`` the largest flow that is known to come out well, whatever the hot end.

    ``spool_price``, where given, is for ``spool_g`` grams and decides instead of ``price_per_kg``. Temperatures of the
    first layer are those of the others where they are not given. ``fan_min`` and ``fan_max`` bound the fan that suits it,
    ``bridge_fan`` is for bridges, and the fan stays off for the first ``fan_off_layers``. ``top_speed_mm_s``,
    ``bridge_speed_mm_s`` and ``bridge_flow_ratio`` are what suits it there, None where the usual will do.
    ``min_bore_mm`` is the least bore that its filling passes. ``open_hours`` is how long it may lie open before it is damp,
    ``drying_temp_c`` and ``drying_h`` how it is dried: its maker's instructions go before these.
    """

    name: Annotated[str, Field(min_length=1, max_length=80)] = "PLA"
    colour: Annotated[str, Field(max_length=40)] = ""
    gloss: Gloss = "satin"
    density_g_cm3: Annotated[float, Field(gt=0.5, le=5)] = 1.24
    price_per_kg: NonNegative = 22.0
    spool_price: NonNegative | None = None
    spool_g: Annotated[float, Field(gt=0, le=50_000)] = 1000.0
    nozzle_temp_min_c: TempC = 190
    nozzle_temp_max_c: TempC = 230
    nozzle_temp_c: TempC = 210
    first_layer_nozzle_temp_c: TempC | None = None
    bed_temp_c: BedTempC = 55
    first_layer_bed_temp_c: BedTempC | None = None
    flow_temp_c: Annotated[float, Field(ge=60, le=450)] = 150
    diffusivity_mm2_s: Annotated[float, Field(gt=0.01, le=0.5)] = 0.08
    push_limit_mm3_s: Annotated[float, Field(gt=0.5, le=200)] = 40
    max_flow_mm3_s: Annotated[float, Field(gt=0.1, le=500)] | None = None
    specific_heat_j_g_k: Annotated[float, Field(gt=0.3, le=5)] = 1.9
    abrasive: bool = False
    ventilate: bool = False
    warp_prone: bool = False
    damp_prone: bool = False
    open_hours: Positive | None = None
    drying_temp_c: Annotated[float, Field(ge=20, le=150)] | None = None
    drying_h: Annotated[float, Field(gt=0, le=200)] | None = None
    fan_min: Share = 0.0
    fan_max: Share = 1.0
    bridge_fan: Share | None = None
    fan_off_layers: Annotated[int, Field(ge=0, le=50)] = 1
    top_speed_mm_s: SpeedMmS | None = None
    bridge_speed_mm_s: SpeedMmS | None = None
    bridge_flow_ratio: Annotated[float, Field(ge=0.3, le=1.5)] | None = None
    min_bore_mm: Annotated[float, Field(ge=0, le=2)] = 0.0
    source: Provenance = "typical"

    @model_validator(mode="after")
    def _window(self) -> Material:
        low, high = self.nozzle_temp_min_c, self.nozzle_temp_max_c
        for name in ("nozzle_temp_c", "first_layer_nozzle_temp_c"):
            temp = getattr(self, name)
            if temp is not None and not low <= temp <= high:
                raise ValueError(
                    f"{name} must lie within nozzle_temp_min_c and nozzle_temp_max_c: {temp:g} is outside {low:g} to {high:g}"
                )
        if self.fan_min > self.fan_max:
            raise ValueError(f"fan_min must not be above fan_max: {self.fan_min:g} is above {self.fan_max:g}")
        return self

    @property
    def cost_per_kg(self) -> float:
        """What a kilogram costs: by the price of a spool where that is given."""
        return self.price_per_kg if self.spool_price is None else 1000 * self.spool_price / self.spool_g
