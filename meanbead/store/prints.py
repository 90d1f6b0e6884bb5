"""Files for machines, prints under way, and tokens."""

from __future__ import annotations

import gzip
import io
from collections.abc import Iterable, Iterator, Sequence
from typing import BinaryIO, cast

from sqlalchemy import delete, select, text
from sqlalchemy.orm import Session, undefer

from meanbead.core.log.follow import ACTIVE
from meanbead.store.print_tables import PRINT_UNDER_WAY, DeviceToken, PrintFile, PrintPiece, PrintRow
from meanbead.store.rows import NotFound

__all__ = [
    "PIECE_BYTES",
    "active",
    "find_by_key",
    "find_file",
    "forget_files",
    "get_file",
    "list_prints",
    "names_of_others",
    "of_run",
    "of_runs",
    "open_file",
    "piece_of",
    "pieces_of",
    "token_of",
    "under_way_on",
    "write_pieces",
]

PIECE_BYTES = 4 * 1024 * 1024
"""Text in one piece, before it is compressed."""

FILES_KEPT = 30


def find_file(session: Session, inputs: str) -> PrintFile | None:
    """The file that was made of the very same, the newest; one that was refused, too."""
    return session.scalars(
        select(PrintFile)
        .where(PrintFile.inputs == inputs, PrintFile.state != "writing")
        .order_by(PrintFile.id.desc())
        .limit(1)
    ).one_or_none()


def names_of_others(session: Session, recipe_id: int, machine_id: int) -> Sequence[str]:
    """Names that files of other columns have on a machine: one of these would be written over."""
    return session.scalars(
        select(PrintFile.name)
        .where(PrintFile.machine_id == machine_id, PrintFile.recipe_id != recipe_id, PrintFile.name != "")
        .distinct()
    ).all()


def get_file(session: Session, file_id: int) -> PrintFile:
    """One file with what was found in it. Raises :class:`NotFound`."""
    row = session.scalars(
        select(PrintFile).where(PrintFile.id == file_id).options(undefer(PrintFile.inspection))
    ).one_or_none()
    if row is None:
        raise NotFound(f"There is no file {file_id}; write it again.")
    return row


def write_pieces(content: Iterable[bytes]) -> Iterator[tuple[int, bytes, int]]:
    """A text cut into pieces, each compressed by itself: its number, its bytes, and how long it was."""
    held, number = bytearray(), 0
    for block in content:
        held += block
        while len(held) >= PIECE_BYTES:
            yield number, gzip.compress(bytes(held[:PIECE_BYTES]), 3, mtime=0), PIECE_BYTES
            del held[:PIECE_BYTES]
            number += 1
    if held:
        yield number, gzip.compress(bytes(held), 3, mtime=0), len(held)


def piece_of(session: Session, file_id: int, number: int) -> bytes | None:
    """A piece of a file's text; None after the last."""
    packed = session.scalars(
        select(PrintPiece.content).where(PrintPiece.file_id == file_id, PrintPiece.number == number)
    ).one_or_none()
    return None if packed is None else gzip.decompress(packed)


def pieces_of(session: Session, file_id: int) -> Iterator[bytes]:
    """A file's text, a piece at a time."""
    number = 0
    while (piece := piece_of(session, file_id, number)) is not None:
        yield piece
        number += 1


class _Pieces(io.RawIOBase):
    """Pieces as a stream that is read once."""

    def __init__(self, pieces: Iterator[bytes]) -> None:
        self._pieces, self._held = pieces, b""

    def readable(self) -> bool:
        return True

    def readinto(self, buffer: bytearray | memoryview) -> int:  # type: ignore[override]
        while not self._held:
            piece = next(self._pieces, None)
            if piece is None:
                return 0
            self._held = piece
        count = min(len(buffer), len(self._held))
        buffer[:count] = self._held[:count]
        self._held = self._held[count:]
        return count


def open_file(session: Session, file_id: int) -> BinaryIO:
    """A file's text from its start, fetched as it is read: within the session."""
    return cast(BinaryIO, io.BufferedReader(_Pieces(pieces_of(session, file_id)), 1 << 20))


def forget_files(session: Session) -> None:
    """Old files go, but for those of prints under way: they can be written again."""
    kept = select(PrintFile.id).order_by(PrintFile.id.desc()).limit(FILES_KEPT)
    needed = select(PrintRow.file_id).where(text(PRINT_UNDER_WAY))
    session.execute(delete(PrintFile).where(PrintFile.id.not_in(kept), PrintFile.id.not_in(needed)))


def find_by_key(session: Session, key: str) -> PrintRow | None:
    """The print that was asked for under a key."""
    return session.scalars(select(PrintRow).where(PrintRow.key == key)).one_or_none()


def under_way_on(session: Session, machine_id: int) -> PrintRow | None:
    """What a machine is at."""
    return session.scalars(
        select(PrintRow).where(PrintRow.machine_id == machine_id, text(PRINT_UNDER_WAY))
    ).one_or_none()


def active(session: Session) -> Sequence[PrintRow]:
    """Prints that machines are at, and that are to be followed."""
    return session.scalars(
        select(PrintRow).where(PrintRow.state.in_(ACTIVE), PrintRow.deleted_at.is_(None)).order_by(PrintRow.id)
    ).all()


def list_prints(session: Session, limit: int = 40) -> Sequence[PrintRow]:
    """Prints, those under way first, then the newest."""
    return session.scalars(
        select(PrintRow)
        .where(PrintRow.deleted_at.is_(None))
        .order_by(text(f"({PRINT_UNDER_WAY}) desc"), PrintRow.id.desc())
        .limit(limit)
    ).all()


def of_run(session: Session, run_id: int) -> PrintRow | None:
    """The print that a run was."""
    return session.scalars(
        select(PrintRow).where(PrintRow.run_id == run_id).order_by(PrintRow.id.desc()).limit(1)
    ).one_or_none()


def of_runs(session: Session, run_ids: Sequence[int]) -> dict[int, PrintRow]:
    """The prints of runs, with their tracks."""
    if not run_ids:
        return {}
    rows = session.scalars(
        select(PrintRow).where(PrintRow.run_id.in_(run_ids)).order_by(PrintRow.id).options(undefer(PrintRow.track))
    )
    return {row.run_id: row for row in rows if row.run_id is not None}


def token_of(session: Session, machine_id: int) -> DeviceToken | None:
    """A machine's sealed token."""
    return session.get(DeviceToken, machine_id)
