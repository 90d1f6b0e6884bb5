import ast
import subprocess
import sys
import unittest
from pathlib import Path

CORE = Path(__file__).resolve().parents[2] / "meanbead" / "core"
FOREIGN = {"flask", "apiflask", "sqlalchemy", "psycopg", "alembic", "waitress", "socket", "requests", "PIL"}


def imported(source: str) -> set[str]:
    """Dotted names of all modules that a source imports, at the top or inside functions."""
    names: set[str] = set()
    for node in ast.walk(ast.parse(source)):
        if isinstance(node, ast.Import):
            names |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom):
            names.add("." * node.level + (node.module or ""))
    return names


class Arrows(unittest.TestCase):
    def test_core_imports_nothing_from_outside_the_core(self) -> None:
        for path in CORE.rglob("*.py"):
            for name in imported(path.read_text()):
                self.assertFalse(name.startswith("."), f"{path.name} imports relatively")
                self.assertNotIn(name.split(".")[0], FOREIGN, f"{path.name} imports {name}")
                if name.split(".")[0] == "meanbead":
                    self.assertTrue(name.startswith("meanbead.core"), f"{path.name} imports {name}")

    def test_the_check_itself_sees_imports_inside_functions(self) -> None:
        self.assertIn("flask", imported("def f():\n    import flask\n"))

    def test_running_the_core_loads_no_web_or_database(self) -> None:
        # The mesh library loads an imaging library by itself; that is not ours to forbid.
        code = (
            f"import sys, meanbead.core.estimate; print(sorted(({FOREIGN!r} - {{'socket', 'PIL'}}) & set(sys.modules)))"
        )
        result = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
        self.assertEqual(result.stdout.strip(), str(sorted(set())))
