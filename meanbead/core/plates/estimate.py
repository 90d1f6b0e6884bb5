"""What a whole plate takes, with each part's share; and what a plate full of one part comes to."""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np
import shapely
from numpy.typing import NDArray

from meanbead.core.errors import MeanBeadError
from meanbead.core.estimate.engine import Engine, PrintJob
from meanbead.core.model import Estimate, Recipe
from meanbead.core.model.base import Result
from meanbead.core.model.estimate import Causes, FeatureShare
from meanbead.core.model.printer import HeadBox
from meanbead.core.model.recipe import Copies
from meanbead.core.model.shop import Attendance
from meanbead.core.part.solid import Solid
from meanbead.core.plates.check import Trouble, print_order
from meanbead.core.plates.outline import Placed, merged_solid, outline_of, stood
from meanbead.core.plates.pack import pack
from meanbead.core.runtime.progress import ProgressCallback, no_progress
from meanbead.core.schedule import plates_per_day

__all__ = ["FillStep", "Filled", "PlateEstimate", "PlateShare", "estimate_plate", "fill_plate", "gap_of"]

_LIFT_S = 4.0
"""Between two parts one after the other the head lifts over what stands, travels and comes down: a judgement of the seconds."""


class PlateShare(Result):
    """One part's share of a plate: seconds, grams and cost."""

    item: int
    time_s: float
    filament_g: float
    cost: float


class PlateEstimate(Result):
    """A plate's estimate, and each part's share of it: the shares add up to the whole. ``order`` is that of printing, one after
    the other; empty layer by layer."""

    estimate: Estimate
    shares: list[PlateShare]
    order: list[int]


class FillStep(Result):
    """A plate with so many of a part: seconds, grams and cost in all and of a piece, the chance that the plate fails, what a good
    piece costs then, and how many a day one machine makes."""

    count: int
    print_time_s: float
    whole_time_s: float
    piece_s: float
    filament_g: float
    piece_g: float
    risk: float
    cost_of_good: float
    per_day: float


class Filled(Result):
    """Plates with one part up to as many as fit. ``best`` is the count with the most pieces a day, ``cheapest`` that with the
    least cost of a good piece."""

    most: int
    steps: list[FillStep]
    best: int
    cheapest: int
    says: str


def gap_of(job: PrintJob) -> tuple[float, float]:
    """Room that a recipe asks for between parts, and its brim, mm."""
    from meanbead.core.estimate.job import prepare

    shape = prepare(job).plan.shape
    brim = shape.brim_width_mm if shape.adhesion in ("brim", "raft") else 0.0
    return shape.copies.gap_mm, brim


def estimate_plate(
    engine: Engine,
    job: PrintJob,
    solids: Sequence[Solid],
    placed: Sequence[Placed],
    head: HeadBox | None = None,
    progress: ProgressCallback = no_progress,
) -> PlateEstimate:
    """Estimate all parts of a plate with one recipe (``job`` without its own solid's part in it).

    Layer by layer the plate is one solid: layers are shared, each cools while the others are laid, and the way from part to
    part is travelled. A stroke's seconds and plastic go to the part that it lies over; travels, waiting and what lies
    around all parts are shared by what each takes itself. With a ``head`` the parts are printed one after the other: each
    by itself, with the way to the next. Raises :class:`MeanBeadError` where there is no order in which that works.
    """
    if not placed:
        raise MeanBeadError("There is nothing on the plate.", field="items", remedy="Add a part.")
    single = job.recipe.model_copy(update={"copies": Copies()})
    job = replace(job, recipe=single)
    if head is not None:
        return _in_turn(engine, job, solids, placed, head, progress)
    whole = replace(job, solid=merged_solid(list(solids), list(placed)))
    progress(0.1, "the whole plate")
    estimate = engine.estimate(whole)
    progress(0.7, "whose strokes are whose")
    owner = _owners(engine, whole, solids, placed)
    detail = engine.detail(whole)
    laid = owner >= 0
    seconds = np.bincount(owner[laid], detail.time_s[laid], minlength=len(placed)).astype(np.float64)
    volume = detail.strokes.area_mm2 * detail.strokes.length_mm
    grams = np.bincount(owner[laid], volume[laid], minlength=len(placed)).astype(np.float64)
    return PlateEstimate(estimate=estimate, shares=_shares(estimate, seconds, grams), order=[])


