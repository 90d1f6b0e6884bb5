"""How work is run: over threads, with a bounded memory, with progress, and how much is taken at most."""

from meanbead.core.runtime.cache import BoundedCache
from meanbead.core.runtime.parallel import ordered_map, parallel_apply, parallel_map
from meanbead.core.runtime.progress import ProgressCallback, no_progress

__all__ = ["BoundedCache", "ProgressCallback", "no_progress", "ordered_map", "parallel_apply", "parallel_map"]
