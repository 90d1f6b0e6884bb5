"""Test pieces: what is said of a band is what the file does there, on the bed, and what is judged is used."""

import io
import re
import unittest

import numpy as np

from meanbead.core.errors import MeanBeadError
from meanbead.core.formulas.bead import bead_area_mm2
from meanbead.core.gcode.replay import replay
from meanbead.core.model import Material, Nozzle, Printer
from meanbead.core.testpieces import Judged, PrintedPiece, TestPiece, make_piece, outcome, piece_gcode

PRINTER, NOZZLE, PLA = Printer(), Nozzle(), Material()
_WORDS = re.compile(r"([A-Z])(-?[\d.]+)")


def moves(text: str) -> list[dict[str, float]]:
    """Every move that lays plastic: where it ends, how high, how fast, at which acceleration and heat; and every pull."""
    state: dict[str, float] = {"X": 0, "Y": 0, "Z": 0, "F": 0, "P": 0, "heat": 0}
    found = []
    for line in text.splitlines():
        code, _, rest = line.split(";")[0].strip().partition(" ")
        words = {letter: float(value) for letter, value in _WORDS.findall(rest)}
        if code == "M204":
            state["P"] = words.get("P", state["P"])
        elif code in ("M104", "M109"):
            state["heat"] = words["S"]
        elif code == "G1":
            length = float(np.hypot(words.get("X", state["X"]) - state["X"], words.get("Y", state["Y"]) - state["Y"]))
            state |= {key: value for key, value in words.items() if key in "XYZF"}
            if "E" in words:
                found.append(state | {"E": words["E"], "length": length})
    return found


def printed(piece: TestPiece, temp_c: float = 210) -> PrintedPiece:
    height = piece.recipe.layer_height_mm or 0.2
    return PrintedPiece(piece.kind, piece.bands, piece.spans_mm, NOZZLE.bore_mm, height, temp_c)


class Files(unittest.TestCase):
    def made(self, kind: str) -> tuple[TestPiece, list[dict[str, float]]]:
        piece = make_piece(kind, PRINTER, NOZZLE, PLA)
        text = piece_gcode(piece, PRINTER, NOZZLE, PLA)
        told = replay(io.BytesIO(text.encode()), PRINTER)
        self.assertEqual([mark for mark in told.marks if mark.kind in ("outside", "axis_speed")], [], kind)
        return piece, moves(text)

    def laid(self, piece: TestPiece, done: list[dict[str, float]], band: int) -> list[dict[str, float]]:
        its = piece.bands[band]
        return [
            move
            for move in done
            if move["length"] > 0.5 and move["E"] > 0 and its.from_mm + 0.3 < move["Z"] < its.to_mm
        ]

    def test_acceleration_rises_from_band_to_band(self) -> None:
        piece, done = self.made("acceleration")
        for number, band in enumerate(piece.bands):
            self.assertEqual({move["P"] for move in self.laid(piece, done, number)}, {band.value})
        values = [band.value for band in piece.bands]
        self.assertEqual(values, sorted(set(values)))

    def test_heat_falls_from_band_to_band_and_stays_in_the_window(self) -> None:
        piece, done = self.made("temperature")
        for number, band in enumerate(piece.bands):
            self.assertEqual({move["heat"] for move in self.laid(piece, done, number)}, {band.value})
            self.assertTrue(PLA.nozzle_temp_min_c <= band.value <= PLA.nozzle_temp_max_c)

    def test_pulls_have_their_bands_length(self) -> None:
        piece, done = self.made("pull")
        for band in piece.bands:
            pulls = [
                -move["E"]
                for move in done
                if move["E"] < 0 and move["length"] == 0 and band.from_mm + 0.3 < move["Z"] < band.to_mm
            ]
            self.assertGreater(len(pulls), 5)
            self.assertAlmostEqual(float(np.median(pulls)), band.value, places=3)

    def test_a_spirals_flow_is_its_bands_flow(self) -> None:
        piece, done = self.made("flow_spiral")
        recipe = piece.recipe
        area = bead_area_mm2(recipe.line_width_mm.outer_wall or 0, recipe.layer_height_mm or 0)
        for number, band in enumerate(piece.bands):
            flows = [move["F"] / 60 * area for move in self.laid(piece, done, number)]
            self.assertAlmostEqual(float(np.median(flows)), band.value, delta=0.02 * band.value)

    def test_narrow_walls_run_at_their_bands_speed(self) -> None:
        piece, done = self.made("narrow_line")
        for number, band in enumerate(piece.bands):
            speeds = [move["F"] / 60 for move in self.laid(piece, done, number)]
            self.assertAlmostEqual(float(np.median(speeds)), band.value, places=2)

    def test_ladders_rungs_are_bridges_of_their_span_at_their_bands_speed(self) -> None:
        piece = make_piece("bridge", PRINTER, NOZZLE, PLA)
        text = piece_gcode(piece, PRINTER, NOZZLE, PLA)
        parts = re.split(r"; feature: (\w+)\n", text)
        bridges = "\n".join(body for name, body in zip(parts[1::2], parts[2::2], strict=True) if name == "bridge")
        speeds = {round(float(value) / 60, 1) for value in re.findall(r"E[\d.]+ F([\d.]+)", bridges)}
        self.assertTrue({band.value for band in piece.bands} <= speeds, speeds)

    def test_leaves_lean_as_they_say(self) -> None:
        piece = make_piece("overhang", PRINTER, NOZZLE, PLA)
        corners = piece.solid.vertices[piece.solid.faces]
        normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
        area = np.linalg.norm(normal, axis=1)
        normal = normal[area > 1e-6] / area[area > 1e-6, None]
        under = normal[(normal[:, 2] < -0.1) & (normal[:, 2] > -0.99)]
        leans = {round(float(np.degrees(np.arcsin(-z)))) for z in under[:, 2]}
        self.assertEqual(leans, {round(band.value) for band in piece.bands})


