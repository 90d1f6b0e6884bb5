"""``python -m meanbead.core.part.closer OPEN.npz CLOSED.npz``: fill the holes of bodies, in a process of its own.

Arrays ``v0 f0 v1 f1 ...`` in, the same out; a body that comes to nothing comes back without triangles. After each, its
number is printed. The work is pymeshfix's, which is kept out of every other process: see docs/architecture.md.
"""

from __future__ import annotations

import sys
from typing import Any

import numpy as np
import pymeshfix

__all__ = ["main"]


def main(source: str, made: str) -> int:
    """Close every body of a file."""
    with np.load(source) as arrays:
        bodies = [(arrays[f"v{k}"], arrays[f"f{k}"]) for k in range(len(arrays.files) // 2)]
    closed: dict[str, Any] = {}
    for k, (vertices, faces) in enumerate(bodies):
        done = pymeshfix.clean_from_arrays(
            np.ascontiguousarray(vertices, dtype=np.float64), np.ascontiguousarray(faces, dtype=np.int32)
        )
        closed[f"v{k}"], closed[f"f{k}"] = (np.asarray(array).reshape(-1, 3) for array in done)
        print(k + 1, flush=True)
    np.savez(made, **closed)
    return 0


if __name__ == "__main__":
    sys.exit(main(*sys.argv[1:3]))
