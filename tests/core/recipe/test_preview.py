import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from meanbead.core.errors import RecipeError
from meanbead.core.formulas.bead import bead_area_mm2
from meanbead.core.formulas.melt import melt_ceiling
from meanbead.core.model import Material, Nozzle, Printer, Recipe
from meanbead.core.recipe.preview import preview
from meanbead.core.recipe.resolve import resolve
from tests.running.effort import cases

PRINTER, PLA = Printer(), Material()


def seen(keys: dict | None = None, nozzle: Nozzle | None = None, printer: Printer = PRINTER):
    return preview(Recipe.model_validate(keys or {}), printer, nozzle or Nozzle(), PLA)


class Preview(unittest.TestCase):
    @settings(max_examples=cases(20, 800), deadline=None)
    @given(st.floats(0.06, 0.35), st.floats(0.36, 0.8), st.floats(10, 300))
    def test_flow_is_section_times_speed(self, height: float, width: float, speed: float) -> None:
        keys = {
            "layer_height_mm": height,
            "first_layer_height_mm": 0.2,
            "line_width_mm": {"outer_wall": width},
            "speed_mm_s": {"outer_wall": speed},
        }
        bead = seen(keys).beads[0]
        reached = min(speed, PRINTER.max_speed_mm_s.x)
        self.assertAlmostEqual(bead.flow_mm3_s, bead_area_mm2(width, height) * reached)
        self.assertAlmostEqual(bead.speed_limit_mm_s * bead.area_mm2, seen(keys).melt_ceiling_mm3_s)

    def test_ceiling_is_the_melt_models(self) -> None:
        for bore in (0.25, 0.4, 0.8):
            nozzle = Nozzle(bore_mm=bore, metal="hardened_steel")
            ceiling = melt_ceiling(PRINTER, nozzle, PLA, PLA.nozzle_temp_c)
            shown = seen(nozzle=nozzle)
            self.assertEqual((shown.melt_ceiling_mm3_s, shown.melt_bound), (ceiling.plan_mm3_s, ceiling.bound))
            self.assertAlmostEqual(shown.flat_mm, 2.5 * bore)
        self.assertEqual(seen(nozzle=Nozzle(flat_mm=1.7)).flat_mm, 1.7)

    def test_effective_is_the_plan_in_full(self) -> None:
        keys = {"walls": 3, "infill": {"pattern": "gyroid"}}
        shown = seen(keys)
        plan = resolve(Recipe.model_validate(keys), PRINTER, Nozzle(), PLA)
        self.assertEqual(shown.effective, plan.as_recipe())
        left_open = [
            name
            for name, value in shown.effective.model_dump().items()
            if value is None and name != "nozzle_diameter_mm"
        ]
        self.assertEqual(left_open, [])

    def test_temperature_for_the_flow_stays_in_the_window(self) -> None:
        easy = seen({"speed_mm_s": {"infill": 60}})
        assert easy.temp_for_flow_c is not None
        self.assertLess(easy.temp_for_flow_c, PLA.nozzle_temp_max_c)
        self.assertIsNone(seen({"speed_mm_s": {"infill": 240}}).temp_for_flow_c)

    def test_contradictions_are_refused_as_in_an_estimate(self) -> None:
        with self.assertRaises(RecipeError) as caught:
            seen({"line_width_mm": {"top": 0.1}})
        self.assertEqual(caught.exception.field, "line_width_mm.top")
