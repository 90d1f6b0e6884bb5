"""Whatever a recipe asks for within the bounds of its keys, the answer is an estimate that adds up, or a sentence."""

import math
import unittest
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from meanbead.core.errors import RecipeError
from meanbead.core.estimate.engine import Engine
from meanbead.core.estimate.job import PrintJob, prepare
from meanbead.core.model import Nozzle, Printer, Recipe
from meanbead.core.part.solid import Solid
from tests.support.solids import block, box, cone, cylinder, ledge, solid_of, sphere, table

ENGINE = Engine()
SOLIDS: tuple[Solid, ...] = (
    cone(4, 5, 24),
    cylinder(3, 6, 20),
    sphere(4, 2),
    table(8, 6, 3, 4, 1),
    ledge(6, 6, 4, 1),
    solid_of(block(9, 0.7, 3) + block(0.5, 9, 3) + block(3, 3, 1.1)),
    solid_of(block(8, 8, 3) - block(5, 5, 9, (1.5, 1.5, -1))),
    box(6, 6, 0.2),
    box(12, 0.5, 4),
)


def choice(*values: Any) -> st.SearchStrategy[Any]:
    return st.sampled_from(values)


def numbers(low: float, high: float) -> st.SearchStrategy[float]:
    return st.floats(low, high).map(lambda value: round(value, 3))


def some(**keys: st.SearchStrategy[Any]) -> st.SearchStrategy[dict[str, Any]]:
    """Any of the keys, or none."""
    return st.fixed_dictionaries({}, optional=keys)


widths = numbers(0.2, 1.2)
RECIPES = some(
    layer_height_mm=numbers(0.05, 0.4),
    first_layer_height_mm=numbers(0.1, 0.4),
    walls=st.integers(0, 6),
    top_layers=st.integers(0, 6),
    bottom_layers=st.integers(0, 6),
    thin_walls=choice("variable", "fixed"),
    wall_order=choice("inside_out", "outside_in"),
    spiral=st.booleans(),
    seam=choice("back", "corner", "nearest", "scattered"),
    travel=choice("straight", "inside"),
    flow_ratio=numbers(0.5, 1.5),
    bridge_flow_ratio=numbers(0.3, 1.5),
    line_width_mm=some(
        outer_wall=widths, inner_wall=widths, infill=widths, solid=widths, top=widths, first_layer=widths
    ),
    infill=some(
        density=numbers(0, 1),
        pattern=choice("lines", "grid", "triangles", "cubic", "adaptive", "honeycomb", "gyroid", "concentric"),
        lines_side_by_side=st.integers(1, 3),
        angle_deg=numbers(-360, 360),
        overlap_mm=numbers(0, 0.5),
        join=st.booleans(),
    ),
    skins=some(
        top_mm=numbers(0, 2),
        bottom_mm=numbers(0, 2),
        pattern=choice("lines", "zigzag", "concentric"),
        overlap_mm=numbers(0, 0.5),
        one_way=st.booleans(),
        extra_top=st.booleans(),
        over_sparse=choice("by_gap", "solid", "bridge"),
    ),
    ironing=some(kind=choice("none", "topmost", "all_tops"), flow=numbers(0.05, 1), spacing_mm=numbers(0.1, 1)),
    supports=some(
        kind=choice("none", "columns", "trees"),
        angle_deg=numbers(0, 89),
        spacing_mm=numbers(0.5, 10),
        interface_layers=st.integers(0, 4),
        gap_layers=st.integers(0, 3),
        gap_mm=numbers(0, 2),
        bed_only=st.booleans(),
    ),
    variable_height=some(kind=choice("even", "by_slope"), ridge_mm=numbers(0.02, 0.2), max_step_mm=numbers(0.02, 0.3)),
    height_ranges=st.lists(
        some(infill_density=numbers(0, 1), walls=st.integers(0, 4), top_layers=st.integers(0, 4)).map(
            lambda keys: keys | {"from_mm": 0.5, "to_mm": 2.5}
        ),
        max_size=2,
    ),
    copies=some(count=st.integers(1, 3), order=choice("by_layer", "one_by_one"), gap_mm=numbers(0, 20)),
    adhesion=some(
        kind=choice("none", "skirt", "brim", "raft"),
        loops=st.integers(0, 4),
        width_mm=numbers(0, 6),
        holes=st.booleans(),
        layers=st.integers(1, 4),
    ),
    retraction=some(
        length_mm=numbers(0, 6), min_travel_mm=numbers(0, 20), z_hop_mm=numbers(0, 1), wipe_mm=numbers(0, 5)
    ),
    cooling=some(
        min_layer_time_s=numbers(0, 60),
        min_speed_mm_s=numbers(1, 100),
        short_layers=choice("slow", "wait", "lift_and_wait"),
    ),
)


class AnyRecipe(unittest.TestCase):
    @settings(max_examples=150, deadline=None)
    @given(RECIPES, choice(*range(len(SOLIDS))), choice("direct", "long_tube"), st.booleans())
    def test_adds_up_or_is_refused_by_name(self, keys: dict[str, Any], which: int, drive: str, steps: bool) -> None:
        corner = {"law": "junction_deviation", "deviation_mm": 0.02} if steps else {}
        machine = {"drive": drive, "z_step_mm": 0.04 if steps else None, "corner": corner}
        printer = Printer.model_validate(machine)
        job = PrintJob(SOLIDS[which], Recipe.model_validate(keys), printer, Nozzle())
        try:
            result = ENGINE.estimate(job)
        except RecipeError as problem:
            self.assertTrue(problem.field and str(problem).endswith("."))
            return
        features = sum(share.time_s for share in result.by_feature.values())
        causes = result.by_cause.model_dump()
        self.assertAlmostEqual(features, result.print_time_s, places=6)
        self.assertAlmostEqual(sum(causes.values()), result.print_time_s, places=6)
        self.assertGreater(min(causes.values()), -1e-6)
        self.assertTrue(math.isfinite(result.whole_time_s) and result.print_time_s > 0 and result.filament_g > 0)
        ledger = ENGINE.by_layer(job)
        self.assertAlmostEqual(sum(ledger.time_s), result.print_time_s, places=6)
        areas = (ledger.asked_mm2, ledger.lost_mm2, ledger.overfilled_mm2, ledger.void_mm2)
        for asked, lost, over, void in zip(*areas, strict=True):
            self.assertTrue(0 <= lost <= asked + 1e-6 and over >= 0 and void >= 0)
        # A layer that is left out because its middle lies above the part counts, too: it may be higher than those laid.
        half = max(*ledger.height_mm, prepare(job).plan.shape.layer_height_mm) / 2
        if job.recipe.copies.order != "one_by_one" and job.recipe.variable_height.kind != "by_slope":
            self.assertLessEqual(abs(result.height_off_mm), half + 1e-3)
        self.assertEqual(Engine(0).estimate(job), result)
