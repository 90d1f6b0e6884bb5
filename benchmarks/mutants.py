"""Do the tests notice? Small faults are put into the core, one at a time, and the tests that are near are run against each:

    python -m benchmarks.mutants [--sample 400] [--seed 1] [--least 85] [--only rules] [--processes 2]

A fault that no test notices survives, and is listed with its place. The share of those that were noticed is the last line.
"""

from __future__ import annotations

import argparse
import ast
import copy
import importlib
import importlib.abc
import importlib.machinery
import importlib.util
import os
import random
import signal
import sys
import time
import unittest
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from types import ModuleType

import grimp

ROOT = Path(__file__).resolve().parents[1]
TARGETS = (
    "meanbead/core/formulas",
    "meanbead/core/motion",
    "meanbead/core/recipe/defaults.py",
    "meanbead/core/rules",
    "meanbead/core/log",
    "meanbead/core/faults",
    "meanbead/core/schedule/day/worth.py",
)
"""Where a wrong sign costs people hours: arithmetic, defaults, judgement and books."""

HEAVY = ("numpy", "scipy.special", "shapely", "numba", "pydantic", "hypothesis", "manifold3d", "trimesh")
"""Loaded once, and shared by all that is forked."""

ENOUGH_S = 60.0
"""Seconds that the tests of a module may take; what is slower is left out."""

_COMPARISONS: dict[type[ast.cmpop], type[ast.cmpop]] = {
    ast.Lt: ast.GtE,
    ast.LtE: ast.Gt,
    ast.Gt: ast.LtE,
    ast.GtE: ast.Lt,
    ast.Eq: ast.NotEq,
    ast.NotEq: ast.Eq,
    ast.In: ast.NotIn,
    ast.NotIn: ast.In,
    ast.Is: ast.IsNot,
    ast.IsNot: ast.Is,
}
_ARITHMETIC: dict[type[ast.operator], type[ast.operator]] = {
    ast.Add: ast.Sub,
    ast.Sub: ast.Add,
    ast.Mult: ast.Div,
    ast.Div: ast.Mult,
    ast.Pow: ast.Mult,
    ast.FloorDiv: ast.Div,
    ast.Mod: ast.Mult,
}
_CALLS = {"min": "max", "max": "min", "minimum": "maximum", "maximum": "minimum", "any": "all", "all": "any"}


@dataclass(frozen=True)
class Mutant:
    """A fault: the module, the line, what stands there and what is put in its place, and the number of its place."""

    file: Path
    line: int
    was: str
    now: str
    number: int

    @property
    def module(self) -> str:
        """The dotted name of its module."""
        return ".".join(self.file.relative_to(ROOT).with_suffix("").parts).removesuffix(".__init__")

    def __str__(self) -> str:
        return f"{self.file.relative_to(ROOT)}:{self.line}: {self.was}  →  {self.now}"


def _other(node: ast.AST) -> ast.AST | None:
    """What a node could have been by mistake."""
    changed = copy.deepcopy(node)
    match changed:
        case ast.Compare(ops=[op, *rest]) if type(op) in _COMPARISONS:
            changed.ops = [_COMPARISONS[type(op)](), *rest]
        case ast.BinOp(op=op) if type(op) in _ARITHMETIC and not _is_text(changed):
            changed.op = _ARITHMETIC[type(op)]()
        case ast.BoolOp(op=op):
            changed.op = ast.Or() if isinstance(op, ast.And) else ast.And()
        case ast.UnaryOp(op=ast.Not(), operand=operand):
            return operand
        case ast.UnaryOp(op=ast.USub(), operand=operand):
            return operand
        case ast.Constant(value=bool() as value):
            changed.value = not value
        case ast.Constant(value=int() | float() as value):
            changed.value = value + 1 if isinstance(value, int) else (value * 1.3 or 1.0)
        case ast.Call(func=ast.Name(id=name)) if name in _CALLS:
            changed.func = ast.Name(_CALLS[name], ast.Load())
        case ast.Call(func=ast.Attribute(attr=name) as func) if name in _CALLS:
            func.attr = _CALLS[name]
        case _:
            return None
    return changed