def _owners(engine: Engine, whole: PrintJob, solids: Sequence[Solid], placed: Sequence[Placed]) -> NDArray[np.int64]:
    """Of each stroke the part that it is laid for, -1 for travels and what lies around all."""
    from meanbead.core.strokes.features import Feature

    strokes = engine.detail(whole).strokes
    kinds = [outline_of(solid) for solid in solids]
    outlines = [one.outline(kinds) for one in placed]
    # The merged solid has its middle on the origin.
    points = np.concatenate([stood(solids[one.of], one)[:, :2] for one in placed])
    middle = (points.min(axis=0) + points.max(axis=0)) / 2
    tree = shapely.STRtree(outlines)
    laid = np.flatnonzero(~strokes.is_travel & (strokes.feature != int(Feature.SKIRT)))
    owner = np.full(len(strokes), -1, dtype=np.int64)
    halves = (strokes.start_xy[laid] + strokes.end_xy[laid]) / 2 + middle
    owner[laid] = tree.nearest(shapely.points(halves))
    return owner


def _shares(estimate: Estimate, seconds: NDArray[np.float64], grams: NDArray[np.float64]) -> list[PlateShare]:
    """Shares that add up to the whole, in proportion to what each takes itself."""
    of_time = seconds / max(float(seconds.sum()), 1e-12)
    of_grams = grams / max(float(grams.sum()), 1e-12)
    by_time = estimate.cost - estimate.filament_cost
    return [
        PlateShare(
            item=place,
            time_s=float(of_time[place] * estimate.print_time_s),
            filament_g=float(of_grams[place] * estimate.filament_g),
            cost=float(of_grams[place] * estimate.filament_cost + of_time[place] * by_time),
        )
        for place in range(len(seconds))
    ]


def _in_turn(
    engine: Engine,
    job: PrintJob,
    solids: Sequence[Solid],
    placed: Sequence[Placed],
    head: HeadBox,
    progress: ProgressCallback,
) -> PlateEstimate:
    order = print_order([outline_of(solid) for solid in solids], placed, head)
    if isinstance(order, Trouble):
        raise MeanBeadError(
            f"One after the other this does not work: parts {', '.join(str(item + 1) for item in order.items)} {order.says}.",
            field="items",
            remedy="Move them apart, or print layer by layer.",
        )
    alone: dict[tuple[int, float], Estimate] = {}
    for number, one in enumerate(placed):
        if (one.of, one.turn_deg) not in alone:
            progress(0.1 + 0.8 * number / len(placed), f"part {number + 1} of {len(placed)}")
            turned = merged_solid([solids[one.of]], [Placed(0, 0.0, 0.0, one.turn_deg)])
            alone[one.of, one.turn_deg] = engine.estimate(replace(job, solid=turned))
    parts = [alone[placed[place].of, placed[place].turn_deg] for place in range(len(placed))]
    speed = job.printer.max_speed_mm_s
    ways = [
        math.dist((placed[a].x_mm, placed[a].y_mm), (placed[b].x_mm, placed[b].y_mm)) / min(speed.x, speed.y) + _LIFT_S
        for a, b in itertools.pairwise(order)
    ]
    between = sum(ways)
    whole = _summed([parts[place] for place in order], between)
    seconds = np.array([part.print_time_s for part in parts])
    grams = np.array([part.filament_g for part in parts])
    return PlateEstimate(estimate=whole, shares=_shares(whole, seconds, grams), order=order)


