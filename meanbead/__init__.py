"""Mean Bead: settings for filament printing within what the hot end can melt, with true times and grams."""

__version__ = "0.1.0"
