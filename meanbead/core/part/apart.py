"""Run a part of the work in a process of its own, with limits of time and memory.

Libraries that read or mend strangers' files may crash, hang or eat all memory on some of them; then only that process
ends, and a sentence says so.
"""

from __future__ import annotations

import resource
import runpy
import subprocess
import sys
import threading
from collections.abc import Callable, Sequence

from meanbead.core.errors import PartError
from meanbead.core.runtime import limits

__all__ = ["main", "run_apart"]


def run_apart(
    module: str,
    words: Sequence[str],
    doing: str,
    *,
    seconds: float = limits.APART_SECONDS,
    memory_bytes: int = limits.APART_BYTES,
    hear: Callable[[str], None] = lambda line: None,
) -> None:
    """Run a module with words as its arguments; ``hear`` gets each line that it prints, and may raise to end it.

    Raises :class:`PartError` where it fails, takes too long or too much memory; ``doing`` says what it was at, such as
    ``reading the STEP file``. What the module prints as its last line after exit code 2 is taken as a sentence.
    """

    process = subprocess.Popen(
        # The limits are set by the process itself: nothing may run between fork and exec where threads are about.
        [sys.executable, "-m", __name__, str(memory_bytes), module, *words],
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        stdin=subprocess.DEVNULL,
        text=True,
    )
    late = threading.Event()

    def end() -> None:
        late.set()
        process.kill()

    timer = threading.Timer(seconds, end)
    timer.start()
    last = ""
    try:
        assert process.stdout is not None
        for line in process.stdout:
            last = line.strip() or last
            hear(last)
        code = process.wait()
    finally:
        timer.cancel()
        process.kill()
        process.wait()
        if process.stdout is not None:
            process.stdout.close()
    if late.is_set():
        raise PartError(
            f"{doing[:1].upper()}{doing[1:]} took over {seconds:.0f} s.", field="file", remedy="Use a simpler file."
        )
    if code == 2:
        what, _, remedy = last.partition(". ")
        raise PartError(f"{what.rstrip('.')}.", field="file", remedy=remedy)
    if code != 0:
        raise PartError(
            f"{doing[:1].upper()}{doing[1:]} failed: the file is damaged, or too large to be worked on here.",
            field="file",
            remedy="Export it again, as STL or 3MF if that is possible.",
        )


def main() -> None:
    """Bound this process, and become the module."""
    memory_bytes, module = int(sys.argv[1]), sys.argv[2]
    resource.setrlimit(resource.RLIMIT_AS, (memory_bytes, memory_bytes))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    sys.argv = sys.argv[2:]
    runpy.run_module(module, run_name="__main__", alter_sys=True)


if __name__ == "__main__":
    main()
