"""What there is to run: static checks, which are commands, and test modules."""

from __future__ import annotations

import sys
from dataclasses import dataclass, field
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]
_PYTHON = sys.executable
_BIN = Path(_PYTHON).parent


@dataclass(frozen=True)
class Task:
    """One piece of work. ``command`` is empty for a test module, whose name is its dotted one; ``guess_s`` orders what has
    never been timed on this machine; ``threads``: of the engine, None for its own choice in a process of its own."""

    name: str
    command: tuple[str, ...] = ()
    folder: Path = ROOT
    guess_s: float = 10.0
    threads: int | None = 1
    environment: dict[str, str] = field(default_factory=dict)


def _bin(name: str, *words: str) -> tuple[str, ...]:
    return (str(_BIN / name), *words)


def _ui(script: str) -> tuple[str, ...]:
    return ("npm", "run", "--silent", script)


STATIC = (
    Task("ruff, rules", _bin("ruff", "check", "--quiet", "."), guess_s=2),
    Task("ruff, format", _bin("ruff", "format", "--check", "--quiet", "."), guess_s=2),
    Task("mypy, strict", _bin("mypy"), guess_s=120),
    Task("which room may import which", _bin("lint-imports", "--no-logo"), guess_s=15),
    Task("TypeScript", _ui("types"), ROOT / "ui", 40),
    Task("eslint", _ui("lint"), ROOT / "ui", 150),
    Task("arrows of the pages", _ui("arrows"), ROOT / "ui", 10),
    Task("texts for translators", _ui("texts:check"), ROOT / "ui", 40),
    Task("Vitest", _ui("test"), ROOT / "ui", 30),
    Task("reference of the core", (_PYTHON, "-m", "docs.reference"), guess_s=30),
)
"""Each counts as one check. All keep what they know between runs, in folders that git ignores."""

CHANGED_PAGES = Task("Vitest, what changes reach", _ui("test:changed"), ROOT / "ui", 30)
"""In the place of all of Vitest where only changes are looked at."""

_OWN_THREADS = ("tests.core.runtime.test_parallel",)
"""Modules that are about the engine's threads, and so want as many as it takes by itself."""

_PER_TEST_S = {"ui": 6.0, "api": 1.5, "devices": 1.5, "core": 0.7}
"""A guess where nothing was timed yet."""


def module_name(file: Path) -> str:
    """The dotted name of a Python file of the project."""
    return ".".join(file.relative_to(ROOT).with_suffix("").parts)


def test_task(name: str) -> Task:
    """The task of a test module, or of a class or test in one."""
    own = name in _OWN_THREADS
    return Task(name, guess_s=_guess_s(name), threads=None if own else 1)


def test_modules() -> list[Task]:
    """All test modules."""
    return [test_task(module_name(file)) for file in sorted((ROOT / "tests").rglob("test_*.py"))]


def _guess_s(name: str) -> float:
    file = ROOT.joinpath(*name.split(".")).with_suffix(".py")
    tests = file.read_text().count("    def test_") if file.exists() else 1
    kind = name.split(".")[1]
    return tests * _PER_TEST_S.get(kind, 5.0)