def _is_text(node: ast.BinOp) -> bool:
    return any(isinstance(side, ast.JoinedStr | ast.List | ast.Tuple) for side in (node.left, node.right)) or any(
        isinstance(side, ast.Constant) and isinstance(side.value, str) for side in (node.left, node.right)
    )


def _places(tree: ast.AST) -> Iterator[tuple[ast.AST, str, int | None, ast.AST]]:
    """Where a node could be another: its parent, the parent's field, the place in a list, and the node. Annotations, texts and
    what is only named are left alone."""
    for parent in ast.walk(tree):
        for field, value in ast.iter_fields(parent):
            if field in ("annotation", "returns", "decorator_list", "values") and not isinstance(parent, ast.BoolOp):
                continue
            if isinstance(parent, ast.FormattedValue | ast.JoinedStr):
                continue
            nodes = value if isinstance(value, list) else [value]
            for at, node in enumerate(nodes):
                if isinstance(node, ast.AST) and _other(node) is not None:
                    yield parent, field, at if isinstance(value, list) else None, node


def mutants_of(file: Path) -> list[Mutant]:
    """Every fault that can be put into a file."""
    tree = ast.parse(file.read_text())
    found = []
    for number, (_, _, _, node) in enumerate(_places(tree)):
        other = _other(node)
        assert other is not None
        found.append(Mutant(file, getattr(node, "lineno", 0), ast.unparse(node)[:90], ast.unparse(other)[:90], number))
    return found


def _mutated(mutant: Mutant) -> ast.Module:
    tree = ast.parse(mutant.file.read_text())
    parent, field, at, node = list(_places(tree))[mutant.number]
    other = _other(node)
    assert other is not None
    if at is None:
        setattr(parent, field, other)
    else:
        getattr(parent, field)[at] = other
    return ast.fix_missing_locations(tree)


class _Faulty(importlib.abc.MetaPathFinder, importlib.abc.Loader):
    """Gives a module with a fault in the place of the sound one."""

    def __init__(self, mutant: Mutant) -> None:
        self._mutant = mutant

    def find_spec(
        self, fullname: str, path: Sequence[str] | None, target: ModuleType | None = None
    ) -> importlib.machinery.ModuleSpec | None:
        """The spec, for that one module only."""
        if fullname != self._mutant.module:
            return None
        is_package = self._mutant.file.name == "__init__.py"
        spec = importlib.util.spec_from_loader(fullname, self, origin=str(self._mutant.file), is_package=is_package)
        if spec is not None and is_package:
            spec.submodule_search_locations = [str(self._mutant.file.parent)]
        return spec

    def create_module(self, spec: importlib.machinery.ModuleSpec) -> None:
        """As usual."""

    def exec_module(self, module: ModuleType) -> None:
        """Run the code with the fault in it."""
        module.__file__ = str(self._mutant.file)
        exec(compile(_mutated(self._mutant), str(self._mutant.file), "exec"), module.__dict__)


def tests_near(module: str, graph: grimp.ImportGraph) -> list[str]:
    """Test modules that import a module, and those of its room."""
    room = "tests." + ".".join(module.split(".")[1:3])
    near = {name for name in graph.find_modules_that_directly_import(module) if name.startswith("tests.")}
    near |= {name for name in graph.modules if name.startswith(room)}
    return sorted(name for name in near if name.rpartition(".")[2].startswith("test_"))


