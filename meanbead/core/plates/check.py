"""What is wrong with a plate: parts that touch or leave the bed; and, one after the other, what head and gantry would hit."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import shapely
import shapely.affinity

from meanbead.core.model.printer import BedMm, HeadBox
from meanbead.core.plates.outline import Placed, Standing

__all__ = ["Trouble", "print_order", "troubles"]

_TOUCH_MM = 1e-3


@dataclass(frozen=True)
class Trouble:
    """Something that cannot be printed as it stands; ``items`` are the places of the parts that it is about."""

    kind: Literal["bed", "near", "head", "gantry", "high"]
    items: tuple[int, ...]
    says: str


def troubles(
    kinds: Sequence[Standing], placed: Sequence[Placed], bed: BedMm, gap_mm: float, head: HeadBox | None = None
) -> list[Trouble]:
    """Everything that is wrong. With a ``head`` the parts are printed one after the other; then pairs that stand in each other's
    way in both orders, and circles of them, are told as well."""
    outlines = [one.outline(list(kinds)) for one in placed]
    room = shapely.box(-bed.x / 2, -bed.y / 2, bed.x / 2, bed.y / 2)
    found = []
    for place, outline in enumerate(outlines):
        if not room.buffer(_TOUCH_MM).contains(outline):
            found.append(Trouble("bed", (place,), "leaves the bed"))
        if kinds[placed[place].of].height_mm > bed.z + 1e-6:
            found.append(Trouble("high", (place,), f"is higher than the {bed.z:g} mm that the machine prints"))
    if len(outlines) > 1:
        tree = shapely.STRtree(outlines)
        for one, other in tree.query(outlines, predicate="dwithin", distance=gap_mm).T:
            if one >= other:
                continue
            apart = float(shapely.distance(outlines[one], outlines[other]))
            if apart < gap_mm - _TOUCH_MM:
                says = "touch" if apart <= 0 else f"stand {apart:.1f} mm apart; {gap_mm:g} mm are asked for"
                found.append(Trouble("near", (int(one), int(other)), says))
    if head is not None and not any(trouble.kind == "near" for trouble in found):
        order = print_order(kinds, placed, head)
        if isinstance(order, Trouble):
            found.append(order)
    return found


def print_order(kinds: Sequence[Standing], placed: Sequence[Placed], head: HeadBox) -> list[int] | Trouble:
    """An order, one after the other, in which neither head nor gantry meets what stands already; or the circle of parts for which
    there is none.

    While a part is printed, the head's box sweeps over its outline at the nozzle's height, from the bed up: what stands in
    that sweep has to come later. The gantry sweeps over the bed's whole width, above ``gantry_mm``: what is higher than
    that and lies in its way has to come later as well. An order exists where these demands have no circle (a
    topological order; Kahn 1962).
    """
    import networkx  # a quarter of a second to load, and few ask for it

    outlines = [one.outline(list(kinds)) for one in placed]
    boxes = [shapely.bounds(outline) for outline in outlines]
    after = networkx.DiGraph()
    after.add_nodes_from(range(len(placed)))
    why: dict[tuple[int, int], str] = {}
    for one in range(len(placed)):
        sweep = _swept(outlines[one], head)
        y0, y1 = boxes[one][1] - head.gantry_deep_mm, boxes[one][3] + head.gantry_deep_mm
        for other in range(len(placed)):
            if one == other:
                continue
            reached = bool(shapely.intersects(sweep, outlines[other]))
            high = kinds[placed[other].of].height_mm > head.gantry_mm
            below = high and boxes[other][1] < y1 and boxes[other][3] > y0
            if reached or below:
                # The other must not stand there yet: this one first.
                after.add_edge(one, other)
                why[one, other] = "head" if reached else "gantry"
    try:
        # From back to front among those that are free, so that finished parts stand behind the head.
        order = networkx.lexicographical_topological_sort(
            after, key=lambda k: (-float(boxes[k][3]), float(boxes[k][0]))
        )
        return [int(place) for place in order]
    except networkx.NetworkXUnfeasible:
        circle = networkx.find_cycle(after)
        items = tuple(int(edge[0]) for edge in circle)
        kind: Literal["head", "gantry"] = (
            "head" if any(why[edge[0], edge[1]] == "head" for edge in circle) else "gantry"
        )
        return Trouble(kind, items, f"stand in the {kind}'s way whichever is printed first")


def _swept(outline: shapely.Geometry, head: HeadBox) -> shapely.Geometry:
    """Where the head's box comes while its nozzle is anywhere over an outline: the Minkowski sum with the box, of the outline's
    hull, which the nozzle crosses on its travels."""
    hull = shapely.convex_hull(outline)
    corners = [
        shapely.affinity.translate(hull, x, y)
        for x in (-head.left_mm, head.right_mm)
        for y in (-head.front_mm, head.back_mm)
    ]
    # The sum of two convex shapes is the hull of one, moved to the corners of the other.
    return shapely.convex_hull(shapely.union_all(corners))
