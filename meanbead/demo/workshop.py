"""Fill an empty workshop: with the sample workshop, or with just one typical machine, nozzle and material."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from datetime import date, timedelta
from typing import Any

from sqlalchemy.orm import Session

from meanbead import services, store
from meanbead.core.estimate import Engine
from meanbead.core.model import Material, Nozzle, Printer, Recipe
from meanbead.core.part.read import read_mesh
from meanbead.core.part.solid import make_solid
from meanbead.core.shelf import typical_plastics
from meanbead.demo.day import add_sample_queue
from meanbead.demo.flow import add_flow_tests
from meanbead.demo.parts import SAMPLE_PARTS, as_stl
from meanbead.demo.runs import mark_due
from meanbead.store.database import Database
from meanbead.store.tables import (
    HouseRecipe,
    Machine,
    MaterialRow,
    NozzleRow,
    Part,
    Purpose,
    RecipeRow,
    ShelfRow,
    SpoolRow,
    plain,
)

MACHINES: dict[str, dict[str, Any]] = {
    "Heron": {
        "bed_mm": {"x": 220, "y": 220, "z": 240},
        "kinematics": "bed_moving",
        "drive": "long_tube",
        "z_screw": {"lead_mm": 8},
        "max_speed_mm_s": {"x": 300, "y": 250, "z": 12, "e": 60},
        "max_acceleration_mm_s2": {"x": 3000, "y": 2500, "z": 150, "e": 4000},
        "acceleration_mm_s2": {"print": 900, "travel": 1000, "retract": 1500},
        "corner": {"law": "jerk", "jerk_mm_s": {"x": 8, "y": 8, "z": 0.4, "e": 5}},
        "hotend": {"melt_zone_mm": 12, "lining": "ptfe", "max_temp_c": 260, "heater_w": 40},
        "start_time_s": 55,
        "clean_acceleration_mm_s2": 2200,
        "wear_per_h": 0.12,
        "power_w": 130,
        "limits_source": "set",
    },
    "Kestrel": {
        "bed_mm": {"x": 256, "y": 256, "z": 256},
        "kinematics": "gantry",
        "drive": "direct",
        "z_screw": {"lead_mm": 4},
        "max_speed_mm_s": {"x": 500, "y": 500, "z": 20, "e": 70},
        "max_acceleration_mm_s2": {"x": 10000, "y": 10000, "z": 400, "e": 8000},
        "acceleration_mm_s2": {"print": 5000, "travel": 8000, "retract": 4000},
        "corner": {"law": "junction_deviation", "deviation_mm": 0.03},
        "hotend": {"melt_zone_mm": 21, "lining": "all_metal", "max_temp_c": 300, "heater_w": 60},
        "bed_heater": {"heater_w": 350, "heat_capacity_j_k": 900, "loss_w_k": 1.6},
        "start_time_s": 80,
        "clean_acceleration_mm_s2": 6000,
        "enclosed": True,
        "wear_per_h": 0.2,
        "overhang_limit_deg": 58,
        "limits_source": "set",
    },
    "Wren": {
        "bed_mm": {"x": 180, "y": 180, "z": 180},
        "kinematics": "gantry",
        "drive": "direct",
        "z_screw": {"lead_mm": 8},
        "max_speed_mm_s": {"x": 300, "y": 300, "z": 15, "e": 60},
        "max_acceleration_mm_s2": {"x": 5000, "y": 5000, "z": 200, "e": 5000},
        "acceleration_mm_s2": {"print": 2500, "travel": 4000, "retract": 3000},
        "corner": {"law": "junction_deviation", "deviation_mm": 0.02},
        "hotend": {"melt_zone_mm": 12, "lining": "all_metal", "max_temp_c": 280, "heater_w": 40},
        "start_time_s": 60,
        "clean_acceleration_mm_s2": 3500,
        "wear_per_h": 0.1,
        "power_w": 95,
        "limits_source": "set",
    },
}

NOZZLES: dict[str, dict[str, Any]] = {
    "0.4 brass": {"bore_mm": 0.4},
    "0.6 brass": {"bore_mm": 0.6},
    "0.8 hardened": {"bore_mm": 0.8, "metal": "hardened_steel"},
    "0.25 brass": {"bore_mm": 0.25},
}


def _like(plastic: str, **own: Any) -> dict[str, Any]:
    """A plastic of the library with what is known of this one."""
    found = next(one for one in typical_plastics() if one.name == plastic)
    return found.model_dump(exclude_defaults=True) | {"name": plastic} | own


MATERIALS: dict[str, dict[str, Any]] = {
    "PLA, chalk white": _like("PLA", colour="chalk white", spool_price=21.5),
    "PETG, bottle green": _like("PETG", colour="bottle green", spool_price=24.0),
    "ABS, slate": _like("ABS", colour="slate", spool_price=23.0),
    "TPU 95A, orange": _like("TPU, shore 95A", colour="orange", spool_price=28.5, spool_g=750),
    "Nylon with carbon fibre": _like("Nylon with carbon fibre", colour="black", spool_price=31.0, spool_g=500),
}

SPOOLS: tuple[tuple[str, str, dict[str, Any]], ...] = (
    ("Chalk white, opened", "PLA, chalk white", {"left_g": 410.0, "empty_g": 190, "opened_on": -75}),
    ("Chalk white, new", "PLA, chalk white", {"left_g": 1000.0, "empty_g": 190, "kept": "sealed"}),
    (
        "Bottle green",
        "PETG, bottle green",
        {"left_g": 620.0, "empty_g": 205, "opened_on": -90, "dried_on": -3, "dried_temp_c": 65, "dried_h": 6},
    ),
    ("Slate", "ABS, slate", {"left_g": 870.0, "empty_g": 210, "opened_on": -60, "dried_on": -40, "kept": "sealed"}),
    ("Orange", "TPU 95A, orange", {"left_g": 480.0, "opened_on": -20}),
    (
        "Carbon",
        "Nylon with carbon fibre",
        {"left_g": 350.0, "dried_on": -1, "dried_temp_c": 80, "dried_h": 4, "kept": "dry_box"},
    ),
)
"""Name, material, and what is known of it; dates as days from today."""

PURPOSE_OF = {"Snow owl": "Show piece", "Shelf bracket": "Workhorse", "Bin tag": "Everyday", "Herb trough": "Everyday"}

_Column = tuple[str, str, str, dict[str, Any]]
EVERYDAY: _Column = ("Everyday", "0.4 brass", "PLA, chalk white", {})
COARSE: _Column = ("Coarser nozzle", "0.6 brass", "PLA, chalk white", {"layer_height_mm": 0.36})
COLUMNS: dict[str, tuple[_Column, ...]] = {
    "Herb trough": (
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
        ("At every hop", "0.4 brass", "PLA, chalk white", {"travel": "straight"}),
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


CHOSEN = {
    "Herb trough": "One wall more",
    "Shelf bracket": "Workhorse",
    "Domed knob": "By slope",
    "Bin tag": "Fine lettering",
}
"""Which column is *the* one; of the other parts the first is."""

HOUSE_RECIPES = {"Workhorse in PETG": ("Shelf bracket", "Workhorse"), "Fine domes": ("Domed knob", "Fine")}
"""Recipes of the house, and the column that each was kept from."""

FITTED: dict[str, tuple[str, str, int, float]] = {
    "Heron": ("0.4 brass", "Chalk white, opened", 64, 212.0),
    "Kestrel": ("0.6 brass", "Bottle green", 21, 58.5),
    "Wren": ("0.25 brass", "Chalk white, new", 12, 30.0),
}
"""What each machine holds: nozzle, spool, fitted how many days ago, hours run since."""


def fill_if_empty(database: Database, *, samples: bool, progress: Callable[[str], None] = lambda _: None) -> bool:
    """Fill a workshop that has no machine yet; returns whether it did. Never touches one that has."""
    with database.session.begin() as db:
        if store.rows.all_rows(db, Machine):
            return False
        if not samples:
            add_typical(db)
            return True
        add_samples(db, progress)
    return True


def add_typical(db: Session) -> None:
    """A machine, two nozzles and a plastic, all typical: enough for figures to begin with."""
    db.add(Machine(name="A typical machine", printer=plain(Printer())))
    db.add(NozzleRow(name="0.4 brass", nozzle=plain(Nozzle())))
    db.add(NozzleRow(name="0.6 brass", nozzle=plain(Nozzle(bore_mm=0.6))))
    db.add(MaterialRow(name="PLA", material=plain(Material())))


def add_samples(db: Session, progress: Callable[[str], None] = lambda _: None) -> None:
    """The sample workshop, beside what is there; its runs follow with :func:`~meanbead.demo.runs.add_sample_runs`. Which rows are its
    own is kept with the house, so that it can be removed whole."""
    before = services.samples.shelf_rows(db)
    machines, nozzles, materials = _shelf(db)
    add_flow_tests(db, machines, nozzles, materials)
    mark_due(db)
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
            column = store.recipes.add_recipe(
                db,
                part,
                name=name,
                machine_id=machines["Heron"].id,
                nozzle_id=nozzles[nozzle].id,
                material_id=materials[material].id,
                choices=Recipe.model_validate(choices),
            )
            if CHOSEN.get(sample.name) == name:
                part.chosen_id = column.id
            for kept, source in HOUSE_RECIPES.items():
                if source == (sample.name, name):
                    _keep(db, kept, column)
    add_sample_queue(db)
    services.samples.keep_rows(db, before)


def _keep(db: Session, name: str, column: RecipeRow) -> None:
    row = HouseRecipe(
        name=name,
        machine_id=column.machine_id,
        nozzle_id=column.nozzle_id,
        material_id=column.material_id,
        choices=column.choices,
    )
    db.add(row)
    store.versions.record_version(db, row)
    store.recipes.link_to_house(db, column, row)


def estimate_first_columns(database: Database, engine: Engine) -> None:
    """Estimate every part's chosen column that is not known yet, so that the list of parts can show it."""
    with database.session.begin() as db:
        chosen = store.recipes.chosen_columns(db, store.rows.all_rows(db, Part))
        firsts = [column.id for column in chosen.values()]
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
        name: Machine(name=name, printer=plain(Printer.model_validate(keys)), sources=_set_by(keys))
        for name, keys in MACHINES.items()
    }
    nozzles = {
        name: NozzleRow(
            name=name, nozzle=plain(Nozzle.model_validate(keys)), sources={"bore_mm": "set", "metal": "set"}
        )
        for name, keys in NOZZLES.items()
    }
    nozzles["0.4 brass"].wear = {"hours": 212, "abrasive_h": 0, "abrasive_g": 0, "worn_by": None}
    nozzles["0.8 hardened"].wear = {"hours": 96, "abrasive_h": 41, "abrasive_g": 1310, "worn_by": None}
    materials = {
        name: MaterialRow(
            name=name,
            material=plain(Material.model_validate(keys)),
            sources=dict.fromkeys(("colour", "spool_price", "spool_g"), "set"),
        )
        for name, keys in MATERIALS.items()
    }
    kinds: tuple[Mapping[str, ShelfRow], ...] = (machines, nozzles, materials)
    for rows in kinds:
        for place, row in enumerate(rows.values(), start=1):
            row.position = float(place)
            db.add(row)
            db.flush()
    spools = {}
    for place, (name, material, known) in enumerate(SPOOLS, start=1):
        told = {key: _day(value) if key.endswith("_on") else value for key, value in known.items()}
        spools[name] = SpoolRow(name=name, material_id=materials[material].id, position=float(place), **told)
        db.add(spools[name])
    db.flush()
    for machine, (nozzle, spool, days, hours) in FITTED.items():
        row = machines[machine]
        row.nozzle_id, row.spool_id = nozzles[nozzle].id, spools[spool].id
        row.fitted_on, row.hours_run = _day(-days), hours
    db.flush()
    return machines, nozzles, materials


def _day(days_from_today: int) -> date:
    return date.today() + timedelta(days=days_from_today)


def _set_by(keys: dict[str, Any], path: str = "") -> dict[str, str]:
    """All figures that the sample gives count as set."""
    found: dict[str, str] = {}
    for key, value in keys.items():
        found |= _set_by(value, f"{path}{key}.") if isinstance(value, dict) else {path + key: "set"}
    return found
