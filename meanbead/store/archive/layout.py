"""What an archive holds, and where."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from pathlib import PurePosixPath
from typing import Any

__all__ = [
    "FORMAT",
    "LEFT_OUT",
    "MANIFEST",
    "README_NAME",
    "READ_ME",
    "TABLES",
    "ArchiveError",
    "Contents",
    "file_name",
    "key_of",
]

FORMAT = 1
MANIFEST = "workshop.json"
README_NAME = "README.txt"

LEFT_OUT: dict[str, str] = {
    "people": "accounts belong to an installation, and their passphrases' hashes leave it for nowhere",
    "sessions": "devices that are signed in are signed in here",
    "invitations": "links that make accounts are secrets",
    "tries": "failed tries to sign in are forgotten within days",
    "audit": "who did what here is this installation's own",
    "jobs": "background work is done anew",
    "generations": "counters of this database",
    "device_tokens": "secrets leave an installation for nowhere",
    "print_files": "files are written again from their columns",
    "print_pieces": "the text of those files",
    "prints": "what a machine is at just now is its own; the log has what came of it",
}
"""Tables that stay where they are, with the reason: a restore neither brings nor touches them."""

EMPTIED: tuple[str, ...] = ("device_tokens", "print_pieces", "print_files", "prints")
"""Tables that are emptied by a restore: they speak of machines and columns that are others then, and a token must never go to
another machine."""

TABLES: tuple[str, ...] = (
    "comparisons",
    "day_plans",
    "estimates",
    "experiments",
    "flow_points",
    "flow_tests",
    "gcode_files",
    "hours_exceptions",
    "house",
    "house_recipes",
    "import_columns",
    "journal",
    "machines",
    "materials",
    "measurements",
    "nozzles",
    "parts",
    "plates",
    "purposes",
    "queue_items",
    "recipe_versions",
    "recipes",
    "run_photos",
    "runs",
    "spools",
    "test_pieces",
    "uploads",
)
"""Tables of this version that an archive holds, by name: a new one belongs either here or above, and a test says so."""

_EXTENSIONS = {
    ("parts", "vertices"): ".f64",
    ("parts", "faces"): ".i32",
    ("parts", "picture"): ".png",
    ("parts", "guessed_faces"): ".u8",
    ("uploads", "picture"): ".png",
    ("flow_points", "photo"): ".jpg",
    ("run_photos", "photo"): ".jpg",
    ("run_photos", "thumbnail"): ".jpg",
    ("gcode_files", "content"): ".gcode.z",
}

READ_ME = """A workshop of Mean Bead.

workshop.json   what this is, by which schema, and the SHA-256 of every other file
tables/*.jsonl  one row a line, as JSON: this is what is restored
tables/*.csv    the same for people and table programs; names that people gave stand in it as they are
files/          what is no text, by table, row and column: parts as they came (source), their sound meshes as raw
                little-endian arrays (vertices: float64 x 3, faces: int32 x 3), G-code, photos

Restore it with ./start --restore FILE, or on the page Backups. Accounts are not in it: people are invited anew.
"""


class ArchiveError(RuntimeError):
    """The archive cannot be used; the text says why, and that nothing was touched."""


@dataclass(frozen=True)
class Contents:
    """What an archive says of itself: when it was made, by which version and schema, and how many rows each table has."""

    made_at: datetime
    version: str
    schema: str
    rows: dict[str, int]
    size_bytes: int


def key_of(row: dict[str, Any], keys: list[str]) -> str:
    """A row's key as a folder's name."""
    return "-".join(str(row[key]) for key in keys)


def file_name(table: str, key: str, column: str, row: dict[str, Any]) -> str:
    """Where what is no text of a row's column lies."""
    extension = _EXTENSIONS.get((table, column))
    if extension is None:
        given = PurePosixPath(str(row.get("file_name", ""))).suffix.lower()
        extension = given if given[1:].isalnum() and len(given) <= 6 else ".bin"
    return f"files/{table}/{key}/{column}{extension}"