def _run_forked(names: Sequence[str], file: Path, mutant: Mutant | None, limit_s: float) -> tuple[str, float]:
    """Run tests in a fork: "passed", "failed" or "too long", and the seconds."""
    begun = time.monotonic()
    child = os.fork()
    if child == 0:
        os.setsid()
        with open(os.devnull, "w") as nowhere:
            os.dup2(nowhere.fileno(), 1)
            os.dup2(nowhere.fileno(), 2)
        os._exit(_run(names, file, mutant))
    while time.monotonic() - begun < limit_s:
        done, status = os.waitpid(child, os.WNOHANG)
        if done:
            return ("passed" if status == 0 else "failed"), time.monotonic() - begun
        time.sleep(0.02)
    os.killpg(child, signal.SIGKILL)
    os.waitpid(child, 0)
    return "too long", time.monotonic() - begun


def _run(names: Sequence[str], file: Path, mutant: Mutant | None) -> int:
    try:
        if "njit" in file.read_text():
            # Kept machine code would not have the fault in it.
            import numba

            numba.config.DISABLE_JIT = 1  # type: ignore[attr-defined]
        if mutant is not None:
            sys.meta_path.insert(0, _Faulty(mutant))
        from tests.running.effort import repeatable

        repeatable()
        suite = unittest.TestLoader().loadTestsFromNames(names)
        result = unittest.TextTestRunner(failfast=True).run(suite)
    except BaseException:
        return 1
    return 0 if result.wasSuccessful() and result.testsRun else 1


def quick_enough(names: list[str], file: Path) -> list[str]:
    """Those tests of a file that pass without a fault, the quickest first, as many as there is time for."""
    seconds = {}
    for name in names:
        came, took = _run_forked([name], file, None, ENOUGH_S)
        if came == "passed":
            seconds[name] = took
    kept, left = [], ENOUGH_S
    for name, took in sorted(seconds.items(), key=lambda item: item[1]):
        left -= took
        if left >= 0:
            kept.append(name)
    return kept


def main() -> int:
    """Try a sample of faults, say which survive, and how many do not."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--sample", type=int, default=400)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--least", type=float, default=0, help="per cent that have to be noticed")
    parser.add_argument("--only", default="", help="only files with this in their path")
    parser.add_argument("--processes", type=int, default=os.cpu_count() or 2)
    asked = parser.parse_args()
    os.environ["MEANBEAD_THREADS"] = "1"
    for name in HEAVY:
        importlib.import_module(name)
    graph = grimp.build_graph("meanbead", "tests", cache_dir=str(ROOT / "var" / "grimp"))
    files = [file for target in TARGETS for file in sorted((ROOT / target).rglob("*.py")) or [ROOT / target]]
    every = [mutant for file in files if asked.only in str(file) for mutant in mutants_of(file)]
    chosen = random.Random(asked.seed).sample(every, min(asked.sample, len(every)))
    print(f"{len(every)} faults are possible in {len(files)} files; {len(chosen)} are tried.", flush=True)
    with ThreadPoolExecutor(asked.processes) as pool:
        modules = sorted({(mutant.module, mutant.file) for mutant in chosen})
        found = pool.map(lambda one: quick_enough(tests_near(one[0], graph), one[1]), modules)
        tests = {module: names for (module, _), names in zip(modules, found, strict=True)}
        for module, names in tests.items():
            print(f"  {module}: {len(names)} test modules", flush=True)
        outcomes = pool.map(lambda one: _run_forked(tests[one.module], one.file, one, 2 * ENOUGH_S), chosen)
        noticed, survived = 0, []
        for number, (mutant, (came, _)) in enumerate(zip(chosen, outcomes, strict=True), start=1):
            if came == "passed" or not tests[mutant.module]:
                survived.append(mutant)
            else:
                noticed += 1
            if number % 20 == 0:
                print(f"  {number} tried, {noticed} noticed", flush=True)
    for mutant in sorted(survived, key=str):
        print(f"survived: {mutant}")
    share = 100 * noticed / max(len(chosen), 1)
    print(f"{noticed} of {len(chosen)} faults were noticed: {share:.1f} %")
    return 0 if share >= asked.least else 1


if __name__ == "__main__":
    sys.exit(main())
