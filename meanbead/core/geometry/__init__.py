"""Plane geometry: overlays that never fail, offsets at true distances, scan lines."""

from meanbead.core.geometry.offsets import grown, inset
from meanbead.core.geometry.overlay import difference, intersection
from meanbead.core.geometry.scanlines import Lines, scan_lines

__all__ = ["Lines", "difference", "grown", "inset", "intersection", "scan_lines"]
