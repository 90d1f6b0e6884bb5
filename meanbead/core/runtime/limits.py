"""How much is taken at most: of files, triangles, archives and rows. Messages, the server and the documents say these."""

from __future__ import annotations

__all__ = ["megabytes"]

MB = 1_000_000

PART_FILE_BYTES = 200 * MB
GCODE_FILE_BYTES = 400 * MB
BACKUP_BYTES = 200_000 * MB
FORM_BYTES = 1 * MB
"""What a form adds to the file in it."""

TRIANGLES = 3_000_000
UNPACKED_BYTES = 600 * MB
UNPACKED_RATIO = 200
"""Archives that unpack to more than so many times their size are made to harm."""

ARCHIVE_ENTRIES = 2_000
ARCHIVE_MODELS = 100
COMPONENT_DEPTH = 16
PLACED_OBJECTS = 10_000

BODIES_SPLIT = 60
BODIES_CLOSED = 2_000
STROKES_PER_PIECE = 400_000
DRAWN_MOVES = 3_000_000
APART_SECONDS = 120.0
APART_BYTES = 6_000 * MB
"""Time and address space of a process of its own that reads or closes a stranger's file."""

ROW_ID = 2_147_483_647
"""Numbers of rows, as the database counts them."""


def megabytes(count: int) -> str:
    """``200 MB``."""
    return f"{count // MB:,} MB"
