"""The melt ceiling: how much plastic a hot end can melt and push per second. *Typical* values, not a measurement.

Heat. Filament passes a melt zone of length ``L`` as a plug; heat reaches its centre by conduction. For a cylinder
whose wall is held at ``Tw`` the centre follows the classical series (H. S. Carslaw and J. C. Jaeger, *Conduction of
Heat in Solids*, 2nd ed., 1959, section 7.6)::

    (Tw - Tc) / (Tw - T0) = sum_k 2 exp(-l_k^2 Fo) / (l_k J1(l_k)),     J0(l_k) = 0,     Fo = a t / R^2

The plug stays ``t = pi R^2 L / Q`` in the zone, so ``Fo = pi a L / Q``: the radius drops out, and the largest flow at
which the centre reaches the material's flow temperature is ``Q = pi a L / Fo*``.

Push. A shear-thinning melt in a bore whose land is as long as it is wide needs a pressure that depends on ``Q / d^3``,
so the flow that a drive can push grows as ``(d / 0.4)^3``.

The two resistances are joined as ``(Qh^-2 + Qp^-2)^(-1/2)``, and the heater's watts cap the result. Validity: plain,
unfilled thermoplastics, bores 0.2 to 1.2 mm, melt zones 8 to 50 mm; expect the true knee within about a third of it.
Metals and split channels enter by the typical factors below, which put the three kinds of hot end where practice has them
with an easy plastic at its usual temperature and a 0.4 mm bore: 8 to 12 mm3/s with a short zone, 15 to 25 with a long one,
25 to 40 with split channels. A measured curve is to replace all of this.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import brentq
from scipy.special import j1, jn_zeros

from meanbead.core.model.base import Provenance
from meanbead.core.model.material import Material
from meanbead.core.model.nozzle import Nozzle
from meanbead.core.model.printer import Printer

__all__ = [
    "LATEST_SKIP_RATIO",
    "PLANNING_MARGIN",
    "SKIP_RATIO",
    "WALL_LOSS",
    "MeltCeiling",
    "centre_excess",
    "fourier_for_excess",
    "heater_bound_mm3_s",
    "melt_ceiling",
    "temperature_for_flow_c",
]

PLANNING_MARGIN = 0.9
"""Plans stay this far below the knee, where output begins to fall."""

SKIP_RATIO = 1.3
"""From this multiple of the knee on the drive may skip. Typical, and the least of a wide range: strong drives on easy
plastics hold out to :data:`LATEST_SKIP_RATIO` times the knee."""

LATEST_SKIP_RATIO = 2.5
"""Typical multiple of the knee at which even a strong drive skips."""

WALL_LOSS = {"plated_copper": 0.0, "brass": 0.015, "hardened_steel": 0.045, "stainless_steel": 0.07, "hard_tip": 0.02}
"""Typical share of (set temperature - room) lost between sensor and bore wall, by the nozzle's metal."""

SHAPE_EXTRA_MM = {"plain": 0.0, "long_melt": 8.0, "split_flow": 4.0}
"""Typical extra melt length that the nozzle's inner shape is worth, mm."""

CHANNEL_GAIN = 0.4
"""Typical gain in effective length per further melt channel; the theory's bound is 1 per channel."""

_ZEROS: NDArray[np.float64] = jn_zeros(0, 60)
_WEIGHTS: NDArray[np.float64] = 2.0 / (_ZEROS * j1(_ZEROS))


@dataclass(frozen=True)
class MeltCeiling:
    """Flow limits of one hot end, nozzle and material at one temperature, mm3/s.

    ``plan_mm3_s`` is what plans stay under, ``knee_mm3_s`` where output begins to fall, ``skip_mm3_s`` from where on the
    drive may skip. ``bound`` says what limits the knee; ``known`` is the plastic's own largest flow.
    """

    plan_mm3_s: float
    knee_mm3_s: float
    skip_mm3_s: float
    bound: Literal["heat", "push", "heater", "known", "too_cold"]
    source: Provenance