def _summed(parts: Sequence[Estimate], between_s: float) -> Estimate:
    """One estimate of several prints on one plate: heated up once."""
    first = parts[0]
    added = [
        "filament_mm",
        "filament_mm3",
        "filament_g",
        "filament_cost",
        "power_cost",
        "wear_cost",
        "lost_mm3",
        "overfilled_mm3",
        "void_mm3",
        "infill_asked_mm3",
        "under_extruded_mm3",
        "short_layers",
        "hanging_mm2",
        "left_out_mm2",
        "returns_mm",
        "layers",
        "layers_planned",
        "travel_mm",
        "retractions",
    ]
    sums = {name: sum(getattr(part, name) for part in parts) for name in added}
    took = sum(part.print_time_s for part in parts) + between_s
    causes = {name: sum(getattr(part.by_cause, name) for part in parts) for name in Causes.model_fields}
    causes["travelling_s"] += between_s
    names = dict.fromkeys(name for part in parts for name in part.by_feature)
    features = {name: _feature([part.by_feature[name] for part in parts if name in part.by_feature]) for name in names}
    low = sum(part.interval.low_s for part in parts) + between_s
    high = sum(part.interval.high_s for part in parts) + between_s
    return first.model_copy(
        update=sums
        | {
            "print_time_s": took,
            "whole_time_s": took + first.whole_time_s - first.print_time_s,
            "cost": sum(part.cost for part in parts),
            "height_mm": max(part.height_mm for part in parts),
            "peak_flow_mm3_s": max(part.peak_flow_mm3_s for part in parts),
            "by_cause": Causes(**causes),
            "by_feature": features,
            "interval": first.interval.model_copy(update={"low_s": low, "high_s": high}),
        }
    )


def _feature(shares: Sequence[FeatureShare]) -> FeatureShare:
    return FeatureShare(
        time_s=sum(share.time_s for share in shares),
        filament_mm=sum(share.filament_mm for share in shares),
        filament_g=sum(share.filament_g for share in shares),
        length_mm=sum(share.length_mm for share in shares),
        peak_flow_mm3_s=max(share.peak_flow_mm3_s for share in shares),
        asked_flow_mm3_s=max(share.asked_flow_mm3_s for share in shares),
        capped=any(share.capped for share in shares),
    )


def fill_plate(
    engine: Engine,
    job: PrintJob,
    attended: Attendance,
    fails_per_h: float,
    *,
    most: int = 200,
    progress: ProgressCallback = no_progress,
) -> Filled:
    """How many of a part fit on a plate, and what each count comes to.

    Layer by layer, on a sample of layers: the copies stand as :func:`~meanbead.core.plates.pack.pack` has them only for the
    question how many fit. A plate fails with ``1 - exp(-rate x hours)``, and then all of it is lost; a good piece costs
    ``cost / (count x chance)``. Pieces a day follow from the hours in which someone is there.
    """
    gap, brim = gap_of(job)
    fit = len(pack([outline_of(job.solid, brim)], [most], job.printer.bed_mm, gap))
    if not fit:
        raise MeanBeadError(
            "Not even one fits on this machine's bed.", field="machine_id", remedy="Choose a larger one."
        )
    counts = sorted(
        {1, 2, 3, 4, 6, 8, fit, *(round(fit * share) for share in (0.25, 0.5, 0.75))} & set(range(1, fit + 1))
    )
    steps = []
    for number, count in enumerate(counts):
        progress(number / len(counts), f"{count} on a plate")
        recipe = job.recipe.model_copy(update={"copies": Copies(count=count)})
        made = engine.sampled(replace(job, recipe=Recipe.model_validate(recipe)), 16).estimate
        hours = made.whole_time_s / 3600
        chance = math.exp(-fails_per_h * hours)
        steps.append(
            FillStep(
                count=count,
                print_time_s=made.print_time_s,
                whole_time_s=made.whole_time_s,
                piece_s=made.whole_time_s / count,
                filament_g=made.filament_g,
                piece_g=made.filament_g / count,
                risk=1 - chance,
                cost_of_good=made.cost / (count * chance),
                per_day=count * plates_per_day(made.whole_time_s, attended) * chance,
            )
        )
    best = max(steps, key=lambda step: step.per_day)
    cheapest = min(steps, key=lambda step: step.cost_of_good)
    one = steps[0]
    says = (
        f"{fit} fit. {best.count} on a plate give {best.per_day:.1f} good pieces a day, one by one {one.per_day:.1f}; "
        f"of the counts that were tried."
    )
    return Filled(most=fit, steps=steps, best=best.count, cheapest=cheapest.count, says=says)
