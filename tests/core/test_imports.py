import subprocess
import sys
import unittest

FOREIGN = {"flask", "apiflask", "sqlalchemy", "psycopg", "alembic", "uvicorn", "requests"}


class Arrows(unittest.TestCase):
    """Which room may import which is checked by import-linter; this is what really comes along."""

    def test_running_the_core_loads_no_web_or_database(self) -> None:
        code = f"import sys, meanbead.core.estimate; print(sorted({FOREIGN!r} & set(sys.modules)))"
        result = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
        self.assertEqual(result.stdout.strip(), "[]")
