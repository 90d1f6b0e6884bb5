"""Strokes, motion and melt together: time, filament, cost, and where each second goes."""

from meanbead.core.estimate.engine import Engine, Sampled
from meanbead.core.estimate.job import Prepared, PrintJob, prepare
from meanbead.core.estimate.ledger import CAUSES, Cause
from meanbead.core.estimate.sample import SAMPLE_LAYERS
from meanbead.core.estimate.summary import ENGINE_VERSION

__all__ = ["CAUSES", "ENGINE_VERSION", "SAMPLE_LAYERS", "Cause", "Engine", "Prepared", "PrintJob", "Sampled", "prepare"]
