"""Files laid into a folder of this computer: a card in its reader, a share of the network."""

from __future__ import annotations

import os
import shutil
from collections.abc import Iterable
from contextlib import suppress
from pathlib import Path

from meanbead.core.errors import MeanBeadError
from meanbead.devices.ways import SendProgress

__all__ = ["FolderWay", "check_folder"]

_SPARE_BYTES = 64 * 1024


def check_folder(text: str, *forbidden: Path) -> Path:
    """The folder that a text names, if files may be laid there. Raises :class:`MeanBeadError`."""
    path = Path(text.strip())
    if not text.strip() or not path.is_absolute():
        raise MeanBeadError(
            "A folder is given from the root on.", field="folder", remedy="Such as /media/card or /srv/prints."
        )
    real = path.resolve()
    if any(real == own.resolve() or own.resolve() in real.parents for own in forbidden):
        raise MeanBeadError("That is Mean Bead's own folder.", field="folder", remedy="Choose another one.")
    if not real.is_dir():
        raise MeanBeadError(
            f"There is no folder {text:.200}.", field="folder", remedy="Is the card in, the share connected?"
        )
    return real


class FolderWay:
    """A folder. What is written bears another name until it is whole and on the disk."""

    def __init__(self, folder: str) -> None:
        self._text = folder

    def test(self) -> str:
        """Try to write, and say how much room there is."""
        folder = check_folder(self._text)
        probe = folder / ".mean-bead-test"
        try:
            probe.write_bytes(b"test")
            probe.unlink()
        except OSError as problem:
            raise _unusable(folder, problem) from None
        return f"The folder can be written to; {shutil.disk_usage(folder).free / 1e6:,.0f} MB are free."

    def send(self, name: str, content: Iterable[bytes], size_bytes: int, progress: SendProgress) -> None:
        """Write a file under its name, whole or not at all."""
        folder = check_folder(self._text)
        if os.sep in name or name.startswith("."):
            raise MeanBeadError(f"“{name:.80}” is no name for a file.", field="file_name")
        free = shutil.disk_usage(folder).free
        if free < size_bytes + _SPARE_BYTES:
            raise MeanBeadError(
                f"The file has {size_bytes / 1e6:.1f} MB, and {free / 1e6:.1f} MB are free there.",
                field="folder",
                remedy="Delete something on it, or take another card.",
                code="full",
            )
        part = folder / f"{name}.part"
        sent = 0
        try:
            with part.open("wb") as file:
                for block in content:
                    file.write(block)
                    sent += len(block)
                    progress(sent)
                file.flush()
                os.fsync(file.fileno())
            part.replace(folder / name)
            with suppress(OSError):  # some shares know no such thing
                handle = os.open(folder, os.O_RDONLY)
                os.fsync(handle)
                os.close(handle)
        except OSError as problem:
            raise _unusable(folder, problem) from None
        finally:
            with suppress(OSError):
                part.unlink(missing_ok=True)


def _unusable(folder: Path, problem: OSError) -> MeanBeadError:
    return MeanBeadError(
        f"{folder} cannot be written to ({problem.strerror or problem}).",
        field="folder",
        remedy="Is the card locked, full or out? May this account write there?",
    )
