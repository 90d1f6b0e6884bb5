"""A replayed file in the words of an estimate, so that it can stand next to recipes."""

from __future__ import annotations

from collections.abc import Callable
from typing import BinaryIO

from meanbead.core.estimate.engine import ENGINE_VERSION, UNKNOWN_LIMITS
from meanbead.core.estimate.timing import stronger
from meanbead.core.formulas.bead import filament_area_mm2
from meanbead.core.formulas.heat import machine_cool_down_s, machine_heat_up_s
from meanbead.core.formulas.running import machine_cost
from meanbead.core.gcode.replay import Replay, replay
from meanbead.core.model.estimate import Causes, Estimate, FeatureShare, Finding, Interval
from meanbead.core.model.material import Material
from meanbead.core.model.nozzle import Nozzle
from meanbead.core.model.printer import Printer

__all__ = ["replayed_estimate"]


def replayed_estimate(opened: Callable[[], BinaryIO], printer: Printer, nozzle: Nozzle, material: Material) -> Estimate:
    """Replay a file as it is and on a machine with better and worse limits; ``opened`` opens it from its start.

    Temperatures are the file's where it sets one, else the material's. Speeds are the file's, also above the melt
    ceiling: nothing is held back, and a finding says how long it asks for too much.
    """

    def run(machine: Printer) -> Replay:
        with opened() as stream:
            return replay(stream, machine, nozzle=nozzle, material=material)

    whole = run(printer)
    ends = [run(stronger(printer, 1 + sign * UNKNOWN_LIMITS)).print_time_s for sign in (1, -1)]
    temp = whole.nozzle_temp_c or material.nozzle_temp_c
    heat_up_s = machine_heat_up_s(printer, temp, material.bed_temp_c)
    causes = whole.by_cause
    volume = whole.filament_mm * filament_area_mm2(printer.filament_diameter_mm)
    whole_s = whole.print_time_s + printer.start_time_s + heat_up_s
    filament_cost = whole.filament_g * material.cost_per_kg / 1000
    costs = machine_cost(printer, temp, material.bed_temp_c, heat_up_s, whole_s, volume, material)
    return Estimate(
        engine_version=ENGINE_VERSION,
        print_time_s=whole.print_time_s,
        start_time_s=printer.start_time_s,
        heat_up_s=heat_up_s,
        end_time_s=0.0,
        whole_time_s=whole_s,
        cool_down_s=machine_cool_down_s(printer, temp, material.bed_temp_c),
        filament_mm=whole.filament_mm,
        filament_mm3=volume,
        filament_g=whole.filament_g,
        filament_cost=filament_cost,
        power_cost=costs.power,
        wear_cost=costs.wear,
        cost=filament_cost + costs.power + costs.wear,
        lost_mm3=0.0,
        overfilled_mm3=0.0,
        void_mm3=0.0,
        height_mm=whole.height_mm,
        height_off_mm=0.0,
        short_layers=0,
        shortest_layer_s=0.0,
        hanging_mm2=0.0,
        hanging_width_mm=0.0,
        hanging_at_mm=0.0,
        layers=whole.layers,
        layers_planned=whole.layers,
        sampling_error=0.0,
        filament_error=0.0,
        travel_mm=whole.travel_mm,
        retractions=whole.retractions,
        by_feature={
            name: FeatureShare(
                time_s=share.time_s,
                filament_mm=share.filament_mm,
                filament_g=share.filament_g,
                length_mm=share.length_mm,
                peak_flow_mm3_s=share.peak_flow_mm3_s,
                asked_flow_mm3_s=share.peak_flow_mm3_s,
                capped=False,
            )
            for name, share in whole.by_feature.items()
        },
        by_cause=Causes(
            at_set_speed_s=causes.at_set_speed_s,
            melt_ceiling_s=0.0,
            ramps_s=causes.ramps_s,
            corners_s=causes.corners_s,
            layer_cooling_s=causes.waiting_s,
            travelling_s=causes.travelling_s,
            retracting_s=causes.retracting_s,
            z_and_layer_change_s=causes.z_and_layer_change_s,
        ),
        peak_flow_mm3_s=whole.peak_flow_mm3_s,
        asked_flow_mm3_s=whole.peak_flow_mm3_s,
        melt_ceiling_mm3_s=whole.melt_ceiling_mm3_s,
        melt_ceiling_source=whole.melt_ceiling_source,
        melt_basis=whole.melt_basis,
        melt_capped=False,
        plate_mm=(0.0, 0.0),
        substituted=[],
        findings=_findings(whole),
        interval=Interval(
            low_s=min(ends),
            high_s=max(ends),
            source="typical",
            basis=f"accelerations and corner limits {100 * UNKNOWN_LIMITS:.0f} % better or worse than described",
        ),
    )


def _findings(whole: Replay) -> list[Finding]:
    found = []
    if whole.over_ceiling_first_line is not None:
        found.append(
            Finding(
                rule="file_over_melt_ceiling",
                severity="risk",
                field="file",
                sentence=(
                    f"The file asks for up to {whole.peak_flow_mm3_s:.1f} mm3/s where the hot end melts "
                    f"{whole.melt_ceiling_mm3_s:.1f}, for {whole.over_ceiling_s:.0f} s in all, first in line "
                    f"{whole.over_ceiling_first_line}."
                ),
                remedy="Make it again slower, hotter or with a smaller bead.",
                value=whole.peak_flow_mm3_s,
                limit=whole.melt_ceiling_mm3_s,
            )
        )
    if whole.over_speed_first_line is not None:
        found.append(
            Finding(
                rule="file_over_axis_speed",
                severity="note",
                field="file",
                sentence=(
                    f"{whole.over_speed_moves:,} moves ask for more speed than an axis of this machine has, first in "
                    f"line {whole.over_speed_first_line}."
                ),
                remedy="They run at the axis's limit; check that the file was made for this machine.",
                value=float(whole.over_speed_moves),
            )
        )
    if whole.malformed_count:
        lines = ", ".join(str(line) for line in whole.malformed_lines[:5])
        found.append(
            Finding(
                rule="file_malformed",
                severity="risk",
                field="file",
                sentence=f"{whole.malformed_count:,} lines cannot be read, among them {lines}; they were passed over.",
                remedy="Make the file again: it may have been cut off or changed.",
                value=float(whole.malformed_count),
            )
        )
    return found
