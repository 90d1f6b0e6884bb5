import unittest
from unittest import mock

from meanbead.core.part import slices
from meanbead.core.vocabulary import Material
from meanbead.core.vocabulary.estimate import Finding
from tests.core.test_estimate import estimate
from tests.support.solids import block, box, cylinder, ledge, solid_of


def rules(*args, **keys) -> dict[str, Finding]:
    return {finding.rule: finding for finding in estimate(*args, **keys).findings}


class Rules(unittest.TestCase):
    def test_an_ordinary_recipe_raises_nothing(self) -> None:
        self.assertEqual(rules(solid=box(60, 60, 6)), {})

    def test_ptfe_lining_stops_with_the_caution(self) -> None:
        lined = {"hotend": {"lining": "ptfe", "max_temp_c": 300}}
        material = Material(nozzle_temp_c=245, nozzle_temp_min_c=230, nozzle_temp_max_c=260)
        found = rules(printer=lined, material=material)["ptfe_lining"]
        self.assertEqual(found.severity, "stop")
        self.assertIn("toxic fumes", found.sentence)
        self.assertNotIn("ptfe_lining", rules({"nozzle_temp_c": 240}, printer=lined, material=material))

    def test_hot_end_limit(self) -> None:
        found = rules({"nozzle_temp_c": 230}, printer={"hotend": {"max_temp_c": 220}})
        self.assertEqual(found["hot_end_limit"].limit, 220)

    def test_material_window(self) -> None:
        self.assertIn("weak layers", rules({"nozzle_temp_c": 180})["material_window"].sentence)
        self.assertIn("ooze", rules({"nozzle_temp_c": 245})["material_window"].sentence)

    def test_room_on_the_machine_also_turned(self) -> None:
        small = {"bed_mm": {"x": 100, "y": 60, "z": 50}}
        self.assertNotIn("room_on_machine", rules(solid=box(50, 90, 3), printer=small))
        self.assertIn("room_on_machine", rules(solid=box(70, 90, 3), printer=small))

    def test_layer_height_bounds(self) -> None:
        self.assertAlmostEqual(rules({"layer_height_mm": 0.32})["layer_height_bounds"].limit, 0.3)
        self.assertAlmostEqual(rules({"layer_height_mm": 0.08})["layer_height_bounds"].limit, 0.1)
        self.assertNotIn("layer_height_bounds", rules({"layer_height_mm": 0.3}))

    def test_line_width_bounds(self) -> None:
        wide = rules({"line_width_mm": {"infill": 0.7}})["line_width_bounds"]
        self.assertEqual(wide.field, "line_width_mm.infill")
        narrow = rules({"line_width_mm": {"outer_wall": 0.3}, "layer_height_mm": 0.2})["line_width_bounds"]
        self.assertIn("pulled", narrow.sentence)

    def test_full_steps(self) -> None:
        found = rules({"layer_height_mm": 0.25}, printer={"z_step_mm": 0.04})["full_steps"]
        self.assertAlmostEqual(found.limit, 0.24)
        self.assertNotIn("full_steps", rules({"layer_height_mm": 0.24}, printer={"z_step_mm": 0.04}))

    def test_abrasive_and_fumes(self) -> None:
        found = rules(material=Material(abrasive=True, ventilate=True))
        self.assertIn("abrasive", found)
        self.assertIn("Ventilate", found["ventilation"].remedy)

    def test_gravest_first(self) -> None:
        order = [finding.severity for finding in estimate({"nozzle_temp_c": 290, "layer_height_mm": 0.32}).findings]
        self.assertEqual(order, sorted(order, key=["stop", "risk", "waste", "note"].index))

    def test_copies_are_told_where_they_do_not_fit_or_stand_in_the_way(self) -> None:
        crowd = rules({"copies": {"count": 30, "gap_mm": 10}}, solid=box(40, 40, 3))["room_on_machine"]
        self.assertEqual((crowd.severity, crowd.field), ("stop", "copies.count"))
        turn = rules({"copies": {"count": 2, "order": "one_by_one"}}, solid=box(20, 20, 30))["copies_in_turn"]
        self.assertIn("30 mm high", turn.sentence)

    def test_a_brim_that_does_not_fit_is_told_apart_from_the_part(self) -> None:
        small = {"bed_mm": {"x": 60, "y": 60, "z": 50}}
        found = rules({"adhesion": {"kind": "brim", "width_mm": 9}}, solid=box(50, 50, 2), printer=small)
        self.assertEqual(found["room_on_machine"].field, "adhesion.kind")

    def test_lost_detail_is_a_share_and_a_narrower_line_brings_it_back(self) -> None:
        comb = solid_of(sum((block(0.22, 12, 2, (1.2 * k, 0, 0)) for k in range(8)), block(10, 3, 2)))
        wide = rules(solid=comb)["lost_detail"].value
        narrow = rules({"line_width_mm": {"outer_wall": 0.25}}, solid=comb, nozzle=0.25).get("lost_detail")
        self.assertGreater(wide, 0.05)
        self.assertLess(narrow.value if narrow else 0, 0.2 * wide)

    def test_what_has_to_come_off_again_carries_the_caution(self) -> None:
        for keys in ({"adhesion": {"kind": "brim"}}, {"adhesion": {"kind": "raft"}}, {"supports": {"kind": "columns"}}):
            found = rules(keys, solid=ledge(12))["trimming"]
            self.assertIn("eye protection", found.remedy)

    def test_layers_that_cannot_be_cut_stand_in_from_neighbours_and_are_told(self) -> None:
        real = slices._cut

        def broken(manifold, height_mm):
            return None if 2.0 < height_mm < 2.3 else real(manifold, height_mm)

        solid = cylinder(14.2, 6)
        with mock.patch.object(slices, "_cut", broken):
            result = estimate(solid=solid)
        found = next(one for one in result.findings if one.rule == "layers_from_neighbours")
        self.assertEqual(found.value, 1)
        self.assertIn("Layer 11", found.sentence)
        self.assertAlmostEqual(result.print_time_s / estimate(solid=cylinder(14.2001, 6)).print_time_s, 1, delta=0.01)
