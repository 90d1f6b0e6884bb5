"""Simulated flow tests with known truth, made without the code that fits them."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from meanbead.core.model.flow_test import FlowPoint, FlowTest

AREA_MM2 = math.pi * 1.75**2 / 4
DENSITY = 1.24


@dataclass(frozen=True)
class Truth:
    """What a simulated hot end really does: ``fall`` is the share lost per knee's worth of flow beyond the knee."""

    knee: float = 13.0
    drive: float = 0.97
    fall: float = 0.6

    def share(self, flow: float) -> float:
        return self.drive * max(0.0, 1 - self.fall * max(0.0, flow / self.knee - 1))


def strand(
    rng: np.random.Generator,
    truth: Truth,
    flow: float,
    *,
    length: float = 340.0,
    scale: float = 0.01,
    cut_mm: float = 1.0,
    gross: float = 0.0,
    temp_c: float = 215.0,
) -> FlowPoint:
    """One strand: filament that varies by 0.2 %, a cut that is off, now and then a gross error, and the scale's rounding."""
    expected = length * AREA_MM2 * DENSITY / 1000
    mass = expected * truth.share(flow) * (1 + 0.002 * rng.normal())
    mass += cut_mm * rng.normal() * AREA_MM2 * DENSITY / 1000
    if rng.random() < gross:
        mass *= rng.uniform(0.5, 1.4)
    shown = max(0.0, round(round(mass / scale) * scale, 6))
    return FlowPoint(flow_mm3_s=flow, temp_c=temp_c, length_mm=length, mass_g=shown)


def ladder(
    rng: np.random.Generator, truth: Truth, low: float, high: float, count: int, scale: float = 0.01, **how: float
) -> FlowTest:
    """An even ladder of flows, with strands long enough for the scale."""
    length = max(300.0, 100 * scale / (AREA_MM2 * DENSITY / 1000))
    points = [
        strand(rng, truth, round(float(flow), 2), scale=scale, length=length, **how)
        for flow in np.linspace(low, high, count)
    ]
    return FlowTest(scale_g=scale, density_g_cm3=DENSITY, points=tuple(points))
