"""Files whose surface is open, kept until somebody has decided."""

from __future__ import annotations

from datetime import timedelta

from sqlalchemy import delete as delete_rows
from sqlalchemy.orm import Session

from meanbead.store.rows import NotFound
from meanbead.store.tables import (
    Upload,
    now,
)

UPLOADS_KEPT_FOR = timedelta(days=2)


def add_upload(session: Session, file_name: str, unit: str, member: str, source: bytes, picture: bytes) -> Upload:
    """Keep a file whose surface is open, until somebody has decided; older ones are forgotten."""
    before = now() - UPLOADS_KEPT_FOR
    session.execute(delete_rows(Upload).where(Upload.created_at < before))
    row = Upload(file_name=file_name[:255], unit=unit, member=member[:255], source=source, picture=picture)
    session.add(row)
    session.flush()
    return row


def get_upload(session: Session, upload_id: int) -> Upload:
    """A file that waits for an answer. Raises :class:`NotFound`."""
    row = session.get(Upload, upload_id)
    if row is None:
        raise NotFound(f"There is no upload {upload_id}.")
    return row
