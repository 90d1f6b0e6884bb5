"""Fill an empty workshop: with the sample workshop, or with just one typical machine, nozzle and material."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date, timedelta
from typing import Any

from sqlalchemy.orm import Session

from meanbead import services, store
from meanbead.core.estimate import Engine
from meanbead.core.model import Material, Nozzle, Printer, Recipe
from meanbead.core.part.read import read_mesh
from meanbead.core.part.solid import make_solid
from meanbead.demo.parts import SAMPLE_PARTS, as_stl
from meanbead.store.database import Database
from meanbead.store.tables import Machine, MaterialRow, NozzleRow, Part, Purpose, Spool, plain

MACHINES: dict[str, dict[str, Any]] = {
    "Heron": {
        "bed_mm": {"x": 220, "y": 220, "z": 240},
        "kinematics": "bed_moving",
        "drive": "long_tube",
        "z_step_mm": 0.04,
        "max_speed_mm_s": {"x": 300, "y": 250, "z": 12, "e": 60},
        "max_acceleration_mm_s2": {"x": 3000, "y": 2500, "z": 150, "e": 4000},
        "acceleration_mm_s2": {"print": 900, "travel": 1000, "retract": 1500},
        "corner": {"law": "jerk", "jerk_mm_s": {"x": 8, "y": 8, "z": 0.4, "e": 5}},
        "hotend": {"melt_zone_mm": 12, "lining": "ptfe", "max_temp_c": 260, "heater_w": 40},
        "start_time_s": 55,
        "clean_acceleration_mm_s2": 2200,
        "limits_source": "set",
    },
    "Kestrel": {
        "bed_mm": {"x": 256, "y": 256, "z": 256},
        "kinematics": "gantry",
        "drive": "direct",
        "z_step_mm": 0.02,
        "max_speed_mm_s": {"x": 500, "y": 500, "z": 20, "e": 70},
        "max_acceleration_mm_s2": {"x": 10000, "y": 10000, "z": 400, "e": 8000},
        "acceleration_mm_s2": {"print": 5000, "travel": 8000, "retract": 4000},
        "corner": {"law": "junction_deviation", "deviation_mm": 0.03},
        "hotend": {"melt_zone_mm": 21, "lining": "all_metal", "max_temp_c": 300, "heater_w": 60},
        "bed_heater": {"heater_w": 350, "heat_capacity_j_k": 900, "loss_w_k": 1.6},
        "start_time_s": 80,
        "clean_acceleration_mm_s2": 6000,
        "overhang_limit_deg": 58,
        "limits_source": "set",
    },
}

NOZZLES: dict[str, dict[str, Any]] = {
    "0.4 brass": {"bore_mm": 0.4},
    "0.6 brass": {"bore_mm": 0.6},
    "0.8 hardened": {"bore_mm": 0.8, "metal": "hardened_steel"},
    "0.25 brass": {"bore_mm": 0.25},
}

MATERIALS: dict[str, dict[str, Any]] = {
    "PLA, chalk white": {"name": "PLA", "price_per_kg": 21.5, "fan_min": 0.6},
    "PETG, bottle green": {
        "name": "PETG",
        "density_g_cm3": 1.27,
        "price_per_kg": 24.0,
        "nozzle_temp_min_c": 225,
        "nozzle_temp_max_c": 255,
        "nozzle_temp_c": 238,
        "bed_temp_c": 75,
        "flow_temp_c": 172,
        "diffusivity_mm2_s": 0.078,
        "push_limit_mm3_s": 26,
        "damp_prone": True,
        "fan_max": 0.6,
    },
    "ABS, slate": {
        "name": "ABS",
        "density_g_cm3": 1.05,
        "price_per_kg": 23.0,
        "nozzle_temp_min_c": 230,
        "nozzle_temp_max_c": 265,
        "nozzle_temp_c": 245,
        "bed_temp_c": 100,
        "flow_temp_c": 178,
        "diffusivity_mm2_s": 0.085,
        "ventilate": True,
        "warp_prone": True,
        "fan_max": 0.2,
    },
    "TPU 95A, orange": {
        "name": "TPU 95A",
        "density_g_cm3": 1.21,
        "price_per_kg": 38.0,
        "nozzle_temp_min_c": 210,
        "nozzle_temp_max_c": 240,
        "nozzle_temp_c": 225,
        "bed_temp_c": 45,
        "flow_temp_c": 165,
        "diffusivity_mm2_s": 0.075,
        "push_limit_mm3_s": 7,
        "damp_prone": True,
    },
    "Nylon with carbon fibre": {
        "name": "Carbon-filled nylon",
        "density_g_cm3": 1.16,
        "price_per_kg": 62.0,
        "nozzle_temp_min_c": 255,
        "nozzle_temp_max_c": 290,
        "nozzle_temp_c": 270,
        "bed_temp_c": 80,
        "flow_temp_c": 205,
        "diffusivity_mm2_s": 0.11,
        "abrasive": True,
        "ventilate": True,
        "warp_prone": True,
        "damp_prone": True,
        "fan_max": 0.3,
        "min_bore_mm": 0.4,
    },
}

SPOOLS: tuple[tuple[str, str, float, int | None], ...] = (
    ("Chalk white, opened", "PLA, chalk white", 410.0, None),
    ("Chalk white, new", "PLA, chalk white", 1000.0, None),
    ("Bottle green", "PETG, bottle green", 620.0, 3),
    ("Slate", "ABS, slate", 870.0, 40),
    ("Orange", "TPU 95A, orange", 480.0, None),
)
"""Name, material, grams left, and how many days ago it was dried."""

PURPOSE_OF = {"Snow owl": "Show piece", "Shelf bracket": "Workhorse", "Bin tag": "Everyday", "Pencil cup": "Everyday"}

_Column = tuple[str, str, str, dict[str, Any]]
EVERYDAY: _Column = ("Everyday", "0.4 brass", "PLA, chalk white", {})
COARSE: _Column = ("Coarser nozzle", "0.6 brass", "PLA, chalk white", {"layer_height_mm": 0.32, "walls": 1})
COLUMNS: dict[str, tuple[_Column, ...]] = {
    "Pencil cup": (
        EVERYDAY,
        ("One wall more", "0.4 brass", "PLA, chalk white", {"walls": 3}),
        COARSE,
    ),
    "Shelf bracket": (
        ("Workhorse", "0.4 brass", "PETG, bottle green", {"walls": 4, "infill": {"density": 0.35}}),
        ("Workhorse, 0.6", "0.6 brass", "PETG, bottle green", {"walls": 3, "infill": {"density": 0.35}}),
    ),
    "Domed knob": (
        EVERYDAY,
        ("Fine", "0.4 brass", "PLA, chalk white", {"layer_height_mm": 0.12}),
        ("By slope", "0.4 brass", "PLA, chalk white", {"variable_height": {"kind": "by_slope", "min_mm": 0.1}}),
    ),
    "Bin tag": (EVERYDAY, ("Fine lettering", "0.25 brass", "PLA, chalk white", {"layer_height_mm": 0.12})),
    "Flag post": (EVERYDAY, ("Four at once", "0.4 brass", "PLA, chalk white", {"copies": {"count": 4}})),
    "Drain plate": (
        EVERYDAY,
        ("Kept inside", "0.4 brass", "PLA, chalk white", {"travel": "inside"}),
    ),
    "Snow owl": (
        EVERYDAY,
        ("On trees", "0.4 brass", "PLA, chalk white", {"supports": {"kind": "trees", "angle_deg": 45}}),
    ),
    "Tool box": (
        EVERYDAY,
        ("Wide lines", "0.8 hardened", "PLA, chalk white", {"layer_height_mm": 0.4, "nozzle_temp_c": 225}),
    ),
}


def fill_if_empty(database: Database, *, samples: bool, progress: Callable[[str], None] = lambda _: None) -> bool:
    """Fill a workshop that has no machine yet; returns whether it did. Never touches one that has."""
    with database.session.begin() as db:
        if store.rows.all_rows(db, Machine):
            return False
        if not samples:
            db.add(Machine(name="A typical machine", printer=plain(Printer())))
            db.add(NozzleRow(name="0.4 brass", nozzle=plain(Nozzle())))
            db.add(NozzleRow(name="0.6 brass", nozzle=plain(Nozzle(bore_mm=0.6))))
            db.add(MaterialRow(name="PLA", material=plain(Material())))
            return True
        machines, nozzles, materials = _shelf(db)
        for sample in SAMPLE_PARTS:
            progress(sample.name)
            data = as_stl(sample.make())
            solid = make_solid(read_mesh(data, sample.file_name))
            part = services.parts.add_part(
                db, solid, name=sample.name, file_name=sample.file_name, source=data, note=sample.note
            )
            purpose = PURPOSE_OF.get(sample.name)
            part.purpose_id = next((row.id for row in store.rows.all_rows(db, Purpose) if row.name == purpose), None)
            for name, nozzle, material, choices in COLUMNS.get(sample.name, (EVERYDAY, COARSE)):
                store.recipes.add_recipe(
                    db,
                    part,
                    name=name,
                    machine_id=machines["Heron"].id,
                    nozzle_id=nozzles[nozzle].id,
                    material_id=materials[material].id,
                    choices=Recipe.model_validate(choices),
                )
    return True


def estimate_first_columns(database: Database, engine: Engine) -> None:
    """Estimate every part's first column that is not known yet, so that the list of parts can show it."""
    with database.session.begin() as db:
        firsts = [
            columns[0].id
            for part in store.rows.all_rows(db, Part)
            if (columns := store.recipes.recipes_of(db, part.id))
        ]
    for recipe_id in firsts:
        with database.session.begin() as db:
            row = store.recipes.get_recipe(db, recipe_id)
            inputs = services.digests.inputs_digest(row, row.part.digest)
            if store.estimates.find_estimate(db, inputs) is None:
                store.estimates.save_estimate(
                    db, inputs, row.id, services.estimates.full_estimate(engine, services.estimates.job_of(db, row))
                )


def _shelf(db: Session) -> tuple[dict[str, Machine], dict[str, NozzleRow], dict[str, MaterialRow]]:
    machines = {
        name: Machine(name=name, printer=plain(Printer.model_validate(keys))) for name, keys in MACHINES.items()
    }
    nozzles = {name: NozzleRow(name=name, nozzle=plain(Nozzle.model_validate(keys))) for name, keys in NOZZLES.items()}
    materials = {
        name: MaterialRow(name=name, material=plain(Material.model_validate(keys))) for name, keys in MATERIALS.items()
    }
    for rows in (machines, nozzles, materials):
        for row in rows.values():
            db.add(row)
            db.flush()
    for name, material, left_g, days in SPOOLS:
        dried = None if days is None else date.today() - timedelta(days=days)
        db.add(Spool(name=name, material_id=materials[material].id, left_g=left_g, dried_on=dried))
    return machines, nozzles, materials
