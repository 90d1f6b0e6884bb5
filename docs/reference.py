"""Render the reference of the core from its docstrings: ``python -m docs.reference``, into ``var/reference/``."""

from __future__ import annotations

import hashlib
import sys
from importlib import import_module
from pathlib import Path
from pkgutil import walk_packages

import pdoc

import meanbead.core
from meanbead.core import part

FOLDER = Path(__file__).resolve().parents[1] / "var" / "reference"
APART = {"meanbead.core.part.closer", "meanbead.core.part.step"}
"""Modules that run in processes of their own, and load what others should not."""


def modules() -> list[str]:
    """The core and every module in it, by name. Private ones say so by an underscore; there are none now."""
    found = [one.name for one in walk_packages(meanbead.core.__path__, "meanbead.core.")]
    return ["meanbead.core", *(name for name in found if name not in APART)]


def _on_its_face(name: str) -> bool:
    package, _, module = name.rpartition(".")
    face = getattr(import_module(package), "__all__", None)
    return face is None or module in face


def _stamp() -> Path:
    return FOLDER / "made-of.txt"


def _sources() -> str:
    """What the pages are made of, as one digest."""
    digest = hashlib.sha256()
    for file in sorted((Path(meanbead.core.__path__[0])).rglob("*.py")):
        digest.update(file.read_bytes())
    return digest.hexdigest()


def main() -> int:
    """One page a module, with a search; nothing is fetched from elsewhere. Fails where a module has no words of its own."""
    if FOLDER.joinpath("index.html").exists() and _stamp().exists() and _stamp().read_text() == _sources():
        return 0
    # Names that load when they are first asked for are asked for now.
    vars(part).update({name: getattr(part, name) for name in part.__all__})
    names = modules()
    wordless = [name for name in names if not (import_module(name).__doc__ or "").strip()]
    if wordless:
        print(f"These modules say nothing about themselves: {', '.join(wordless)}", file=sys.stderr)
        return 1
    pdoc.render.configure(docformat="numpy", footer_text="Mean Bead, the core")
    # Packages are found from the top, and modules by a name that their face exports; the others have to be named.
    inner = [name for name in names if name.count(".") > 2 and not _on_its_face(name)]
    pdoc.pdoc("meanbead.core", *inner, output_directory=FOLDER)
    _stamp().write_text(_sources())
    print(f"The reference of the core: {FOLDER / 'index.html'}, {len(names)} modules")
    return 0


if __name__ == "__main__":
    sys.exit(main())
