"""The faults that are put into the core, to see whether tests notice."""

from __future__ import annotations

import ast
import re
import unittest
from pathlib import Path

from benchmarks import mutants

BEAD = mutants.ROOT / "meanbead/core/formulas/bead.py"


class Faults(unittest.TestCase):
    def test_each_differs_from_what_stands_there_and_is_a_program(self) -> None:
        sound = ast.unparse(ast.parse(BEAD.read_text()))
        found = mutants.mutants_of(BEAD)
        self.assertGreater(len(found), 20)
        seen: set[str] = set()
        for one in found:
            with self.subTest(str(one)):
                tree = mutants._mutated(one)
                compile(tree, "bead", "exec")
                faulty = ast.unparse(tree)
                self.assertNotEqual(faulty, sound)
                self.assertNotIn(faulty, seen, "two are the same fault")
                seen.add(faulty)
                self.assertNotEqual(one.was, one.now)

    def test_a_line_is_where_the_fault_is(self) -> None:
        lines = BEAD.read_text().splitlines()
        for one in mutants.mutants_of(BEAD):
            name = next((word for word in re.findall("[a-z_]{3,}", one.was)), "")
            self.assertIn(name, "".join(lines[one.line - 1 : one.line + 12]), str(one))

    def test_texts_and_annotations_are_left_alone(self) -> None:
        for one in mutants.mutants_of(BEAD):
            self.assertFalse(one.was.startswith(("'", '"')), str(one))

    def test_the_tests_of_a_module_are_near_it(self) -> None:
        import grimp

        graph = grimp.build_graph("meanbead", "tests", cache_dir=str(mutants.ROOT / "var" / "grimp"))
        near = mutants.tests_near("meanbead.core.formulas.bead", graph)
        self.assertIn("tests.core.formulas.test_bead", near)
        self.assertTrue(all(name.rpartition(".")[2].startswith("test_") for name in near))

    def test_every_target_is_there(self) -> None:
        for target in mutants.TARGETS:
            self.assertTrue(Path(mutants.ROOT, target).exists(), target)


if __name__ == "__main__":
    unittest.main()
