"""In which order a grid is printed, and what that takes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from meanbead.core.model.base import Result

__all__ = ["CellPrint", "GridPlan", "PlannedPrint", "plan_prints"]


@dataclass(frozen=True)
class CellPrint:
    """A cell that is to be printed: its place, on which machine with which nozzle and plastic, at which temperature, how many
    plates, and what one plate takes. ``printed`` plates are done."""

    place: int
    machine: str
    nozzle: str
    material: str
    temp_c: float
    plates: int
    whole_s: float
    filament_g: float
    printed: int = 0


class PlannedPrint(Result):
    """A plate in its turn: the cell's place, and what has to be changed before it."""

    place: int
    machine: str
    nozzle: str
    material: str
    plates: int
    swap_nozzle: bool
    swap_material: bool
    whole_s: float
    filament_g: float


class GridPlan(Result):
    """All plates that are still to be printed, in order; hours of the machines in all, grams by plastic, and how often a
    nozzle is swapped."""

    prints: list[PlannedPrint]
    hours: float
    grams: dict[str, float]
    nozzle_swaps: int
    plates: int


def plan_prints(cells: Sequence[CellPrint], fitted: dict[str, str] | None = None) -> GridPlan:
    """The order with the fewest swaps of nozzles, then of plastics: machine by machine, all of a nozzle together, beginning
    with the one that is fitted (``fitted`` by machine); within that by plastic and from cool to hot, for a hot end heats
    faster than it cools.

    A nozzle that occurs has to be fitted once, except the one that is there: fewer swaps than that cannot be.
    """
    fitted = fitted or {}
    left = [cell for cell in cells if cell.plates > cell.printed]

    def turn(cell: CellPrint) -> tuple[object, ...]:
        return (
            cell.machine,
            cell.nozzle != fitted.get(cell.machine),
            cell.nozzle,
            cell.material,
            cell.temp_c,
            cell.place,
        )

    held: dict[str, str | None] = dict(fitted)
    loaded: dict[str, str] = {}
    prints = []
    swaps = 0
    grams: dict[str, float] = {}
    for cell in sorted(left, key=turn):
        plates = cell.plates - cell.printed
        swap = held.get(cell.machine) not in (None, cell.nozzle)
        swaps += swap
        other = loaded.get(cell.machine, cell.material) != cell.material
        held[cell.machine], loaded[cell.machine] = cell.nozzle, cell.material
        grams[cell.material] = grams.get(cell.material, 0.0) + plates * cell.filament_g
        prints.append(
            PlannedPrint(
                place=cell.place,
                machine=cell.machine,
                nozzle=cell.nozzle,
                material=cell.material,
                plates=plates,
                swap_nozzle=swap,
                swap_material=other,
                whole_s=plates * cell.whole_s,
                filament_g=plates * cell.filament_g,
            )
        )
    return GridPlan(
        prints=prints,
        hours=sum(one.whole_s for one in prints) / 3600,
        grams=grams,
        nozzle_swaps=swaps,
        plates=sum(one.plates for one in prints),
    )
