"""Formulas: one idea a file, each with units, source and range of validity."""

from meanbead.core.formulas.bead import (
    bead_area_mm2,
    bead_spacing_mm,
    filament_area_mm2,
    filament_length_mm,
    filament_mass_g,
)
from meanbead.core.formulas.cooling import slowed_s
from meanbead.core.formulas.heat import machine_cool_down_s, machine_heat_up_s
from meanbead.core.formulas.melt import MeltCeiling, melt_ceiling, temperature_for_flow_c
from meanbead.core.formulas.strength import Strength, shell_mm
from meanbead.core.formulas.surface import clean_overhang_deg, ridge_mm

__all__ = [
    "MeltCeiling",
    "Strength",
    "bead_area_mm2",
    "bead_spacing_mm",
    "clean_overhang_deg",
    "filament_area_mm2",
    "filament_length_mm",
    "filament_mass_g",
    "machine_cool_down_s",
    "machine_heat_up_s",
    "melt_ceiling",
    "ridge_mm",
    "shell_mm",
    "slowed_s",
    "temperature_for_flow_c",
]
