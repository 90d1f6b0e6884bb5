"""Loading what stays for good."""

from __future__ import annotations

import gc
from importlib import import_module

__all__ = ["load"]


def load(module: str) -> None:
    """Import a module with all that it needs. Looking through that for garbage again and again took a tenth to a fifth of the
    time: it is not looked for meanwhile, and what has been loaded is left out later."""
    gc.disable()
    import_module(module)
    gc.freeze()
    gc.enable()