def centre_excess(fourier: float) -> float:
    """Centre's remaining share of the temperature step, ``(Tw - Tc)/(Tw - T0)``, after Fourier number ``fourier``.

    Valid for ``fourier >= 0.001`` with the 60 terms kept.
    """
    return float(np.sum(_WEIGHTS * np.exp(-(_ZEROS**2) * fourier)))


@lru_cache(maxsize=4096)
def fourier_for_excess(excess: float) -> float:
    """Fourier number at which the centre's share of the step has fallen to ``excess`` (0 < excess < 1)."""
    if not 0 < excess < 1:
        raise ValueError(f"excess must lie between 0 and 1, not {excess:g}")
    if excess > centre_excess(0.002):
        return 0.002
    return float(brentq(lambda fo: centre_excess(fo) - excess, 0.002, 10.0, xtol=1e-12))


def melt_ceiling(printer: Printer, nozzle: Nozzle, material: Material, temp_c: float) -> MeltCeiling:
    """Flow limits at a nozzle temperature, mm3/s; see the module's text for model, source and validity.

    Where the wall is not hotter than the material's flow temperature nothing melts and all limits are 0.
    """
    room = printer.room_temp_c
    wall = temp_c - WALL_LOSS[nozzle.metal] * (temp_c - room)
    if wall <= material.flow_temp_c:
        return MeltCeiling(0.0, 0.0, 0.0, "too_cold", "typical")
    excess = (wall - material.flow_temp_c) / (wall - room)
    length = printer.hotend.melt_zone_mm + SHAPE_EXTRA_MM[nozzle.shape]
    length *= 1 + CHANNEL_GAIN * (max(printer.hotend.channels, nozzle.melt_channels) - 1)
    heat = np.pi * material.diffusivity_mm2_s * length / fourier_for_excess(max(round(excess, 9), 1e-9))
    push = material.push_limit_mm3_s * (nozzle.bore_mm / 0.4) ** 3
    knee = float((heat**-2 + push**-2) ** -0.5)
    bound: Literal["heat", "push", "heater", "known"] = "heat" if heat <= push else "push"
    heater = heater_bound_mm3_s(printer, material, temp_c)
    if heater < knee:
        knee, bound = heater, "heater"
    known = material.max_flow_mm3_s
    if known is not None and known < knee * PLANNING_MARGIN:
        # What is known to come out well needs no margin of its own.
        return MeltCeiling(known, known / PLANNING_MARGIN, knee * SKIP_RATIO, "known", "set")
    return MeltCeiling(knee * PLANNING_MARGIN, knee, knee * SKIP_RATIO, bound, "typical")


def heater_bound_mm3_s(printer: Printer, material: Material, temp_c: float) -> float:
    """Flow at which the heater has no watt to spare, mm3/s: ``P = Q rho c (T - T0) + losses``."""
    rise = temp_c - printer.room_temp_c
    if rise <= 0:
        return 0.0
    spare_w = printer.hotend.heater_w - printer.hotend.loss_w_k * rise
    joule_per_mm3 = material.density_g_cm3 / 1000 * material.specific_heat_j_g_k * rise
    return max(0.0, spare_w / joule_per_mm3)


def temperature_for_flow_c(
    printer: Printer, nozzle: Nozzle, material: Material, flow_mm3_s: float, max_temp_c: float
) -> float | None:
    """Lowest temperature whose planning ceiling reaches a flow, degrees C; None if none up to ``max_temp_c`` does."""

    def short(temp_c: float) -> float:
        return melt_ceiling(printer, nozzle, material, temp_c).plan_mm3_s - flow_mm3_s

    # The heater's bound falls with temperature, so the ceiling can turn over: look for the first crossing.
    temps = np.arange(material.flow_temp_c, max_temp_c + 0.5, 1.0)
    for low, high in itertools.pairwise(temps):
        if short(float(high)) >= 0:
            return float(brentq(short, float(low), float(high))) if short(float(low)) < 0 else float(low)
    return None
