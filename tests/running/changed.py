"""What ``./check --quick`` runs: the static checks, and the tests that changes since the last commit reach."""

from __future__ import annotations

import subprocess
from collections.abc import Iterable

import grimp

from tests.running.queue import last_times
from tests.running.tasks import CHANGED_PAGES, ROOT, STATIC, Task, module_name, test_modules

BUDGET_S = 200.0
"""Seconds of tests on all cores: with the static checks beside them, some 90 seconds on two."""


def changed_files() -> list[str]:
    """Files that differ from the last commit, new ones too."""
    told = ""
    for words in (["diff", "--name-only", "HEAD"], ["ls-files", "--others", "--exclude-standard"]):
        told += subprocess.run(["git", *words], cwd=ROOT, capture_output=True, text=True, check=True).stdout
    return sorted({line for line in told.splitlines() if line})


def reached(files: Iterable[str]) -> dict[str, int]:
    """Test modules that changed files reach, with how far away they are: 0 for themselves, 1 where they import what has
    changed, 2 where they import something that does."""
    graph = grimp.build_graph("meanbead", "tests", cache_dir=str(ROOT / "var" / "grimp"))
    tests = {task.name for task in test_modules()}
    found: dict[str, int] = {}
    here = {module_name(ROOT / file).removesuffix(".__init__") for file in files if file.endswith(".py")}
    here &= graph.modules
    for distance in range(3):
        for name in here & tests:
            found.setdefault(name, distance)
        here = {importer for name in here for importer in graph.find_modules_that_directly_import(name)}
    return found


def within(found: dict[str, int], tasks: Iterable[Task], seconds: dict[str, float], budget_s: float) -> list[Task]:
    """The tasks of what was found, the nearest and then the quickest first, as many as the budget holds; what has changed
    itself always."""
    wanted = sorted(
        (task for task in tasks if task.name in found),
        key=lambda task: (found[task.name], seconds.get(task.name, task.guess_s)),
    )
    kept: list[Task] = []
    for task in wanted:
        budget_s -= seconds.get(task.name, task.guess_s)
        if budget_s >= 0 or found[task.name] == 0:
            kept.append(task)
    return kept


def quick_tasks() -> list[Task]:
    """Static checks and the tests that are reached; says what is left out."""
    files = changed_files()
    found = reached(files)
    kept = within(found, test_modules(), last_times(), BUDGET_S)
    left = sorted(set(found) - {task.name for task in kept})
    print(f"{len(files)} files differ from the last commit; {len(found)} test modules are reached by them.")
    if left:
        print(f"Left out, for they take too long here: {', '.join(left)}. ./check runs them.")
    return [*(task for task in STATIC if task.name != "Vitest"), CHANGED_PAGES, *kept]
