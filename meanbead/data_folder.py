"""Where a workshop's data lie, and what a server of theirs tells others about itself. Imports nothing heavy."""

from __future__ import annotations

import os
from pathlib import Path

__all__ = ["state_file", "usual_data_folder"]


def usual_data_folder() -> Path:
    """``MEANBEAD_DATA``; else ``var`` in a checkout; where a package is installed, the account's own folder for data."""
    if given := os.environ.get("MEANBEAD_DATA"):
        return Path(given)
    root = Path(__file__).resolve().parents[1]
    if (root / "pyproject.toml").is_file():
        return root / "var"
    return Path(os.environ.get("XDG_DATA_HOME", Path.home() / ".local" / "share")) / "meanbead"


def state_file(data: Path) -> Path:
    """Written by a running server: its process, its address, its engine's process."""
    return data / "running.json"
