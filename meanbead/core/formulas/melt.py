"""The melt ceiling: how much plastic a hot end can melt and push per second. *Typical* values, not a measurement.

Heat. Filament passes a melt zone of length ``L`` as a plug; heat reaches its centre by conduction. For a cylinder
whose wall is held at ``Tw`` the centre follows the classical series (H. S. Carslaw and J. C. Jaeger, *Conduction of
Heat in Solids*, 2nd ed., 1959, section 7.6)::

    (Tw - Tc) / (Tw - T0) = sum_k 2 exp(-l_k^2 Fo) / (l_k J1(l_k)),     J0(l_k) = 0,     Fo = a t / R^2

The plug stays ``t = pi R^2 L / Q`` in the zone, so ``Fo = pi a L / Q``: the radius drops out, and the largest flow at
which the centre reaches the material's flow temperature is ``Q = pi a L / Fo*``.

Push. What a drive pushes falls with the bore, though far less than the ``d^3`` of a shear-thinning melt in its land alone: most of
the pressure is spent in the melt zone above, and practice finds that bores hardly matter to where one hot end's output begins to
fall. It is taken to grow in proportion to the bore. Typical.

The two resistances are joined as ``(Qh^-2 + Qp^-2)^(-1/2)``, and the heater's watts cap the result. Validity: plain,
unfilled thermoplastics, bores 0.2 to 1.2 mm, melt zones 8 to 50 mm; expect the true knee within two fifths of it.
Metals and split channels enter by the typical factors below, which put the three kinds of hot end where practice has them
with an easy plastic at its usual temperature and a 0.4 mm bore: 8 to 12 mm3/s with a short zone, 15 to 25 with a long one,
25 to 40 with split channels.

A flow test (:class:`~meanbead.core.model.measured.MeasuredMelt`) of the same hot end, nozzle and plastic replaces all of this:
between the temperatures that were tested its limits are interpolated, up to ten degrees beyond they move on as the
typical ones do. A test of the same plastic with another nozzle, in another colour, or further off in temperature informs
the typical figure: it is scaled by what that test found against what was typical for it, to a power below 1.
"""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from meanbead.core.formulas.bessel import J0_ZEROS, J1_AT_J0_ZEROS
from meanbead.core.formulas.roots import root_between
from meanbead.core.model.base import Provenance
from meanbead.core.model.material import Material
from meanbead.core.model.measured import MeasuredAt, MeasuredMelt
from meanbead.core.model.nozzle import Nozzle
from meanbead.core.model.printer import Printer

__all__ = [
    "BEYOND_C",
    "LATEST_SKIP_RATIO",
    "SKIP_RATIO",
    "USUAL_FALL",
    "WALL_LOSS",
    "MeltCeiling",
    "centre_excess",
    "fourier_for_excess",
    "heater_bound_mm3_s",
    "melt_ceiling",
    "output_share",
    "temperature_for_flow_c",
]

BEYOND_C = 10.0
"""So far beyond the temperatures that were tested a measurement still counts as one."""

TYPICAL_SPREAD = math.log(1.4) / 1.645
"""How far a typical knee may be off: standard deviation of its logarithm; nine of ten within two fifths more, or that much
less by ratio."""

USUAL_FALL = 0.6
"""Typical share of the output that is lost per knee's worth of flow beyond the knee."""

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

_WEIGHTS: NDArray[np.float64] = 2.0 / (J0_ZEROS * J1_AT_J0_ZEROS)


Bound = Literal["heat", "push", "heater", "known", "strand", "too_cold"]


@dataclass(frozen=True)
class MeltCeiling:
    """Flow limits of one hot end, nozzle and material at one temperature, mm3/s.

    ``plan_mm3_s`` is what plans stay under, ``knee_mm3_s`` where output begins to fall, ``skip_mm3_s`` from where on the
    drive may skip. ``bound`` says what limits the knee; ``known`` is the plastic's own largest flow, ``strand`` where the strand
    curls before the output falls. ``fall`` is the share of the output lost per knee's worth of flow beyond it.
    ``low_mm3_s`` and ``high_mm3_s`` are the knee's 90 % interval, ``basis`` what it all rests on in words, empty where it
    is the typical hot end, and ``test_id`` the test, where that is kept.
    """

    plan_mm3_s: float
    knee_mm3_s: float
    skip_mm3_s: float
    bound: Bound
    source: Provenance
    fall: float = USUAL_FALL
    low_mm3_s: float = 0.0
    high_mm3_s: float = 0.0
    basis: str = ""
    test_id: int | None = None


def centre_excess(fourier: float) -> float:
    """Centre's remaining share of the temperature step, ``(Tw - Tc)/(Tw - T0)``, after Fourier number ``fourier``.

    Valid for ``fourier >= 0.001`` with the 60 terms kept.
    """
    return float(np.sum(_WEIGHTS * np.exp(-(J0_ZEROS**2) * fourier)))


