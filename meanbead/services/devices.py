"""What a device calls itself, in a few words that its owner recognises."""

from __future__ import annotations

__all__ = ["name_of"]

_SYSTEMS = (
    ("iPhone", "iPhone"),
    ("iPad", "iPad"),
    ("Android", "Android"),
    ("CrOS", "Chromebook"),
    ("Windows", "Windows"),
    ("Mac OS X", "Mac"),
    ("Linux", "Linux"),
)
_BROWSERS = (
    ("Edg", "Edge"),
    ("Firefox", "Firefox"),
    ("FxiOS", "Firefox"),
    ("Chrom", "Chrome"),
    ("CriOS", "Chrome"),
    ("Safari", "Safari"),
)


def name_of(user_agent: str) -> str:
    """``Firefox on Android``; only a hint, for a device may say what it likes."""
    system = next((name for mark, name in _SYSTEMS if mark in user_agent), "")
    browser = next((name for mark, name in _BROWSERS if mark in user_agent), "")
    if browser and system:
        return f"{browser} on {system}"
    return browser or system or "An unknown device"
