"""Read a STEP file: exact surfaces as triangles. ``python -m meanbead.core.part.step IN.step OUT.npz`` does the work."""

from __future__ import annotations

import sys
import tempfile
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from meanbead.core.part.apart import run_apart
from meanbead.core.runtime import limits

__all__ = ["main", "read_step"]

TOLERANCE_MM = 0.02
"""How far triangles may lie from the surface: a twentieth of the usual bead's width, far below what a print shows."""

TOLERANCE_RAD = 0.2


def read_step(data: bytes) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
    """Vertices float64 (n, 3) in mm, whatever unit the file states, and faces int64 (m, 3).

    Raises :class:`PartError` where it cannot be read within the limits of time and memory.
    """
    with tempfile.TemporaryDirectory(prefix="meanbead-step-") as folder:
        source, made = Path(folder, "part.step"), Path(folder, "part.npz")
        source.write_bytes(data)
        run_apart(__name__, [str(source), str(made)], "reading the STEP file")
        with np.load(made) as arrays:
            return arrays["vertices"].astype(np.float64), arrays["faces"].astype(np.int64)


def main(source: str, made: str) -> int:
    """The work itself, in a process of its own."""
    import cascadio
    import trimesh

    middle = Path(made).with_suffix(".glb")
    # The absolute tolerance counts in the file's own unit after conversion to millimetres.
    code = cascadio.step_to_glb(source, str(middle), TOLERANCE_MM, TOLERANCE_RAD, use_parallel=False)
    if code != 0 or not middle.exists():
        print("The STEP file cannot be read. Export it again, as AP203, AP214 or AP242.")
        return 2
    scene: Any = trimesh.load(str(middle), file_type="glb", force="scene", process=False)
    meshes = [geometry for geometry in scene.dump() if isinstance(geometry, trimesh.Trimesh) and len(geometry.faces)]
    if not meshes:
        print("The STEP file holds no solid and no surface. Export it again, with the body selected.")
        return 2
    count = sum(len(item.faces) for item in meshes)
    if count > limits.TRIANGLES:
        print(f"The part has {count:,} triangles; the limit is {limits.TRIANGLES:,}. Leave out what is not printed.")
        return 2
    whole: Any = trimesh.util.concatenate(meshes)
    # The interchange file counts in metres.
    np.savez(made, vertices=np.asarray(whole.vertices) * 1000.0, faces=np.asarray(whole.faces))
    return 0


if __name__ == "__main__":
    sys.exit(main(*sys.argv[1:3]))
