"""G-code files that columns replay, kept compressed."""

from __future__ import annotations

import gzip
import hashlib
import io
from typing import IO, BinaryIO, cast

from sqlalchemy import select
from sqlalchemy.orm import Session, undefer

from meanbead.store.tables import (
    GcodeFile,
)


def save_gcode(session: Session, stream: IO[bytes], file_name: str) -> GcodeFile:
    """Keep a G-code file of any size, compressed as it is read."""
    packed, digest, size = io.BytesIO(), hashlib.sha256(), 0
    with gzip.GzipFile(fileobj=packed, mode="wb", compresslevel=3, mtime=0) as writer:
        while block := stream.read(1024 * 1024):
            writer.write(block)
            digest.update(block)
            size += len(block)
    row = GcodeFile(file_name=file_name[:255], digest=digest.hexdigest(), size_bytes=size, content=packed.getvalue())
    session.add(row)
    session.flush()
    return row


def gcode_content(session: Session, gcode_id: int) -> bytes:
    """A stored G-code file, still compressed; see :func:`open_gcode`."""
    return (
        session.scalars(select(GcodeFile).where(GcodeFile.id == gcode_id).options(undefer(GcodeFile.content)))
        .one()
        .content
    )


def open_gcode(content: bytes) -> BinaryIO:
    """A stored G-code file from its start, unpacked as it is read."""
    return cast(BinaryIO, gzip.GzipFile(fileobj=io.BytesIO(content)))
