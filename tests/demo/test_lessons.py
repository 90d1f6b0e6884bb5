"""Each sample part is sound, and shows the lesson that it is there for, by the engine's own figures."""

import unittest
from functools import lru_cache

from meanbead.core.estimate.engine import Engine
from meanbead.core.estimate.job import PrintJob
from meanbead.core.model import Estimate, Material, Nozzle, Printer, Recipe
from meanbead.core.part.facts import part_facts
from meanbead.core.part.read import read_mesh
from meanbead.core.part.solid import Solid, make_solid
from meanbead.core.recipe.resolve import resolve
from meanbead.demo.parts import SAMPLE_PARTS, as_stl
from meanbead.demo.workshop import COLUMNS, MACHINES, MATERIALS, NOZZLES

ENGINE = Engine()
HERON = Printer.model_validate(MACHINES["Heron"])


@lru_cache
def solid(name: str) -> Solid:
    sample = next(part for part in SAMPLE_PARTS if part.name == name)
    return make_solid(read_mesh(as_stl(sample.make()), sample.file_name))


def estimate(name: str, keys: dict | None = None, bore: float = 0.4) -> Estimate:
    return ENGINE.estimate(PrintJob(solid(name), Recipe.model_validate(keys or {}), HERON, Nozzle(bore_mm=bore)))


class Samples(unittest.TestCase):
    def test_all_are_sound_as_they_come_and_fit_at_least_two_machines(self) -> None:
        self.assertEqual(len(SAMPLE_PARTS), 8)
        for sample in SAMPLE_PARTS:
            facts = part_facts(solid(sample.name))
            self.assertEqual((facts.mended, facts.bodies), ([], 1), sample.name)
            beds = [Printer.model_validate(keys).bed_mm for keys in MACHINES.values()]
            fit = [facts.extents_mm.x < bed.x and facts.extents_mm.z < bed.z for bed in beds]
            self.assertGreaterEqual(sum(fit), 2, sample.name)

    def test_shelf(self) -> None:
        self.assertEqual((len(MACHINES), len(NOZZLES), len(MATERIALS)), (3, 4, 5))
        for keys in MATERIALS.values():
            Material.model_validate(keys)
        self.assertLessEqual(set(COLUMNS), {sample.name for sample in SAMPLE_PARTS})


class Lessons(unittest.TestCase):
    def test_cup_one_wall_more_is_heavier_and_faster(self) -> None:
        straight = {"travel": "straight"}
        two, three = estimate("Herb trough", straight), estimate("Herb trough", straight | {"walls": 3})
        self.assertLess(three.print_time_s, 0.9 * two.print_time_s)
        # Kept inside, its hops cost nothing but their way, and the strip no longer decides.
        self.assertLess(estimate("Herb trough").print_time_s, 0.8 * two.print_time_s)
        self.assertGreater(three.filament_g, 1.2 * two.filament_g)
        self.assertLess(three.by_feature["infill"].time_s, 0.1 * two.by_feature["infill"].time_s)

    def test_tool_box_a_large_nozzle_saves_most(self) -> None:
        self.assertLess(estimate("Tool box", bore=0.8).print_time_s, 0.5 * estimate("Tool box").print_time_s)

    def test_owl_acceleration_counts_and_speed_does_not(self) -> None:
        base = estimate("Snow owl").print_time_s
        fast = estimate("Snow owl", {"speed_mm_s": {"outer_wall": 80, "inner_wall": 120, "infill": 120}}).print_time_s
        quick = Printer.model_validate(
            MACHINES["Heron"]
            | {
                "acceleration_mm_s2": {"print": 4000, "travel": 4000},
                "max_acceleration_mm_s2": {"x": 4000, "y": 4000},
                "corner": {"law": "jerk", "jerk_mm_s": {"x": 20, "y": 20}},
            }
        )
        lively = ENGINE.estimate(PrintJob(solid("Snow owl"), Recipe(), quick)).print_time_s
        self.assertGreater(base - lively, 0)
        self.assertGreater(base - lively, 0.8 * (base - fast))

    def test_post_waits_for_cooling(self) -> None:
        result = estimate("Flag post")
        self.assertGreater(result.by_cause.layer_cooling_s, 0.4 * result.print_time_s)

    def test_plate_travel_and_retraction_take_a_fifth(self) -> None:
        result = estimate("Drain plate")
        moved = result.by_cause.travelling_s + result.by_cause.retracting_s
        self.assertGreater(moved, 0.2 * result.print_time_s)

    def test_tag_a_small_nozzle_lays_the_letters_truer(self) -> None:
        """Wide lines of one width do not fit strokes 1.4 mm wide: they overlap, and lay more plastic than the letters hold.
        Lines that vary in width hold it, whatever the nozzle."""
        letters = solid("Bin tag").manifold.trim_by_plane((0, 0, 1), 2.4).volume()

        def laid_mm3(bore: float, school: str) -> float:
            heights = {"layer_height_mm": 0.1, "first_layer_height_mm": 0.1}
            recipe = Recipe.model_validate(heights | {"thin_walls": school})
            strokes = ENGINE.strokes(solid("Bin tag"), resolve(recipe, HERON, Nozzle(bore_mm=bore), Material()))
            above = strokes.layers.top_mm[strokes.layer] > 2.45
            return float((strokes.length_mm * strokes.area_mm2)[above & ~strokes.is_travel].sum())

        fine, coarse = (abs(laid_mm3(bore, "fixed") / letters - 1) for bore in (0.25, 0.8))
        self.assertLess(fine, 0.05)
        self.assertGreater(coarse, 2 * fine)
        self.assertLess(abs(laid_mm3(0.8, "variable") / letters - 1), 0.05)

    def test_knob_finer_layers_cost_time(self) -> None:
        fine = estimate("Domed knob", {"layer_height_mm": 0.12})
        self.assertGreater(fine.print_time_s, 1.3 * estimate("Domed knob").print_time_s)

    def test_bracket_infill_is_where_the_plastic_goes(self) -> None:
        solid_one, sparse = estimate("Shelf bracket", {"infill": {"density": 0.6}}), estimate("Shelf bracket")
        self.assertGreater(solid_one.filament_g, 1.5 * sparse.filament_g)
