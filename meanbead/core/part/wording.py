"""Numbers in sentences."""

__all__ = ["count_of", "was"]


def count_of(number: int, noun: str) -> str:
    """``3 holes``, ``1 hole``."""
    return f"{number:,} {noun}{'' if number == 1 else 's'}"


def was(number: int) -> str:
    """``was`` or ``were``."""
    return "was" if number == 1 else "were"
