"""Experiments: grids of recipes, pieces compared blind, and what they say in the end."""

from meanbead.core.learn.experiments.grid import cell_recipe, check_grid, grid_cells
from meanbead.core.learn.experiments.ranking import Ranking, rank_pairs
from meanbead.core.learn.experiments.verdict import CellData, Verdict, judge

__all__ = ["CellData", "Ranking", "Verdict", "cell_recipe", "check_grid", "grid_cells", "judge", "rank_pairs"]
