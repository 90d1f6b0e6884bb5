"""A week's orders of the sample workshop: a queue with due dates, a mixed plate, and an afternoon away."""

from __future__ import annotations

from datetime import timedelta

from sqlalchemy.orm import Session

from meanbead import services, store
from meanbead.core.model.plate import PlateItem
from meanbead.services.day import local_now
from meanbead.store.tables import HoursException, Part, PlateRow, QueueItem, RecipeRow, plain

__all__ = ["add_sample_queue"]

_ORDERS: tuple[tuple[str, str, int, int, float | None, int, bool, str], ...] = (
    ("Bin tag", "Fine lettering", 72, 6, 2, 0, False, "for the seed drawers"),
    ("Shelf bracket", "Workhorse", 40, 4, 4, 1, False, "market stall"),
    ("Herb trough", "One wall more", 14, 1, 4.5, 0, True, ""),
    ("Domed knob", "Everyday", 64, 8, 5, 0, True, ""),
    ("Flag post", "Four at once", 24, 4, None, 0, False, ""),
    ("Snow owl", "Everyday", 4, 1, 6, 0, False, "gifts"),
    ("Drain plate", "Everyday", 2, 1, None, -1, False, ""),
)
"""Part, column, pieces, on a plate, due in days, priority, whether the plan may pick, note."""

_PLATE = "Desk set"
_ON_PLATE = {"Domed knob": 2, "Bin tag": 2, "Flag post": 1}


def add_sample_queue(db: Session) -> None:
    """Queue a believable week."""
    evening = local_now().replace(hour=18, minute=0, second=0)
    parts = {part.name: part for part in store.rows.all_rows(db, Part)}
    for number, (name, column, pieces, at_once, due, priority, pick, note) in enumerate(_ORDERS):
        row = _column(db, parts.get(name), column)
        if row is None:
            continue
        db.add(
            QueueItem(
                key=f"sample-queue-{number:02d}",
                name=name,
                recipe_id=row.id,
                quantity=pieces,
                per_plate=at_once,
                due_at=None if due is None else evening + timedelta(days=due),
                priority=priority,
                may_pick=pick,
                machine_ids=[],
                note=note,
            )
        )
    away = evening.replace(hour=12) + timedelta(days=2)
    db.add(HoursException(name="Market stall", from_at=away, to_at=away + timedelta(hours=6)))
    _plate(db, parts)
    db.flush()


def _column(db: Session, part: Part | None, name: str) -> RecipeRow | None:
    rows = [] if part is None else store.recipes.recipes_of(db, part.id)
    return next((row for row in rows if row.name == name), None)


def _plate(db: Session, parts: dict[str, Part]) -> None:
    column = _column(db, parts.get("Domed knob"), "Everyday")
    if column is None or not set(_ON_PLATE) <= set(parts):
        return
    row = PlateRow(name=_PLATE, recipe_id=column.id, machine_id=column.machine_id, items=[])
    db.add(row)
    db.flush()
    counts = {parts[name].id: count for name, count in _ON_PLATE.items()}
    loaded = services.plates.load_plate(db, row, [PlateItem(part_id=part_id) for part_id in counts])
    row.items = [plain(item) for item in services.plates.arranged(loaded, counts)]
    db.flush()
