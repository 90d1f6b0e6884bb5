import csv
import io
import struct
import unittest
from typing import Any
from unittest import mock

import manifold3d
import numpy as np
import trimesh

from meanbead import store
from meanbead.core.estimate.job import PrintJob
from meanbead.core.model import Recipe
from meanbead.store.tables import Part
from tests.api.test_api import ApiCase
from tests.support.solids import block, solid_of, stl_bytes, table


def stl_of(manifold: manifold3d.Manifold) -> bytes:
    solid = solid_of(manifold)
    return stl_bytes(trimesh.Trimesh(solid.vertices, solid.faces))


class Posing(ApiCase):
    def pose(self, part: dict[str, Any], matrix: list[float], status: int = 200) -> Any:
        body = {"version": part["version"], "pose": {"matrix": matrix}}
        return self.call("PATCH", f"/api/parts/{part['id']}", body, status)

    def test_a_pose_changes_size_picture_and_figures_and_back(self) -> None:
        part = self.upload(stl_bytes(trimesh.creation.box((10, 20, 30))))
        column = self.columns(part)[0]
        first = self.call("POST", f"/api/recipes/{column['id']}/estimate")
        self.assertEqual(first["layers"], 150)
        lying = self.pose(part, [1, 0, 0, 0, 0, -1, 0, 1, 0])
        self.assertEqual(lying["facts"]["extents_mm"], {"x": 10, "y": 30, "z": 20})
        self.assertNotEqual(lying["picture"], part["picture"])
        turned = self.columns(part)[0]
        self.assertIsNone(turned["estimate"])
        self.assertNotEqual(turned["part_digest"], column["part_digest"])
        self.assertEqual(self.call("POST", f"/api/recipes/{column['id']}/estimate")["layers"], 100)
        back = self.pose(lying, [1, 0, 0, 0, 1, 0, 0, 0, 1])
        self.assertEqual(back["facts"], part["facts"])
        # The old figures are known again, to the last bit.
        self.assertEqual(self.columns(part)[0]["estimate"], first)

    def test_poses_that_cannot_be_are_refused(self) -> None:
        part = self.upload()
        flat = self.pose(part, [1, 0, 0, 0, 1, 0, 0, 0, 0], 422)
        self.assertIn("flattened", flat["detail"])
        huge = self.pose(part, [900, 0, 0, 0, 900, 0, 0, 0, 900], 422)
        self.assertEqual(huge["errors"][0]["field"], "pose")
        self.assertEqual(self.call("GET", f"/api/parts/{part['id']}")["version"], part["version"])

    def test_bodies_become_parts_with_the_same_columns(self) -> None:
        part = self.upload(stl_of(block(10, 10, 10) + block(5, 5, 5, (20, 0, 0))))
        made = self.call("POST", f"/api/parts/{part['id']}/split", {"version": part["version"]})["parts"]
        self.assertEqual([round(item["facts"]["volume_mm3"]) for item in made], [1000, 125])
        self.assertEqual(len(self.columns(made[1])), 2)
        self.call("GET", f"/api/parts/{part['id']}", status=404)
        self.call("POST", f"/api/parts/{part['id']}/restore")
        alone = self.call("POST", f"/api/parts/{made[0]['id']}/split", {"version": made[0]["version"]}, 422)
        self.assertIn("nothing to split", alone["detail"])

    def test_purpose_count_and_date(self) -> None:
        part = self.upload()
        purposes = self.call("GET", "/api/shelf")["purposes"]
        self.assertEqual([purpose["name"] for purpose in purposes], ["Show piece", "Everyday", "Workhorse", "Draft"])
        body = {"version": part["version"], "purpose_id": purposes[0]["id"], "quantity": 7, "due_on": "2027-01-31"}
        told = self.call("PATCH", f"/api/parts/{part['id']}", body)
        self.assertEqual((told["quantity"], told["due_on"], told["name"]), (7, "2027-01-31", part["name"]))
        body = {"version": told["version"], "due_on": None, "purpose_id": None}
        self.assertIsNone(self.call("PATCH", f"/api/parts/{part['id']}", body)["due_on"])
        limits = {**purposes[3]["limits"], "ridge_mm": 0.5}
        address = f"/api/purposes/{purposes[3]['id']}"
        self.assertEqual(self.call("PATCH", address, {"version": 1, "limits": limits})["limits"]["ridge_mm"], 0.5)
        self.assertEqual(self.call("PATCH", address, {"version": 1, "limits": limits}, 409)["stored"]["version"], 2)


