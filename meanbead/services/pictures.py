"""Drawings of parts as PNG."""

from __future__ import annotations

import io

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from meanbead.core.errors import OpenSurface
from meanbead.core.part.picture import draw_mesh, draw_solid
from meanbead.core.part.solid import Solid


def png_of(solid: Solid, width_px: int = 480, height_px: int = 360) -> bytes:
    """A solid's drawing, PNG."""
    return as_png(draw_solid(solid, width_px, height_px))


def as_png(drawing: NDArray[np.uint8]) -> bytes:
    """An RGBA drawing as PNG."""
    buffer = io.BytesIO()
    Image.fromarray(drawing, "RGBA").save(buffer, "PNG", optimize=True)
    return buffer.getvalue()


def open_surface_png(surface: OpenSurface) -> bytes:
    """Where a surface is open, PNG."""
    return as_png(draw_mesh(surface.vertices, surface.faces, marked=surface.edges))
