"""The whole workshop as one open archive, and back.

A ZIP file: ``workshop.json`` says what it is, by which schema, and the SHA-256 of every other member;
``tables/NAME.jsonl`` holds one row a line, ``tables/NAME.csv`` the same for people, and ``files/NAME/KEY/COLUMN.EXT`` what is
no text: meshes, G-code, photos. docs/formats.md describes it for other readers.
"""

from meanbead.store.archive.layout import LEFT_OUT, TABLES, ArchiveError, Contents
from meanbead.store.archive.load import has_data, restore
from meanbead.store.archive.read import check
from meanbead.store.archive.write import write

__all__ = ["LEFT_OUT", "TABLES", "ArchiveError", "Contents", "check", "has_data", "restore", "write"]
