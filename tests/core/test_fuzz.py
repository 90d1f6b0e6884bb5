"""Odd input of every kind: it is refused in a sentence or it works; nothing else may happen."""

import io
import unittest
import zipfile
from collections.abc import Callable

import numpy as np
import trimesh
from hypothesis import HealthCheck, example, given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from meanbead.core.errors import MeanBeadError, PartError, RecipeError
from meanbead.core.estimate.engine import Engine
from meanbead.core.estimate.job import PrintJob
from meanbead.core.gcode import printer_from_report, replay
from meanbead.core.model import Material, Nozzle, Printer, Recipe
from meanbead.core.part.facts import part_facts
from meanbead.core.part.read import read_mesh
from meanbead.core.part.solid import make_solid
from tests.core.part.test_read import archive, model_xml
from tests.running.effort import cases
from tests.support.solids import obj_bytes, sound, stl_bytes

BOX = trimesh.creation.box((20, 30, 40))
FILES: dict[str, bytes] = {
    "a.stl": stl_bytes(BOX),
    "b.stl": stl_bytes(BOX, text=True),
    "c.obj": obj_bytes(BOX),
    "d.3mf": archive({"3D/3dmodel.model": model_xml()}),
}
ENGINE = Engine()
BLOCK = sound(trimesh.creation.cylinder(7, 3, sections=24))
fuzz = settings(max_examples=cases(30, 1200), deadline=None, suppress_health_check=[HealthCheck.too_slow])


def refused_or_sound(data: bytes, name: str) -> None:
    """Either a sound solid with a volume, or a sentence with a remedy."""
    try:
        solid = make_solid(read_mesh(data, name))
    except PartError as problem:
        assert str(problem).endswith("."), str(problem)
        assert problem.remedy
        assert len(str(problem)) < 400
    else:
        assert part_facts(solid).volume_mm3 > 0


class Files(unittest.TestCase):
    @fuzz
    @given(st.sampled_from(sorted(FILES)), st.data())
    def test_damaged_files(self, name: str, data: st.DataObject) -> None:
        content = bytearray(FILES[name])
        for _ in range(data.draw(st.integers(1, 6))):
            place = data.draw(st.integers(0, len(content) - 1))
            content[place] = data.draw(st.integers(0, 255))
        cut = data.draw(st.integers(0, len(content)))
        refused_or_sound(bytes(content[:cut]) if data.draw(st.booleans()) else bytes(content), name)

    @fuzz
    @example(b"ISO-10303-21", "x.stl")
    @given(st.binary(max_size=600), st.sampled_from(["x.stl", "x.obj", "x.3mf", "x", "x.gcode"]))
    def test_noise(self, content: bytes, name: str) -> None:
        refused_or_sound(content, name)

    @fuzz
    @given(st.lists(st.tuples(*[st.integers(0, 9)] * 3), min_size=1, max_size=60))
    def test_random_triangles(self, faces: list[tuple[int, int, int]]) -> None:
        corners = np.random.default_rng(3).uniform(0, 50, (10, 3))
        soup = trimesh.Trimesh(corners, faces, process=False)
        refused_or_sound(stl_bytes(soup), "soup.stl")

    @settings(max_examples=cases(4, 280), deadline=None)
    @given(st.integers(0, 10_000), st.booleans())
    def test_closed_surfaces_that_cross_themselves(self, seed: int, doubled: bool) -> None:
        """Closed and turned alike, but crumpled: they may be refused, or sliced; they must not bring anything down."""
        ball = trimesh.creation.icosphere(subdivisions=1, radius=10)
        ball.vertices = np.random.default_rng(seed).uniform(-15, 15, ball.vertices.shape)
        mesh = trimesh.util.concatenate([ball, ball.copy().apply_translation((3, 2, 1))]) if doubled else ball
        try:
            solid = make_solid(read_mesh(stl_bytes(mesh), "crumpled.stl"))  # type: ignore[arg-type]
            result = ENGINE.estimate(PrintJob(solid, Recipe.model_validate({"layer_height_mm": 0.3})))
        except (PartError, RecipeError):
            return
        self.assertGreater(result.print_time_s, 0)

    def test_archives_within_archives_and_odd_members(self) -> None:
        inner = archive({"3D/3dmodel.model": model_xml()})
        refused_or_sound(archive({"inner.3mf": inner}), "x.3mf")
        refused_or_sound(archive({"3D/3dmodel.model": inner}), "x.3mf")
        buffer = io.BytesIO()
        with zipfile.ZipFile(buffer, "w") as made:
            for index in range(2100):
                made.writestr(f"{index}.txt", "x")
        refused_or_sound(buffer.getvalue(), "x.3mf")


def either(inner: st.SearchStrategy) -> st.SearchStrategy:
    """A value or nothing."""
    return st.one_of(st.none(), inner)


def number(low: float, high: float) -> st.SearchStrategy[float | None]:
    return either(st.floats(low, high))