class SearchLimitsProposed(ApiCase):
    def test_steps_by_the_plastics_gloss(self) -> None:
        part = self.upload()
        shelf = self.call("GET", "/api/shelf")
        show = next(one for one in shelf["purposes"] if one["name"] == "Show piece")
        self.call("PATCH", f"/api/parts/{part['id']}", {"version": part["version"], "purpose_id": show["id"]})
        column = self.columns(part)[0]
        material = next(one for one in shelf["materials"] if one["id"] == column["material_id"])
        for gloss, factor in (("matte", 1.25), ("shiny", 0.75), ("satin", 1.0)):
            body = {"version": material["version"], "material": material["material"] | {"gloss": gloss}}
            material = self.call("PATCH", f"/api/materials/{material['id']}", body)
            proposed = self.call("GET", f"/api/recipes/{column['id']}/search")["limits"]["ridge_mm"]
            self.assertAlmostEqual(proposed, factor * show["limits"]["ridge_mm"], places=4)


class Listed(ApiCase):
    def test_the_list_of_parts_is_a_file_that_says_what_the_cards_say(self) -> None:
        parts = [self.upload(stl_bytes(trimesh.creation.box((10, 20, 5 + k)))) for k in range(3)]
        for part, name in zip(parts, ("=1+1 listed", "Plate, listed", "Other"), strict=True):
            self.call("PATCH", f"/api/parts/{part['id']}", {"version": part["version"], "name": name})
        column = self.columns(parts[1])[0]
        estimate = self.call("POST", f"/api/recipes/{column['id']}/estimate")
        with mock.patch("meanbead.services.csv_parts._AT_ONCE", 1):
            text = self.client.get("/api/parts.csv?search=LISTED").text
        rows = list(csv.DictReader(io.StringIO(text)))
        self.assertEqual([row["Name"] for row in rows], ["Plate, listed", "'=1+1 listed"])
        told = next(one for one in self.call("GET", "/api/parts")["parts"] if one["id"] == parts[1]["id"])["headline"]
        row = rows[0]
        self.assertEqual(row["Recipe"], column["name"])
        self.assertAlmostEqual(float(row["Printing time, min"]), estimate["print_time_s"] / 60, delta=0.005)
        self.assertAlmostEqual(float(row["Expect here, most, min"]), told["high_s"] / 60, delta=0.005)
        self.assertAlmostEqual(float(row["Filament, g"]), estimate["filament_g"], delta=0.005)
        self.assertEqual((row["x, mm"], row["z, mm"], row["Volume, cm3"]), ("10.0", "6.0", "1.2"))
        # What has not been computed is empty, not nought.
        self.assertEqual((rows[1]["Printing time, min"], rows[1]["Filament, g"]), ("", ""))


