"""Plates: what stands on them, what is wrong with that, and a plate as a part of its own."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Sequence
from dataclasses import dataclass

import shapely
from sqlalchemy.orm import Session

from meanbead import store
from meanbead.core.errors import MeanBeadError
from meanbead.core.estimate.engine import PrintJob
from meanbead.core.model import Recipe
from meanbead.core.model.plate import PlateItem
from meanbead.core.model.printer import HeadBox
from meanbead.core.part.facts import part_facts
from meanbead.core.part.solid import Solid
from meanbead.core.plates.check import Trouble, print_order, troubles
from meanbead.core.plates.estimate import gap_of
from meanbead.core.plates.outline import Placed, Standing, merged_solid, outline_of
from meanbead.core.plates.pack import pack
from meanbead.core.runtime.cache import BoundedCache
from meanbead.services import parts, pictures
from meanbead.services.digests import inputs_digest
from meanbead.store.tables import Machine, Part, PlateRow, RecipeRow, plain

__all__ = ["MOST_ITEMS", "LoadedPlate", "arranged", "load_plate", "plate_digest", "put_together", "rings_of"]

MOST_ITEMS = 200
_OUTLINES: BoundedCache[Standing] = BoundedCache(
    16 * 1024 * 1024, lambda kind: 64 * shapely.get_num_coordinates(kind.outline)
)


@dataclass(frozen=True)
class LoadedPlate:
    """A plate with all that it is judged and estimated by. ``kinds`` are its parts' outlines with brim, in the order of
    ``part_ids``; ``head`` is None layer by layer."""

    row: PlateRow
    column: RecipeRow
    machine: Machine
    items: list[PlateItem]
    part_ids: list[int]
    solids: list[Solid]
    kinds: list[Standing]
    placed: list[Placed]
    job: PrintJob
    gap_mm: float
    head: HeadBox | None

    @property
    def troubles(self) -> list[Trouble]:
        """Everything that is wrong with it."""
        return troubles(self.kinds, self.placed, self.job.printer.bed_mm, self.gap_mm, self.head)

    @property
    def order(self) -> list[int]:
        """The order of printing, one after the other; empty layer by layer, and where there is none."""
        if self.head is None or not self.placed:
            return []
        order = print_order(self.kinds, self.placed, self.head)
        return [] if isinstance(order, Trouble) else order


def load_plate(session: Session, row: PlateRow, items: Sequence[PlateItem] | None = None) -> LoadedPlate:
    """A plate, or what it would be with other items."""
    column = store.recipes.get_recipe(session, row.recipe_id)
    if column.gcode_id is not None:
        raise MeanBeadError("A replayed file cannot be put on a plate.", field="recipe_id")
    machine = store.rows.get(session, Machine, row.machine_id, deleted=True)
    listed = [PlateItem.model_validate(item) for item in row.items] if items is None else list(items)
    part_ids = list(dict.fromkeys(item.part_id for item in listed))
    solids = []
    for part_id in part_ids:
        store.rows.get(session, Part, part_id, deleted=True)
        solids.append(store.parts.load_solid(session, part_id))
    recipe, printer, nozzle, material, standards = store.recipes.recipe_inputs(column)
    first = solids[0] if solids else store.parts.load_solid(session, column.part_id)
    job = PrintJob(first, recipe, printer, nozzle, material, standards)
    gap, brim = gap_of(job)
    head = HeadBox.model_validate(machine.head) if row.order == "one_by_one" else None
    if row.gap_mm is not None:
        gap = row.gap_mm
    return LoadedPlate(
        row=row,
        column=column,
        machine=machine,
        items=listed,
        part_ids=part_ids,
        solids=solids,
        kinds=[_outline(solid, brim) for solid in solids],
        placed=[Placed(part_ids.index(item.part_id), item.x_mm, item.y_mm, item.turn_deg) for item in listed],
        job=job,
        gap_mm=gap,
        head=head,
    )


def _outline(solid: Solid, brim_mm: float) -> Standing:
    return _OUTLINES.get((solid.digest, round(brim_mm, 3)), lambda: outline_of(solid, brim_mm))


def arranged(loaded: LoadedPlate, counts: dict[int, int], *, may_turn: bool = True) -> list[PlateItem]:
    """As many of the parts as fit, laid anew. One after the other they stand so far apart that the head passes."""
    part_ids = loaded.part_ids
    wanted = [counts.get(part_id, 0) for part_id in part_ids]
    gap = loaded.gap_mm
    if loaded.head is not None:
        head = loaded.head
        gap = max(gap, head.left_mm, head.right_mm, head.front_mm, head.back_mm)
    placed = pack(loaded.kinds, wanted, loaded.job.printer.bed_mm, gap, may_turn=may_turn)
    return [PlateItem(part_id=part_ids[one.of], x_mm=one.x_mm, y_mm=one.y_mm, turn_deg=one.turn_deg) for one in placed]


def rings_of(kind: Standing) -> list[list[tuple[float, float]]]:
    """An outline's rings around its own middle, as points in mm, the outer ones first."""
    shapes = [shape for shape in shapely.get_parts(kind.outline) if shape.geom_type == "Polygon"]
    rings = [shape.exterior for shape in shapes] + [hole for shape in shapes for hole in shape.interiors]
    return [[(round(x, 2), round(y, 2)) for x, y in ring.coords] for ring in rings]