class Answers(unittest.TestCase):
    def test_each_answer_lands_where_it_is_used(self) -> None:
        for kind, seen, where in (
            ("acceleration", Judged(band=3), lambda told: told.printer.clean_acceleration_mm_s2),
            ("overhang", Judged(band=3), lambda told: told.printer.measured_overhangs[-1].angle_deg),
            ("pull", Judged(band=3), lambda told: told.printer.pull_length_mm),
            ("narrow_line", Judged(band=3), lambda told: told.printer.narrow_line_speed_mm_s),
            ("temperature", Judged(band=3, other_band=5), lambda told: told.material.nozzle_temp_c),
            ("bridge", Judged(band=3, span_mm=40), lambda told: told.material.bridge_speed_mm_s),
        ):
            with self.subTest(kind):
                piece = make_piece(kind, PRINTER, NOZZLE, PLA)
                told = outcome(printed(piece), seen, PRINTER, PLA)
                self.assertEqual(where(told), piece.bands[2].value)
                self.assertIn(f"{piece.bands[2].value:g}", told.sentence)

    def test_what_is_measured_cures_the_findings_that_it_answers(self) -> None:
        from meanbead.core.model import Recipe
        from meanbead.core.recipe.resolve import resolve

        piece = make_piece("pull", PRINTER, NOZZLE, PLA)
        told = outcome(printed(piece), Judged(band=2), PRINTER, PLA)
        assert told.printer is not None
        self.assertEqual(resolve(Recipe(), told.printer, NOZZLE, PLA).retraction_mm, piece.bands[1].value)

    def test_no_good_band_and_no_such_band_say_what_to_do(self) -> None:
        piece = printed(make_piece("acceleration", PRINTER, NOZZLE, PLA))
        for band in (0, 50):
            with self.assertRaises(MeanBeadError) as caught:
                outcome(piece, Judged(band=band), PRINTER, PLA)
            self.assertEqual(caught.exception.field, "band")

    def test_a_bed_too_small_is_told(self) -> None:
        small = Printer.model_validate({"bed_mm": {"x": 60, "y": 60, "z": 30}})
        with self.assertRaises(MeanBeadError):
            make_piece("temperature", small, NOZZLE, PLA)