class Drawn(ApiCase):
    def test_the_mesh_is_the_part_in_its_pose(self) -> None:
        part = self.upload(stl_bytes(trimesh.creation.box((10, 20, 30))))
        data = self.client.get(f"/api/parts/{part['id']}/mesh").data
        magic, corners, triangles = struct.unpack_from("<4sII", data)
        self.assertEqual((magic, corners, triangles), (b"MBM1", 8, 12))
        points = np.frombuffer(data, "<f4", 3 * corners, 12).reshape(-1, 3)
        np.testing.assert_allclose(np.ptp(points, axis=0), [10, 20, 30])
        self.assertEqual(len(data), 12 + 12 * corners + 12 * triangles)
        thickness = np.frombuffer(self.client.get(f"/api/parts/{part['id']}/thickness").data, "<f4")
        self.assertEqual(sorted({round(float(value)) for value in thickness}), [10, 20, 30])
        self.assertEqual(self.call("GET", f"/api/parts/{part['id']}/insight")["bodies"], 1)

    def test_pieces_of_strokes_put_together_are_the_engines_own(self) -> None:
        part = self.upload(stl_bytes(trimesh.Trimesh(table(20).vertices, table(20).faces)))
        column = self.columns(part)[0]["id"]
        index = self.call("GET", f"/api/recipes/{column}/strokes")
        layers = len(index["top_mm"])
        with self.database.session.begin() as session:
            solid = store.parts.load_solid(session, part["id"])
            row = store.recipes.get_recipe(session, column)
            self.assertEqual(session.get_one(Part, part["id"]).digest, solid.digest)
            job = PrintJob(solid, *store.recipes.recipe_inputs(row))
        self.assertEqual(job.recipe, Recipe())
        detail = self.engine_detail(job)
        count, seconds, ends = 0, 0.0, []
        for first, end in ((0, 20), (20, layers)):
            piece = self.client.get(f"/api/recipes/{column}/strokes/{first}/{end}?resting=1").data
            n = struct.unpack_from("<I", piece, 4)[0]
            xy = np.frombuffer(piece, "<f4", 2 * n, 16).reshape(-1, 2)
            time_s = np.frombuffer(piece, "<f4", n, 16 + 8 * n)
            count, seconds = count + n, seconds + float(time_s.sum())
            ends.append(xy)
            padded = (2 * n + 3) // 4 * 4
            self.assertEqual(len(piece), 16 + 16 * n + 4 * padded + 4 * ((n + 3) // 4 * 4))
        self.assertEqual(count, index["strokes"])
        np.testing.assert_allclose(np.concatenate(ends), detail.strokes.end_xy, atol=1e-4)
        self.assertAlmostEqual(seconds, float(detail.time_s.sum()), delta=0.01)
        self.assertAlmostEqual(sum(index["time_s"]), seconds, delta=0.01)
        self.assertEqual(index["first_stroke"][-1], count)

    def engine_detail(self, job: PrintJob) -> Any:
        from meanbead.core.estimate import Engine

        return Engine().detail(job)

    def test_layers_that_are_not_there_are_refused(self) -> None:
        column = self.columns(self.upload())[0]["id"]
        for first, end in ((0, 9999), (5, 5), (7, 3)):
            self.call("GET", f"/api/recipes/{column}/strokes/{first}/{end}", status=422)
        self.assertAlmostEqual(self.call("GET", f"/api/recipes/{column}/first-layer")["contact_mm2"], 400, delta=0.1)


class Recipes(ApiCase):
    def add(self, part: dict[str, Any], body: dict[str, Any], status: int = 201) -> Any:
        return self.call("POST", f"/api/parts/{part['id']}/recipes", body, status)

    def test_figures_are_sampled_then_full_and_only_full_ones_are_kept(self) -> None:
        part = self.upload(stl_bytes(trimesh.creation.cone(15, 30)))
        column = self.columns(part)[0]
        address = f"/api/recipes/{column['id']}/estimate"
        sample = self.call("POST", f"{address}?layers=24")
        self.assertLess(sample["layers_planned"], sample["layers"])
        self.assertIsNone(self.columns(part)[0]["estimate"])
        full = self.call("POST", address)
        self.assertEqual(full["layers_planned"], full["layers"])
        off = abs(sample["print_time_s"] - full["print_time_s"]) / full["print_time_s"]
        self.assertLess(off, max(0.05, sample["sampling_error"]))
        self.assertEqual(self.columns(part)[0]["estimate"], full)
        # What is known in full is never answered with less.
        self.assertEqual(self.call("POST", f"{address}?layers=24"), full)
        self.call("POST", f"{address}?layers=2", status=422)

    def test_a_first_answer_beside_the_write_is_what_is_said_after_it(self) -> None:
        column = self.columns(self.upload())[0]
        address = f"/api/recipes/{column['id']}"
        choices = column["choices"] | {"walls": 5, "infill": {"density": 0.31}}
        ask = {"version": column["version"], "choices": choices, "layers": 24}
        ahead = self.call("POST", f"{address}/first-answer", ask)
        # Nothing is stored by it.
        stored = self.columns(self.call("GET", f"/api/parts/{column['part_id']}"))[0]
        self.assertEqual((stored["version"], stored["choices"]), (column["version"], column["choices"]))
        written = self.call("PATCH", address, {"version": column["version"], "choices": choices})
        self.assertEqual(self.call("POST", f"{address}/estimate?layers=24"), ahead)
        # Asked for when the write has come first it is the same; once somebody else has written it is stale.
        self.assertEqual(self.call("POST", f"{address}/first-answer", ask), ahead)
        self.call("PATCH", address, {"version": written["version"], "choices": choices | {"walls": 2}})
        problem = self.call("POST", f"{address}/first-answer", ask, 409)
        self.assertIn("version", str(problem))

    def test_columns_are_filled(self) -> None:
        part = self.upload()
        one, other = self.columns(part)
        adapted = self.add(part, {"copy_of": one["id"], "nozzle_id": other["nozzle_id"]})
        self.assertEqual(adapted["choices"]["layer_height_mm"], 0.3)
        self.assertEqual(adapted["nozzle_id"], other["nozzle_id"])
        short = self.add(part, {"line": "0.6 / 0.28 / 0.7"})
        self.assertEqual((short["name"], short["choices"]["layer_height_mm"]), ("0.6 / 0.28 / 0.7", 0.28))
        for line, word in (
            ("0.55 / 0.2", "no 0.55 mm nozzle"),
            ("as thick as you like", "does not say"),
            ("0.6/0.5/0.4", "narrow"),
        ):
            problem = self.add(part, {"line": line}, 422)
            self.assertIn(word if word != "narrow" else "wide", problem["detail"])
        self.assertEqual(len(self.columns(part)), 4)

    def test_house_recipes_have_uses_and_a_history_with_names(self) -> None:
        part = self.upload()
        column = self.columns(part)[0]
        robin = {"headers": {"X-Person": "Robin"}}
        column = self.call(
            "PATCH",
            f"/api/recipes/{column['id']}",
            {"version": column["version"], "choices": {"walls": 3}},
            **robin,  # type: ignore[arg-type]
        )
        house = self.call("POST", "/api/house-recipes", {"recipe_id": column["id"], "name": "Boxes"}, 201, **robin)
        # Keeping it changes nothing of the column.
        kept = self.columns(part)[0]
        self.assertEqual((kept["version"], kept["house"]["name"]), (column["version"], "Boxes"))
        second = self.add(self.upload(), {"house_id": house["id"]})
        self.assertEqual((second["choices"], second["house"]["version"]), ({**second["choices"], "walls": 3}, 1))
        changed = self.call(
            "PATCH", f"/api/recipes/{second['id']}", {"version": second["version"], "choices": {"walls": 5}}
        )
        uses = {use["recipe_id"]: use["changed"] for use in self.houses()[0]["used_in"]}
        self.assertEqual(uses, {column["id"]: False, second["id"]: True})
        newer = self.call(
            "PATCH", f"/api/house-recipes/{house['id']}", {"version": house["version"], "recipe_id": changed["id"]}
        )
        self.assertEqual(
            self.columns(part)[0]["house"], {"id": house["id"], "name": "Boxes", "version": 1, "newest": 2}
        )
        versions = self.call("GET", f"/api/house-recipes/{house['id']}/versions")["versions"]
        self.assertEqual(
            [(version["version"], version["who"], version["choices"]["walls"]) for version in versions],
            [(2, "", 5), (1, "Robin", 3)],
        )
        mine = self.call("GET", f"/api/recipes/{column['id']}/versions")["versions"]
        self.assertEqual([(item["who"], item["choices"]["walls"]) for item in mine], [("Robin", 3), ("", None)])
        again = {"version": newer["version"], "take_version": 1}
        newer = self.call("PATCH", f"/api/house-recipes/{house['id']}", again)
        self.assertEqual((newer["version"], newer["choices"]["walls"]), (3, 3))
        self.call("PATCH", f"/api/house-recipes/{house['id']}", {"version": 3, "take_version": 99}, 404)
        self.call("POST", f"/api/house-recipes/{house['id']}/delete", {"version": newer["version"]})
        self.assertEqual(self.houses(), [])
        self.assertIsNone(self.columns(part)[0]["house"])
        self.call("POST", f"/api/house-recipes/{house['id']}/restore")
        self.assertEqual(len(self.houses()), 1)
        self.call("PATCH", f"/api/house-recipes/{house['id']}", {"version": 1, "name": "Late"}, 409)

    def houses(self) -> list[dict[str, Any]]:
        found: list[dict[str, Any]] = self.call("GET", "/api/house-recipes")["recipes"]
        return found

    def test_the_settings_sheet_as_page_file_and_recipe(self) -> None:
        column = self.columns(self.upload())[0]
        address = f"/api/recipes/{column['id']}/settings"
        sheet = self.call("GET", address)
        self.assertGreater(len(sheet["settings"]), 50)
        answer = self.client.get(f"{address}.csv")
        self.assertIn('filename="everyday.csv"', answer.headers["Content-Disposition"])
        self.assertEqual(len(list(csv.reader(io.StringIO(answer.text)))), len(sheet["settings"]) + 1)
        recipe = Recipe.model_validate_json(self.client.get(f"{address}.json").text)
        self.assertEqual(recipe.walls, 2)
        self.assertEqual(self.client.get(f"{address}.exe").status_code, 404)

    def test_nudges(self) -> None:
        column = self.columns(self.upload())[0]
        found = self.call("POST", f"/api/recipes/{column['id']}/nudges", {"key": "walls"})["nudges"]
        self.assertEqual([item["value"] for item in found], [1, 3])
        self.call("POST", f"/api/recipes/{column['id']}/nudges", {"key": "colour"}, 422)


if __name__ == "__main__":
    unittest.main()
