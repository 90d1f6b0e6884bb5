"""Strokes, motion and melt together: time, filament, cost, and where each second goes."""

from meanbead.core.estimate.engine import ENGINE_VERSION, Engine

__all__ = ["ENGINE_VERSION", "Engine"]