recipes = st.fixed_dictionaries(
    {
        "layer_height_mm": number(0.05, 0.8),
        "first_layer_height_mm": number(0.05, 0.8),
        "walls": either(st.integers(0, 12)),
        "top_layers": either(st.integers(0, 30)),
        "bottom_layers": either(st.integers(0, 30)),
        "nozzle_temp_c": number(120, 300),
        "line_width_mm": st.fixed_dictionaries(
            {name: number(0.1, 2.0) for name in ("outer_wall", "inner_wall", "infill", "solid", "top", "first_layer")}
        ),
        "infill": st.fixed_dictionaries(
            {
                "density": number(0, 1),
                "pattern": either(
                    st.sampled_from(["lines", "grid", "triangles", "cubic", "honeycomb", "gyroid", "concentric"])
                ),
                "lines_side_by_side": either(st.integers(1, 3)),
                "angle_deg": number(-90, 90),
            }
        ),
        "speed_mm_s": st.fixed_dictionaries({name: number(1, 400) for name in ("outer_wall", "infill", "travel")}),
        "retraction": st.fixed_dictionaries({"min_travel_mm": number(0, 10), "z_hop_mm": number(0, 2)}),
        "cooling": st.fixed_dictionaries({"min_layer_time_s": number(0, 30), "min_speed_mm_s": number(1, 50)}),
        "adhesion": st.fixed_dictionaries(
            {"kind": either(st.sampled_from(["none", "skirt", "brim"])), "loops": either(st.integers(0, 5))}
        ),
        "seam": either(st.sampled_from(["nearest", "back"])),
        "flow_ratio": number(0.5, 1.5),
    }
)


class Recipes(unittest.TestCase):
    @settings(max_examples=cases(40, 1600), deadline=None, suppress_health_check=[HealthCheck.too_slow])
    @given(recipes, st.sampled_from([0.25, 0.4, 0.6, 1.0]), st.booleans())
    def test_any_recipe_is_refused_or_adds_up(self, keys: dict, bore: float, by_deviation: bool) -> None:
        corner = {"law": "junction_deviation", "deviation_mm": 0.02} if by_deviation else {"law": "jerk"}
        printer = Printer.model_validate({"corner": corner})
        try:
            result = ENGINE.estimate(PrintJob(BLOCK, Recipe.model_validate(keys), printer, Nozzle(bore_mm=bore)))
        except RecipeError as problem:
            self.assertTrue(problem.field)
            self.assertTrue(problem.remedy)
            return
        self.assertTrue(np.isfinite(result.print_time_s))
        self.assertGreater(result.print_time_s, 0)
        self.assertAlmostEqual(
            sum(height_range.time_s for height_range in result.by_feature.values()), result.print_time_s, places=5
        )
        causes = result.by_cause.model_dump()
        self.assertAlmostEqual(sum(causes.values()), result.print_time_s, places=5)
        for name, value in causes.items():
            self.assertGreaterEqual(value, -1e-6, name)
        self.assertLessEqual(result.interval.low_s, result.print_time_s + 1e-6)
        self.assertLessEqual(result.peak_flow_mm3_s, result.melt_ceiling_mm3_s + 1e-6)
        self.assertGreaterEqual(result.filament_g, 0)


class Texts(unittest.TestCase):
    def refused_or_fine(self, work: Callable[[], object]) -> None:
        try:
            work()
        except MeanBeadError as problem:
            self.assertTrue(str(problem))
        except ValidationError as problem:
            self.assertTrue(problem.errors())

    @fuzz
    @given(st.text(alphabet="GMXYZEFIJRST0123456789.-; \n*N()", max_size=400))
    def test_any_text_replayed(self, text: str) -> None:
        self.refused_or_fine(lambda: replay(io.BytesIO(text.encode())))

    @fuzz
    @given(st.binary(max_size=400))
    def test_any_bytes_replayed(self, data: bytes) -> None:
        self.refused_or_fine(lambda: replay(io.BytesIO(data)))

    @fuzz
    @given(st.text(alphabet="M2013459 XYZEJPRTS.0123456789-\n:echo", max_size=300))
    def test_any_firmware_report(self, text: str) -> None:
        self.refused_or_fine(lambda: printer_from_report(text))


class Models(unittest.TestCase):
    @fuzz
    @given(recipes)
    def test_a_recipe_survives_json(self, keys: dict) -> None:
        recipe = Recipe.model_validate(keys)
        self.assertEqual(Recipe.model_validate_json(recipe.model_dump_json()), recipe)
        self.assertEqual(Recipe.model_validate(recipe.model_dump(exclude_none=True)), recipe)

    def test_shipped_defaults_are_valid_and_carry_their_source(self) -> None:
        for model in (Printer, Nozzle, Material, Recipe):
            self.assertEqual(model.model_validate(model().model_dump()), model())
        self.assertEqual((Material().source, Printer().hotend.source, Printer().limits_source), ("typical",) * 3)
