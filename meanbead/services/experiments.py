"""Experiments of the workshop: their cells as columns, the plan of their prints, and what they say."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from pydantic import ValidationError
from sqlalchemy import select
from sqlalchemy.orm import Session

from meanbead import services, store
from meanbead.core.errors import RecipeError
from meanbead.core.learn.experiments import CellData, Verdict, cell_recipe, check_grid, grid_cells, judge
from meanbead.core.learn.experiments.grid import SHARES, Setup, Varied, varied
from meanbead.core.learn.experiments.plan import CellPrint, GridPlan, plan_prints
from meanbead.core.learn.experiments.ranking import next_pair
from meanbead.core.learn.experiments.words import Keeping, keepings, sentence
from meanbead.core.model import Estimate, Material, Nozzle, Recipe
from meanbead.core.model.experiment import CellLevels, Grid, Level, Measured
from meanbead.core.recipe.choices import choices, with_value
from meanbead.core.text.explain import explain
from meanbead.store.experiments import CellRun
from meanbead.store.tables import (
    ComparisonRow,
    ExperimentRow,
    Machine,
    MaterialRow,
    MeasurementRow,
    NozzleRow,
    RecipeRow,
    ShelfRow,
)

__all__ = [
    "Cell",
    "Loaded",
    "blind_numbers",
    "level_words",
    "load",
    "measure_words",
    "pair_to_compare",
    "set_up",
    "sync_cells",
]

_ROWS: dict[str, type[ShelfRow]] = {"machine": Machine, "nozzle": NozzleRow, "material": MaterialRow}
_MANY_TRIES = 3
_MEASURES = {"none": "", "squeeze": "squeezing", "break": "breaking", "thickness": "thickness", "overhang": "overhang"}


@dataclass(frozen=True)
class Cell:
    """A cell with all that is known of it. ``marks`` say which limits it is over, ``risks`` what may go wrong; ``faulted`` that a print of it failed, or
    somebody found fault with it."""

    row: RecipeRow
    levels: CellLevels
    words: str
    estimate: Estimate | None
    problem: str
    runs: tuple[CellRun, ...]
    measured: tuple[MeasurementRow, ...]

    @property
    def marks(self) -> list[str]:
        """Limits that it is over, as sentences: it cannot or must not be printed so, or is held back by what melts."""
        if self.problem:
            return [self.problem]
        if self.estimate is None:
            return []
        held = "Held back by what the hot end melts: its speeds are not reached."
        stops = [one.sentence for one in self.estimate.findings if one.severity == "stop"]
        return [*stops, *([held] if self.estimate.melt_capped else [])]

    @property
    def risks(self) -> list[str]:
        """What may go wrong with it, as sentences."""
        if self.problem or self.estimate is None:
            return []
        return [one.sentence for one in self.estimate.findings if one.severity == "risk"]

    @property
    def printed(self) -> bool:
        """Whether a piece of it is there to be looked at."""
        return any(run.state in ("kept", "scrapped") for run in self.runs)

    @property
    def faulted(self) -> bool:
        """Whether somebody found fault with it, or a print of it failed."""
        return any(run.state in ("scrapped", "stopped") or run.faults or (run.looks or 5) <= 2 for run in self.runs)

    @property
    def real_s(self) -> list[float]:
        """Real printing times, s, a plate."""
        return [run.real_s for run in self.runs if run.real_s is not None]


@dataclass(frozen=True)
class Loaded:
    """An experiment with its cells, the plan of what is still to be printed, and what it says. ``times`` are the real ones
    where every cell has one, else what is expected."""

    row: ExperimentRow
    grid: Grid
    factors: list[Varied]
    levels: dict[str, list[str]]
    cells: list[Cell]
    plan: GridPlan
    comparisons: Sequence[ComparisonRow]
    times: Literal["real", "expected"]
    verdict: Verdict | None
    sentence: str
    keepings: list[Keeping]


def set_up(session: Session, row: ExperimentRow) -> Setup:
    """What an experiment starts from."""
    return _setup(session, row, row.machine, row.nozzle, row.material)


def _setup(session: Session, row: ExperimentRow, machine: Machine, nozzle: NozzleRow, material: MaterialRow) -> Setup:
    about = store.around.around(session)
    plastic = Material.model_validate(material.material)
    return Setup(
        Recipe.model_validate(row.choices),
        store.recipes.printer_of(session, machine, about.shop, plastic),
        Nozzle.model_validate(nozzle.nozzle),
        plastic,
        about.standards(row.part),
    )


def sync_cells(session: Session, row: ExperimentRow) -> None:
    """Have an experiment's cells be those of its grid: new ones are made, those that are in it no longer are removed, and
    one that comes back is the same as before.

    Raises :class:`RecipeError` for factors that cannot vary together and values that no recipe takes.
    """
    grid = Grid.model_validate(row.grid)
    check_grid(grid)
    wanted = grid_cells(grid)
    rows = _every_cell(session, row.id)
    base = set_up(session, row)
    for place, levels in enumerate(wanted):
        machine = store.rows.get(session, Machine, int(levels.get("machine", row.machine_id)))
        nozzle = store.rows.get(session, NozzleRow, int(levels.get("nozzle", row.nozzle_id)))
        material = store.rows.get(session, MaterialRow, int(levels.get("material", row.material_id)))
        recipe = _cell_recipe(base, levels, grid, _setup(session, row, machine, nozzle, material))
        held = store.recipes.stored_choices(recipe)
        words = ", ".join(level_words(session, name, level) for name, level in levels.items())[:120]
        found = next((cell for cell in rows if cell.cell == levels), None)
        if found is None:
            cell = RecipeRow(
                part_id=row.part_id,
                name=words,
                machine_id=machine.id,
                nozzle_id=nozzle.id,
                material_id=material.id,
                choices=held,
                position=float(place),
                experiment_id=row.id,
                cell=levels,
            )
            session.add(cell)
            continue
        if found.deleted_at is not None:
            found.deleted_at = None
        for name, value in (("choices", held), ("position", float(place)), ("name", words)):
            if getattr(found, name) != value:
                setattr(found, name, value)
    for cell in rows:
        if cell.cell not in wanted and cell.deleted_at is None:
            store.rows.delete(session, cell)
    session.flush()


def _every_cell(session: Session, experiment_id: int) -> list[RecipeRow]:

    return list(session.scalars(select(RecipeRow).where(RecipeRow.experiment_id == experiment_id)))


def _cell_recipe(base: Setup, levels: CellLevels, grid: Grid, to: Setup) -> Recipe:
    """A cell's recipe; of one that contradicts itself just its levels, so that it can be shown with the reason."""
    try:
        return cell_recipe(base, levels, grid, to)
    except ValidationError as problem:
        first = explain(problem, Recipe)[0]
        raise RecipeError(f"{first.field}: {first.message}", field="factors") from None
    except RecipeError:
        recipe = base.recipe
        for key, level in levels.items():
            if key == "height_share":
                recipe = with_value(recipe, "layer_height_mm", round(float(level) * to.nozzle.bore_mm, 4))
            elif key not in _ROWS and key not in SHARES:
                whole = varied(key).kind == "whole" and not isinstance(level, str)
                recipe = with_value(recipe, key, int(level) if whole else level)
        return recipe


