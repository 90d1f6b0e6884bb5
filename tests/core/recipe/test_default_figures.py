"""Every default, to the digit, as somebody last meant it: by bore, plastic, machine, house rule and what is switched on.

``python -m tests.core.recipe.test_default_figures --write`` renews it; read the difference before it is committed, as whoever
prints by it would.
"""

from __future__ import annotations

import json
import sys
import unittest
from pathlib import Path
from typing import Any, get_args

from meanbead.core.model import Material, Nozzle, Printer, Recipe, Standards
from meanbead.core.model.house import HouseRules
from meanbead.core.recipe.settings_sheet import settings_sheet
from meanbead.core.shelf import Answers, typical_plastics, typical_printer
from meanbead.core.shelf.wizard import Frame

FILE = Path(__file__).with_name("defaults.json")

SWITCHED_ON: dict[str, dict[str, Any]] = {
    "supports of columns": {"supports": {"kind": "columns"}},
    "supports like trees": {"supports": {"kind": "trees"}},
    "a brim": {"adhesion": {"kind": "brim"}},
    "a raft": {"adhesion": {"kind": "raft"}},
    "ironed tops": {"ironing": {"kind": "topmost"}},
    "heights by slope": {"variable_height": {"kind": "by_slope"}},
    "low layers": {"layer_height_mm": 0.1},
    "high layers": {"layer_height_mm": 0.32},
    "hardly any filling": {"infill": {"density": 0.08}},
    "doubled lines": {"infill": {"lines_side_by_side": 2}},
    "solid": {"infill": {"density": 1.0}},
    "no walls": {"walls": 0},
}

HOUSES: dict[str, dict[str, Any]] = {
    f"house: {matter} {school}": {matter: school}
    for matter, field in HouseRules.model_fields.items()
    for school in getattr(field.annotation, "__args__", ())
    if isinstance(school, str)
}


def shown(value: float | int | bool | str) -> float | int | bool | str:
    """A figure to six digits."""
    return float(f"{value:.6g}") if isinstance(value, float) else value


def sheet(
    recipe: dict[str, Any] | None = None,
    printer: Printer | None = None,
    nozzle: Nozzle | None = None,
    material: Material | None = None,
    house: dict[str, Any] | None = None,
) -> dict[str, Any]:
    """What each setting comes to."""
    rows = settings_sheet(
        Recipe.model_validate(recipe or {}),
        printer or Printer(),
        nozzle or Nozzle(),
        material or Material(),
        Standards(house=HouseRules.model_validate(house or {})),
    )
    return {row.key: shown(row.value) for row in rows}


def everything() -> dict[str, dict[str, Any]]:
    """The plain sheet whole; of each other one what differs from it."""
    plain = sheet()
    cases = {f"{bore:g} mm": sheet(nozzle=Nozzle(bore_mm=bore)) for bore in (0.25, 0.5, 0.6, 0.8, 1.0)}
    cases |= {"wide flat": sheet(nozzle=Nozzle.model_validate({"bore_mm": 0.6, "metal": "hardened_steel"}))}
    narrow = Nozzle.model_validate({"bore_mm": 0.6, "flat_mm": 0.7})
    cases |= {"wide lines on a narrow flat": sheet(nozzle=narrow, house={"line_width": "wide"})}
    cases |= {f"plastic: {one.name}": sheet(material=one) for one in typical_plastics()}
    for frame in get_args(Frame):
        for drive in ("direct", "long_tube"):
            answers = Answers.model_validate({"frame": frame, "drive": drive})
            cases[f"machine: {frame}, {drive}"] = sheet(printer=typical_printer(answers))
    cases |= {name: sheet(recipe) for name, recipe in SWITCHED_ON.items()}
    cases |= {name: sheet(house=house) for name, house in HOUSES.items()}
    found = {"plain": plain}
    for name, rows in cases.items():
        found[name] = {key: value for key, value in rows.items() if plain.get(key) != value}
    return found


class Figures(unittest.TestCase):
    maxDiff = 4000

    def test_every_default_is_what_was_meant(self) -> None:
        meant, found = json.loads(FILE.read_text()), json.loads(json.dumps(everything()))
        self.assertEqual(set(found), set(meant))
        for case, rows in meant.items():
            with self.subTest(case):
                self.assertEqual(found[case], rows)

    def test_each_school_and_each_switch_is_among_them_and_does_something_somewhere(self) -> None:
        found = everything()
        self.assertGreater(len(HOUSES), 15)
        for name in SWITCHED_ON:
            self.assertNotEqual(found[name], {}, name)
        quiet = {name for name in HOUSES if not found[name]}
        matters = {name.split()[1] for name in HOUSES}
        usual = HouseRules()
        for matter in matters:
            schools = [name for name in HOUSES if name.split()[1] == matter]
            self.assertIn(f"house: {matter} {getattr(usual, matter)}", quiet, "the usual school is the plain sheet")
            self.assertGreater(len(schools), 1, matter)


if __name__ == "__main__" and "--write" in sys.argv:
    FILE.write_text(json.dumps(everything(), indent=1, ensure_ascii=False) + "\n")
