"""Models in a zip archive, from a stranger: bounded in size, count and nesting before anything is unpacked."""

from __future__ import annotations

import io
import posixpath
import zipfile
import zlib

from meanbead.core.errors import PartError, SeveralModels
from meanbead.core.runtime import limits

__all__ = ["bomb", "check_entries", "is_threemf", "model_of"]

ENDINGS = ("stl", "obj", "3mf", "ply", "step", "stp")
_DAMAGED = (zipfile.BadZipFile, zlib.error, EOFError, RuntimeError, OSError, ValueError)
"""What unpacking a damaged, locked or strangely packed archive raises."""


def is_threemf(data: bytes) -> bool:
    """Whether an archive is a 3MF package rather than a collection of models; a damaged one counts as one."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            names = archive.namelist()
    except _DAMAGED:
        return True
    return (
        "[Content_Types].xml" in names or any(name.lower().endswith(".model") for name in names) or not _models(names)
    )


def model_of(data: bytes, member: str = "") -> tuple[bytes, str]:
    """The only model of an archive, or the ``member`` of that name: its bytes and its name.

    Raises :class:`SeveralModels` where there are several and none is named, and :class:`PartError` where the archive is
    unsafe, damaged or holds none.
    """
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            check_entries(archive, "zip archive")
            names = _models(archive.namelist())
            if not names:
                raise PartError(
                    "The archive holds no part file.", field="file", remedy=f"It may hold {', '.join(ENDINGS)} files."
                )
            if len(names) > limits.ARCHIVE_MODELS:
                raise PartError(
                    f"The archive holds {len(names):,} models; {limits.ARCHIVE_MODELS} can be taken at once.",
                    field="file",
                    remedy="Unpack it, and add those that you want.",
                    code="over_limit",
                )
            if member and member not in names:
                raise PartError(
                    f"The archive holds no {member!r:.80}.", field="member", remedy="Choose one of its models."
                )
            if not member and len(names) > 1:
                raise SeveralModels(names)
            chosen = member or names[0]
            with archive.open(chosen) as stream:
                content = stream.read(limits.PART_FILE_BYTES + 1)
    except PartError:
        raise
    except _DAMAGED:
        raise PartError(
            "The archive is damaged, or locked with a password.", field="file", remedy="Pack it again."
        ) from None
    if content[:2] == b"PK" and not chosen.lower().endswith("3mf"):
        raise PartError("It holds an archive within the archive.", field="file", remedy="Unpack the outer one first.")
    return content, posixpath.basename(chosen)


def _models(names: list[str]) -> list[str]:
    """Names of part files, in order; what systems add beside them is passed over."""
    return sorted(
        name
        for name in names
        if name.rsplit(".", 1)[-1].lower() in ENDINGS
        and not posixpath.basename(name).startswith(".")
        and not name.startswith("__MACOSX/")
    )


def check_entries(archive: zipfile.ZipFile, what: str) -> None:
    """Refuse hostile archives: too many entries, paths that climb out, or too much to unpack. ``what`` names it."""
    entries = archive.infolist()
    unpacked = sum(entry.file_size for entry in entries)
    packed = max(1, sum(entry.compress_size for entry in entries))
    if (
        len(entries) > limits.ARCHIVE_ENTRIES
        or unpacked > limits.UNPACKED_BYTES
        or (unpacked > 10 * limits.MB and unpacked / packed > limits.UNPACKED_RATIO)
    ):
        raise bomb(what)
    for entry in entries:
        clean = posixpath.normpath(entry.filename.replace("\\", "/"))
        if clean.startswith(("/", "..")) or (len(clean) > 1 and clean[1] == ":"):
            raise PartError(
                f"The {what} names a path outside itself.",
                field="file",
                remedy="Do not use this file; export the part again from the program that it was drawn in.",
            )


def bomb(what: str) -> PartError:
    """An archive that unpacks to more than any part needs."""
    return PartError(
        f"The {what} unpacks to more than a part could need.",
        field="file",
        remedy=f"The limit is {limits.megabytes(limits.UNPACKED_BYTES)} unpacked: export it coarser, or as binary STL.",
        code="over_limit",
    )