def level_words(session: Session, key: str, level: Level) -> str:
    """A level as people read it."""
    if key in _ROWS and not isinstance(level, str):
        return store.rows.get(session, _ROWS[key], int(level), deleted=True).name
    if key in SHARES:
        return f"{'height' if key == 'height_share' else 'width'} {float(level):g} d"
    choice = next((one for one in choices() if one.key == key), None)
    if choice is None:
        return str(level)
    option = next((one.label for one in choice.options if one.value == level), None)
    if option is not None:
        return option
    if isinstance(level, bool):
        return f"{choice.label}: {'yes' if level else 'no'}"
    if isinstance(level, str):
        return level
    if choice.kind == "percent":
        return f"{100 * level:g} %"
    unit = f" {choice.unit}" if choice.unit else f" {choice.label.lower()}"
    return f"{level:g}{unit}"


def measure_words(grid: Grid) -> str:
    """What is measured, in a word; empty where nothing is."""
    return _MEASURES[grid.measure]


def load(session: Session, row: ExperimentRow) -> Loaded:
    """All of an experiment."""
    grid = Grid.model_validate(row.grid)
    rows = store.experiments.cells_of(session, row.id)
    about = store.around.around(session)
    digests = [services.digests.inputs_digest(cell, cell.part.digest, about) for cell in rows]
    found = store.estimates.find_estimates(session, digests)
    with_figures = [(cell, found[digest]) for cell, digest in zip(rows, digests, strict=True) if digest in found]
    known = {
        cell.id: estimate
        for (cell, _), estimate in zip(
            with_figures, services.calibrations.with_intervals(session, with_figures), strict=True
        )
    }
    runs = store.experiments.runs_of(session, [cell.id for cell in rows])
    measured = store.experiments.measurements_of(session, row.id)
    cells = []
    for cell in rows:
        seen = services.digests.shown(cell, about)
        levels = dict(cell.cell or {})
        cells.append(
            Cell(
                cell,
                levels,
                ", ".join(level_words(session, name, level) for name, level in levels.items()),
                known.get(cell.id),
                seen if isinstance(seen, str) else "",
                tuple(run for run in runs if run.recipe_id == cell.id),
                tuple(one for one in measured if one.recipe_id == cell.id),
            )
        )
    comparisons = store.experiments.comparisons_of(session, row.id)
    factors = [varied(factor.key) for factor in grid.factors]
    times: Literal["real", "expected"] = (
        "real" if cells and all(cell.real_s or cell.faulted for cell in cells) else "expected"
    )
    data = _data(cells, times)
    verdict = _verdict(grid, cells, data, comparisons)

    def words(name: str, level: Level) -> str:
        return level_words(session, name, level)

    said = ""
    kept: list[Keeping] = []
    if verdict is not None:
        said = sentence(verdict, data, {one.key: one for one in factors}, words, measure_words(grid))
        if verdict.fastest is not None:
            kept = keepings(cells[verdict.fastest].levels, words)
    return Loaded(
        row=row,
        grid=grid,
        factors=factors,
        levels={factor.key: [words(factor.key, level) for level in factor.levels] for factor in grid.factors},
        cells=cells,
        plan=_plan(session, grid, cells),
        comparisons=comparisons,
        times=times,
        verdict=verdict,
        sentence=said,
        keepings=kept,
    )