def plate_digest(session: Session, loaded: LoadedPlate) -> str:
    """Identifies a plate's estimate by all that it is computed from."""
    part = store.rows.get(session, Part, loaded.column.part_id, deleted=True)
    content = [
        inputs_digest(loaded.column, part.digest),
        [solid.digest for solid in loaded.solids],
        [item.model_dump() for item in loaded.items],
        loaded.row.order,
        None if loaded.head is None else loaded.head.model_dump(),
    ]
    return "plate" + hashlib.sha256(json.dumps(content, sort_keys=True).encode()).hexdigest()[:59]


def put_together(session: Session, loaded: LoadedPlate) -> tuple[Part, RecipeRow]:
    """The plate as a part of its own, with one column: made, or brought up to what the plate is now. Raises
    :class:`MeanBeadError` where something is wrong with it."""
    wrong = loaded.troubles
    if not loaded.items:
        raise MeanBeadError("There is nothing on the plate.", field="items", remedy="Add a part.")
    if wrong:
        items = ", ".join(str(item + 1) for item in wrong[0].items)
        raise MeanBeadError(f"Part {items} of the plate {wrong[0].says}.", field="items", remedy="Move it first.")
    solid = merged_solid(loaded.solids, loaded.placed)
    row = loaded.row
    part = None if row.part_id is None else session.get(Part, row.part_id)
    if part is None or part.deleted_at is not None:
        part = parts.add_part(
            session,
            solid,
            name=row.name,
            file_name=f"{row.name[:240]} (plate)",
            source=b"",
            note=f"A plate of {len(loaded.items)}.",
        )
        row.part_id = part.id
    elif part.digest != solid.digest:
        part.name, part.digest = row.name, solid.digest
        part.vertices, part.faces = solid.vertices.astype("<f8").tobytes(), solid.faces.astype("<i4").tobytes()
        part.facts, part.picture = plain(part_facts(solid)), pictures.png_of(solid)
    choices = Recipe.model_validate(loaded.column.choices).model_dump(exclude_none=True, exclude_defaults=True)
    choices.pop("copies", None)
    columns = store.recipes.recipes_of(session, part.id)
    if columns:
        column = columns[0]
        column.choices, column.name = choices, loaded.column.name
    else:
        column = store.recipes.copy_recipe(session, loaded.column, part)
        column.choices = choices
    column.machine_id, column.nozzle_id, column.material_id = (
        loaded.column.machine_id,
        loaded.column.nozzle_id,
        loaded.column.material_id,
    )
    session.flush()
    session.expire(column)
    return part, store.recipes.get_recipe(session, column.id)
