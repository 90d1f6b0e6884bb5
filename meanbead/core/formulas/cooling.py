"""Cooling: how far layers that would end too soon are slowed.

A layer on one that is still soft is pushed out of place, so each gets a least time. Plastic is laid slower, by one common
factor, but not slower than a least speed, below which the nozzle only heats what lies there. The factor is taken on the
layer's seconds under plastic, ramps included. Validity: layers whose travel is not slowed, as is usual.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

__all__ = ["slowed_s"]

Floats = NDArray[np.float64]


def slowed_s(layer_s: Floats, plastic_s: Floats, slowest_s: Floats, least_s: Floats) -> tuple[Floats, Floats]:
    """Seconds by which layers are slowed, and what is left to the least time then; arrays of shape (layers,).

    ``layer_s`` is each layer as planned, ``plastic_s`` of it under plastic, ``slowest_s`` the same at the least speed, and
    ``least_s`` the least time: ``slowed = min(least - layer, slowest - plastic)``, never negative. A layer without plastic
    is left alone.
    """
    short = np.where(plastic_s > 0, np.maximum(0.0, least_s - layer_s), 0.0)
    slowing: Floats = np.minimum(short, np.maximum(0.0, slowest_s - plastic_s))
    return slowing, short - slowing