def _data(cells: Sequence[Cell], times: str) -> list[CellData]:
    found = []
    for cell in cells:
        seconds = cell.real_s
        if times == "expected":
            estimate = cell.estimate
            seconds = [] if estimate is None else [estimate.interval.expected_s or estimate.print_time_s]
        values = [Measured.model_validate(one.measured).result for one in cell.measured]
        found.append(CellData(cell.levels, seconds, values, cell.faulted))
    return found


def _verdict(
    grid: Grid, cells: Sequence[Cell], data: Sequence[CellData], comparisons: Sequence[ComparisonRow]
) -> Verdict | None:
    if not any(one.time_s or one.measured for one in data):
        return None
    place = {cell.row.id: number for number, cell in enumerate(cells)}
    pairs = [
        (place[one.better_id], place[one.other_id], one.even)
        for one in comparisons
        if one.better_id in place and one.other_id in place
    ]
    factors: dict[str, list[Level]] = {factor.key: list(factor.levels) for factor in grid.factors}
    for cell in cells:  # those that were added beside the product
        for name, level in cell.levels.items():
            if level not in factors[name]:
                factors[name].append(level)
    for levels in factors.values():
        if not any(isinstance(level, str) for level in levels):
            levels.sort(key=float)
    return judge(
        factors,
        data,
        ranks=[(better, other) for better, other, even in pairs if not even],
        evens=[(one, other) for one, other, even in pairs if even],
        gauge=grid.gauge if grid.measure != "none" else 0.0,
        share=grid.share,
        more_is_better=grid.more_is_better,
    )


def _plan(session: Session, grid: Grid, cells: Sequence[Cell]) -> GridPlan:
    prints = []
    fitted: dict[str, str] = {}
    for place, cell in enumerate(cells):
        row, estimate = cell.row, cell.estimate
        if row.machine.nozzle_id is not None:
            fitted[row.machine.name] = store.rows.get(session, NozzleRow, row.machine.nozzle_id, deleted=True).name
        if cell.problem:
            continue
        prints.append(
            CellPrint(
                place=place,
                machine=row.machine.name,
                nozzle=row.nozzle.name,
                material=row.material.name,
                temp_c=float((row.choices or {}).get("nozzle_temp_c") or 0.0),
                plates=1 if grid.together else grid.pieces,
                whole_s=0.0 if estimate is None else estimate.whole_time_s,
                filament_g=0.0 if estimate is None else estimate.filament_g,
                printed=sum(run.state in ("kept", "scrapped", "stopped") for run in cell.runs),
            )
        )
    return plan_prints(prints, fitted)


def blind_numbers(experiment_id: int, cells: Sequence[RecipeRow]) -> dict[int, int]:
    """The numbers that pieces bear while they are compared, by cell: shuffled, and always the same ones."""
    numbers = np.random.default_rng(7919 * experiment_id + 13).permutation(np.arange(1, 200))
    return {cell.id: int(numbers[place]) for place, cell in enumerate(sorted(cells, key=lambda one: one.id))}


def pair_to_compare(session: Session, row: ExperimentRow, spot: str, who: str) -> tuple[RecipeRow, RecipeRow] | None:
    """The two printed cells that somebody should compare next at a spot, in no telling order; None where everybody has met
    everybody :data:`_MANY_TRIES` times."""
    loaded = load(session, row)
    there = [place for place, cell in enumerate(loaded.cells) if cell.printed]
    places = {cell.row.id: place for place, cell in enumerate(loaded.cells)}
    met = [
        (places[one.better_id], places[one.other_id])
        for one in loaded.comparisons
        if one.spot == spot and one.who == who and one.better_id in places and one.other_id in places
    ]
    ranking = None if loaded.verdict is None else loaded.verdict.ranking
    pair = next_pair(there, ranking, met)
    if pair is None or sum(set(pair) == set(one) for one in met) >= _MANY_TRIES:
        return None
    if (sum(pair) + len(met)) % 2:
        pair = pair[::-1]
    return loaded.cells[pair[0]].row, loaded.cells[pair[1]].row
