"""What each rule says, to the word and the figure, as somebody last meant it.

``python -m tests.core.rules.test_rule_words --write`` renews it; read the difference before it is committed.
"""

from __future__ import annotations

import json
import sys
import unittest
from pathlib import Path
from typing import Any

from meanbead.core.advise.trial import try_out
from meanbead.core.model.finding import Finding
from tests.core.rules.test_rule_edges import EDGES
from tests.core.rules.test_rules import CASES, ENGINE, ONLY_WORDS, job_and_context

FILE = Path(__file__).with_name("findings.json")


def shown(finding: Finding) -> dict[str, Any]:
    """A finding with figures to six digits."""
    told = finding.model_dump(mode="json", exclude={"where", "reason", "source", "school"})
    for key in ("value", "limit"):
        if isinstance(told.get(key), float):
            told[key] = float(f"{told[key]:.6g}")
    return told


def everything() -> dict[str, list[dict[str, Any]]]:
    """All that is said in each case in which some rule speaks, and on both sides of each rule's limit."""
    found = {}
    for number, (rule, case) in enumerate((*CASES, *ONLY_WORDS)):
        job, context = job_and_context(**case)
        found[f"{number} {rule}"] = [shown(one) for one in try_out(ENGINE, job, context, 6).findings]
    for rule, limit, above, at in EDGES:
        inside, outside = (limit * 0.999, limit * 1.02) if above else (limit * 1.001, limit * 0.98)
        for name, value in (("inside", inside), ("outside", outside)):
            found[f"{rule}, {name}"] = [shown(one) for one in at(value).values()]
    return found


class Words(unittest.TestCase):
    maxDiff = 4000

    def test_every_finding_says_what_was_meant(self) -> None:
        meant, found = json.loads(FILE.read_text()), json.loads(json.dumps(everything()))
        self.assertEqual(set(found), set(meant))
        for case, said in meant.items():
            with self.subTest(case):
                self.assertEqual(found[case], said)


if __name__ == "__main__" and "--write" in sys.argv:
    FILE.write_text(json.dumps(everything(), indent=1, ensure_ascii=False) + "\n")