@lru_cache(maxsize=4096)
def fourier_for_excess(excess: float) -> float:
    """Fourier number at which the centre's share of the step has fallen to ``excess`` (0 < excess < 1)."""
    if not 0 < excess < 1:
        raise ValueError(f"excess must lie between 0 and 1, not {excess:g}")
    if excess > centre_excess(0.002):
        return 0.002
    return root_between(lambda fo: centre_excess(fo) - excess, 0.002, 10.0, 1e-12)


def melt_ceiling(printer: Printer, nozzle: Nozzle, material: Material, temp_c: float) -> MeltCeiling:
    """Flow limits at a nozzle temperature, mm3/s; see the module's text for model, source and validity.

    Where the wall is not hotter than the material's flow temperature nothing melts and all limits are 0.
    """
    told = (
        _measured(printer, nozzle, material, temp_c)
        or _known(printer, nozzle, material, temp_c)
        or _typical(printer, nozzle, material, temp_c)
    )
    known, free = material.max_flow_mm3_s, 1 - printer.flow_margin
    if known is not None and known < told.plan_mm3_s:
        # What is known to come out well needs no margin of its own.
        return replace(
            told, plan_mm3_s=known, knee_mm3_s=min(known / free, told.knee_mm3_s), bound="known", source="set"
        )
    return told


def _known(printer: Printer, nozzle: Nozzle, material: Material, temp_c: float) -> MeltCeiling | None:
    """What somebody knows this hot end to melt with such a nozzle and this plastic. At other temperatures than theirs it moves
    as the typical figure does."""
    its = [
        known
        for known in printer.known_flows
        if known.material == material.name
        and abs(known.bore_mm - nozzle.bore_mm) < 0.005
        and known.metal in (None, nozzle.metal)
    ]
    if not its:
        return None
    # The one that names the metal says more.
    best = max(its, key=lambda known: known.metal is not None)
    there = material.nozzle_temp_c if best.temp_c is None else best.temp_c
    here_mm3_s, there_mm3_s = (_typical_knee(printer, nozzle, material, temp)[0] for temp in (temp_c, there))
    if here_mm3_s == 0:
        return MeltCeiling(0.0, 0.0, 0.0, "too_cold", "set")
    plan = best.flow_mm3_s * (here_mm3_s / there_mm3_s if there_mm3_s > 0 else 1.0)
    # What is known to come out well needs no margin of its own.
    knee = plan / (1 - printer.flow_margin)
    basis = f"set: {best.flow_mm3_s:g} mm³/s at {there:g} °C"
    return MeltCeiling(plan, knee, knee * SKIP_RATIO, "heat", "set", USUAL_FALL, plan, knee * SKIP_RATIO, basis)


def output_share(ceiling: MeltCeiling, flow_mm3_s: NDArray[np.float64]) -> NDArray[np.float64]:
    """Plastic out over plastic asked for, of the same shape: 1 up to the knee, falling in a line beyond it."""
    beyond = np.maximum(flow_mm3_s / ceiling.knee_mm3_s - 1, 0.0)
    return np.clip(1 - ceiling.fall * beyond, 0.0, 1.0)


def _typical(printer: Printer, nozzle: Nozzle, material: Material, temp_c: float) -> MeltCeiling:
    """What is typical of such a hot end, informed by a test that comes near."""
    knee, bound = _typical_knee(printer, nozzle, material, temp_c)
    if knee == 0:
        return MeltCeiling(0.0, 0.0, 0.0, "too_cold", "typical")
    spread, basis, test_id, usable = TYPICAL_SPREAD, "", None, 1.0
    near = [kin for test in printer.measured_melts if (kin := _kin(printer, nozzle, material, test)) is not None]
    if near and bound != "heater":
        closest = min(near, key=lambda kin: (kin.spread, -kin.test.on.toordinal()))
        entry = min(closest.test.at, key=lambda entry: abs(entry.temp_c - temp_c))
        its_knee, _ = _typical_knee(printer, closest.test.nozzle, material, entry.temp_c)
        if its_knee > 0:
            off = abs(entry.temp_c - temp_c) / 100
            knee *= (entry.knee_mm3_s / its_knee) ** closest.power
            spread, test_id = min(TYPICAL_SPREAD, math.hypot(closest.spread, off)), closest.test.test_id
            basis = f"typical, set right by the flow test of {_day(closest.test)} {closest.words}"
            # What curled there before the output fell will curl here, too.
            usable = min(1.0, entry.limit_mm3_s / entry.knee_mm3_s)
            heater = heater_bound_mm3_s(printer, material, temp_c)
            if heater < knee:
                knee, bound = heater, "heater"
    low, high = knee * math.exp(-1.645 * spread), knee * math.exp(1.645 * spread)
    plan, skip = knee * usable * (1 - printer.flow_margin), knee * SKIP_RATIO
    return MeltCeiling(plan, knee, skip, bound, "typical", USUAL_FALL, low, high, basis, test_id)


