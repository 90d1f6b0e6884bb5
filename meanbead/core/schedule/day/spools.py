"""Which spool is on which machine when: planned, reserved and used, what runs out, and what has to be bought."""

from __future__ import annotations

import math
from collections.abc import Sequence
from datetime import datetime, timedelta

from meanbead.core.model.base import Model, NonNegative, Result
from meanbead.core.model.day import DayPlan, PlannedRun

__all__ = ["Fitted", "Shopping", "SpoolAhead", "SpoolStock", "SpoolsAhead", "spools_ahead"]

RESERVED_H = 24.0
"""What starts within a day, or is pinned, holds its spool."""

_NEARLY_EMPTY_G = 30.0


class SpoolStock(Model):
    """A spool on the shelf or on a machine: what it holds, of which plastic (as jobs name it)."""

    id: int
    name: str
    material: str
    left_g: NonNegative
    machine: str = ""
    used_g: NonNegative = 0


class SpoolAhead(Result):
    """A spool's days: what running prints take of it (``used_g``), what is held by runs that start within a day or are pinned
    (``reserved_g``), and all that is planned on it. ``nearly_empty_at`` is when less than a little is left, ``after_g`` what is left
    after the plan."""

    id: int
    name: str
    material: str
    machine: str
    left_g: float
    used_g: float
    reserved_g: float
    planned_g: float
    after_g: float
    nearly_empty_at: datetime | None


class Shopping(Result):
    """What has to be bought of a plastic: grams that no spool on the shelf covers, as spools, by when, at what cost."""

    material: str
    grams: float
    spools: int
    needed_by: datetime
    cost: float
    jobs: list[str]


class Fitted(Result):
    """The spool of a run: its name, or that one has to be bought."""

    job: str
    copy_number: int
    spool_id: int | None
    spool: str


class SpoolsAhead(Result):
    """All spools, what has to be bought, and each run's spool."""

    spools: list[SpoolAhead]
    shopping: list[Shopping]
    fitted: list[Fitted]


def spools_ahead(
    plan: DayPlan,
    stock: Sequence[SpoolStock],
    now: datetime,
    *,
    full_g: float = 1000.0,
    price_per_kg: dict[str, float] | None = None,
) -> SpoolsAhead:
    """Fit spools to a plan's runs, in the order of their starts.

    A machine keeps its spool until the plan changes it, or it has too little. A new one is the fullest use of the shelf:
    the spool with the least that is enough for all runs up to the machine's next change, else the fullest that is enough for
    this run. Where none is, grams are bought, counted in full spools. Best fit is a good rule, no proof.
    """
    left = {spool.id: spool.left_g - spool.used_g for spool in stock}
    by_id = {spool.id: spool for spool in stock}
    on = {spool.machine: spool.id for spool in stock if spool.machine}
    reserved = dict.fromkeys(left, 0.0)
    planned = dict.fromkeys(left, 0.0)
    empty: dict[int, datetime] = {}
    needs: dict[str, tuple[float, datetime, list[str]]] = {}
    fresh: dict[str, float] = {}
    fitted = []
    rows: dict[str, list[PlannedRun]] = {}
    for run in sorted(plan.runs, key=lambda one: one.start):
        rows.setdefault(run.machine, []).append(run)
    for run in sorted(plan.runs, key=lambda one: one.start):
        row = rows[run.machine]
        place = row.index(run)
        current = on.get(run.machine)
        good = current is not None and by_id[current].material == run.material and left[current] >= run.grams - 1e-6
        if not good and run.machine in fresh and "spool" not in run.swaps and fresh[run.machine] >= run.grams:
            fresh[run.machine] -= run.grams
            _buy(needs, run)
            fitted.append(Fitted(job=run.job, copy_number=run.copy_number, spool_id=None, spool="to be bought"))
            continue
        if not good or "spool" in run.swaps:
            block = run.grams
            for later in row[place + 1 :]:
                if "spool" in later.swaps or later.material != run.material:
                    break
                block += later.grams
            taken = {spool for machine, spool in on.items() if machine != run.machine}
            free = [
                spool
                for spool in left
                if by_id[spool].material == run.material and spool not in taken and left[spool] >= run.grams - 1e-6
            ]
            enough = [spool for spool in free if left[spool] >= block - 1e-6]
            current = (
                min(enough, key=lambda s: left[s]) if enough else max(free, key=lambda s: left[s]) if free else None
            )
        if current is None:
            on.pop(run.machine, None)
            fresh[run.machine] = full_g - run.grams
            _buy(needs, run)
            fitted.append(Fitted(job=run.job, copy_number=run.copy_number, spool_id=None, spool="to be bought"))
            continue
        fresh.pop(run.machine, None)
        on[run.machine] = current
        left[current] -= run.grams
        planned[current] += run.grams
        if run.pinned or run.start - now <= timedelta(hours=RESERVED_H):
            reserved[current] += run.grams
        if left[current] < _NEARLY_EMPTY_G and current not in empty:
            empty[current] = run.end
        fitted.append(Fitted(job=run.job, copy_number=run.copy_number, spool_id=current, spool=by_id[current].name))
    prices = price_per_kg or {}
    shopping = [
        Shopping(
            material=material,
            grams=grams,
            spools=math.ceil(grams / full_g - 1e-9),
            needed_by=by,
            cost=math.ceil(grams / full_g - 1e-9) * full_g / 1000 * prices.get(material, 0.0),
            jobs=list(dict.fromkeys(jobs)),
        )
        for material, (grams, by, jobs) in sorted(needs.items(), key=lambda entry: entry[1][1])
    ]
    spools = [
        SpoolAhead(
            id=spool.id,
            name=spool.name,
            material=spool.material,
            machine=spool.machine,
            left_g=spool.left_g,
            used_g=spool.used_g,
            reserved_g=reserved[spool.id],
            planned_g=planned[spool.id],
            after_g=left[spool.id],
            nearly_empty_at=empty.get(spool.id),
        )
        for spool in stock
    ]
    return SpoolsAhead(spools=spools, shopping=shopping, fitted=fitted)


def _buy(needs: dict[str, tuple[float, datetime, list[str]]], run: PlannedRun) -> None:
    grams, by, jobs = needs.get(run.material, (0.0, run.start, []))
    needs[run.material] = (grams + run.grams, min(by, run.start), [*jobs, run.job])
