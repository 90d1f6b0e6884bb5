"""Figures of the sample parts as they were when somebody last meant to change them.

``python -m tests.demo.test_golden --write`` renews them; do so only together with a raised engine version.
"""

import json
import os
import sys
import unittest
from pathlib import Path
from typing import Any

from meanbead.core.estimate import ENGINE_VERSION, Engine
from meanbead.core.estimate.job import PrintJob
from meanbead.core.model import Printer, Recipe
from meanbead.core.part.read import read_mesh
from meanbead.core.part.solid import make_solid
from meanbead.demo.parts import SAMPLE_PARTS, as_stl
from meanbead.demo.workshop import MACHINES
from tests.running.effort import LONG, cases

GOLDEN = Path(__file__).with_name("golden.json")
RECIPES: dict[str, tuple[str, dict[str, Any]]] = {
    "plain": ("Heron", {}),
    "rich": (
        "Kestrel",
        {
            "layer_height_mm": 0.24,
            "walls": 3,
            "infill": {"density": 0.25, "pattern": "gyroid", "join": True},
            "thin_walls": "fixed",
            "travel": "inside",
            "supports": {"kind": "columns"},
            "ironing": {"kind": "topmost"},
            "retraction": {"z_hop_mm": 0.3, "wipe_mm": 1},
            "cooling": {"short_layers": "lift_and_wait"},
            "copies": {"count": 2},
        },
    ),
}
RICH_PARTS = ("Bin tag", "Flag post", "Domed knob", "Drain plate")
"""The rich recipe takes long; these parts are small, and differ most."""

FIGURES = ("print_time_s", "whole_time_s", "filament_mm", "filament_g", "travel_mm", "lost_mm3", "void_mm3", "layers")


def figures() -> dict[str, dict[str, Any]]:
    """Every sample part with every recipe."""
    engine, found = Engine(), {}
    for part in SAMPLE_PARTS:
        solid = make_solid(read_mesh(as_stl(part.make()), part.file_name))
        for name, (machine, keys) in RECIPES.items():
            if name == "rich" and part.name not in RICH_PARTS[: cases(2, 4)]:
                continue
            job = PrintJob(solid, Recipe.model_validate(keys), Printer.model_validate(MACHINES[machine]))
            estimate = engine.estimate(job)
            found[f"{part.name}, {name}"] = {
                **{figure: getattr(estimate, figure) for figure in FIGURES},
                **{f"{feature}_s": share.time_s for feature, share in estimate.by_feature.items()},
                **{f"because_{cause}": seconds for cause, seconds in estimate.by_cause.model_dump().items()},
            }
    return found


class Golden(unittest.TestCase):
    def test_figures_are_those_that_were_meant(self) -> None:
        stored = json.loads(GOLDEN.read_text())
        self.assertEqual(stored["engine_version"], ENGINE_VERSION, "renew the figures with the version")
        found = figures()
        missing = {f"{name}, rich" for name in RICH_PARTS[cases(2, 4) :]}
        self.assertEqual(set(found) | missing, set(stored["figures"]))
        for name, expected in stored["figures"].items():
            if name in missing - set(found):
                continue
            self.assertEqual(set(found[name]), set(expected), name)
            for figure, value in expected.items():
                # Another processor may round the last bits otherwise; nothing else may move them.
                self.assertAlmostEqual(
                    found[name][figure], value, delta=1e-7 * max(1.0, abs(value)), msg=f"{name}: {figure}"
                )


if __name__ == "__main__" and "--write" in sys.argv:
    os.environ[LONG] = "1"
    GOLDEN.write_text(json.dumps({"engine_version": ENGINE_VERSION, "figures": figures()}, indent=1) + "\n")