def _typical_knee(printer: Printer, nozzle: Nozzle, material: Material, temp_c: float) -> tuple[float, Bound]:
    """The knee by conduction, push and the heater's watts, mm3/s, and which of them binds."""
    room = printer.room_temp_c
    wall = temp_c - WALL_LOSS[nozzle.metal] * (temp_c - room)
    if wall <= material.flow_temp_c:
        return 0.0, "too_cold"
    excess = (wall - material.flow_temp_c) / (wall - room)
    length = printer.hotend.melt_zone_mm + SHAPE_EXTRA_MM[nozzle.shape]
    length *= 1 + CHANNEL_GAIN * (max(printer.hotend.channels, nozzle.melt_channels) - 1)
    heat = np.pi * material.diffusivity_mm2_s * length / fourier_for_excess(max(round(excess, 9), 1e-9))
    push = material.push_limit_mm3_s * (nozzle.bore_mm / 0.4)
    knee = float((heat**-2 + push**-2) ** -0.5)
    heater = heater_bound_mm3_s(printer, material, temp_c)
    if heater < knee:
        return heater, "heater"
    return knee, "heat" if heat <= push else "push"


@dataclass(frozen=True)
class _Kin:
    """A test of something near: how far its finding carries over (``power``), and with which scatter."""

    test: MeasuredMelt
    power: float
    spread: float
    words: str


def _kin(printer: Printer, nozzle: Nozzle, material: Material, test: MeasuredMelt) -> _Kin | None:
    """What a test means for a nozzle and plastic: nothing where the hot end is another one, or the plastic."""
    hotend = printer.hotend
    if (test.melt_zone_mm, test.channels) != (hotend.melt_zone_mm, hotend.channels) or test.material != material.name:
        return None
    words, spread, power = [], 0.06, 1.0
    if test.nozzle != nozzle:
        same_bore = test.nozzle.bore_mm == nozzle.bore_mm
        words.append(f"with {'another' if same_bore else f'a {test.nozzle.bore_mm:g} mm'} nozzle")
        spread, power = math.hypot(spread, 0.08 if same_bore else 0.1), 0.8
    if test.colour != material.colour:
        words.append(f"in {test.colour or 'another colour'}")
        spread, power = math.hypot(spread, 0.06), power * 0.9
    if not words:
        words.append(f"at {', '.join(f'{entry.temp_c:g}' for entry in test.at)} °C")
    return _Kin(test, power, spread, " ".join(words))


def _measured(printer: Printer, nozzle: Nozzle, material: Material, temp_c: float) -> MeltCeiling | None:
    """What a test of just this hot end, nozzle and plastic says near a temperature; the newest where there are several."""
    hotend = printer.hotend
    its = [
        test
        for test in printer.measured_melts
        if test.nozzle == nozzle
        and (test.material, test.colour) == (material.name, material.colour)
        and (test.melt_zone_mm, test.channels) == (hotend.melt_zone_mm, hotend.channels)
        and test.at[0].temp_c - BEYOND_C <= temp_c <= test.at[-1].temp_c + BEYOND_C
    ]
    if not its:
        return None
    test = max(its, key=lambda test: test.on)
    entry = _between(test.at, temp_c)
    beyond = temp_c - entry.temp_c
    scale = 1.0
    if beyond:
        here, there = (_typical_knee(printer, nozzle, material, temp)[0] for temp in (temp_c, entry.temp_c))
        if here == 0 or there == 0:
            return None
        scale = here / there
    limit, knee = entry.limit_mm3_s * scale, entry.knee_mm3_s * scale
    plan = limit * (1 - printer.flow_margin)
    wide = math.exp(1.645 * abs(beyond) / 100)
    return MeltCeiling(
        plan_mm3_s=plan,
        knee_mm3_s=knee,
        skip_mm3_s=max(plan, (entry.skip_mm3_s or entry.knee_mm3_s * SKIP_RATIO) * scale),
        bound="strand" if entry.limit_mm3_s < entry.knee_low_mm3_s * (1 - 1e-9) else "heat",
        source="measured",
        fall=entry.fall,
        low_mm3_s=entry.knee_low_mm3_s * scale / wide,
        high_mm3_s=(entry.knee_high_mm3_s or entry.knee_mm3_s * SKIP_RATIO) * scale * wide,
        basis=f"measured on {_day(test)}",
        test_id=test.test_id,
    )


def _between(entries: tuple[MeasuredAt, ...], temp_c: float) -> MeasuredAt:
    """Limits at a temperature, in a line between two that were tested; beyond them those of the outermost."""
    temp = min(max(temp_c, entries[0].temp_c), entries[-1].temp_c)
    after = next(at for at, entry in enumerate(entries) if entry.temp_c >= temp)
    high = entries[after]
    if high.temp_c == temp:
        return high
    low = entries[after - 1]
    share = (temp - low.temp_c) / (high.temp_c - low.temp_c)
    ends = ((getattr(low, name), getattr(high, name)) for name in MeasuredAt.model_fields)
    mixed = (None if a is None or b is None else a + share * (b - a) for a, b in ends)
    return MeasuredAt.model_validate(dict(zip(MeasuredAt.model_fields, mixed, strict=True)))


def _day(test: MeasuredMelt) -> str:
    return f"{test.on.day} {test.on:%b %Y}"


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
            return root_between(short, float(low), float(high)) if short(float(low)) < 0 else float(low)
    return None
