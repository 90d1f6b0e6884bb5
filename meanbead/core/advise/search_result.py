"""What a search answers: every allowed recipe, the line that none of them beats, and the picks on it."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from meanbead.core.advise.measures import Measures
from meanbead.core.advise.ruled_out import RuledOut
from meanbead.core.model.base import Result
from meanbead.core.model.finding import SettingValue, SetTo

__all__ = ["Against", "Evaluation", "Highlight", "SearchResult"]

Against = Literal["filament_g", "expected_cost", "ridge_mm", "bend"]
"""What time is held against."""


class Evaluation(Result):
    """A recipe of the space that the limits allow: its values, the settings that make it of the base, and its measures.
    ``full`` says that all layers were planned. Where only a sample was, the piece's print time may be off by ``bound_s``,
    and what the time is held against by ``bound_against`` (in its own unit). ``just_fits`` says that a little longer
    would cost a plate a day."""

    values: dict[str, SettingValue]
    settings: list[SetTo]
    measures: Measures
    full: bool
    bound_s: float
    bound_against: float
    just_fits: bool


class Highlight(Result):
    """One of the three that answer the question, with what it gives up beside the base, in words."""

    dot: int
    gives_up: list[str]


class SearchResult(Result):
    """``dots`` holds every allowed recipe that was computed; ``frontier`` the numbers of those computed in full that
    none of these beats, by time; ``fastest``, ``leanest`` and ``knee`` are among them.

    ``proven`` says that no dot known from a sample could still beat the line by more than a hundredth; ``open`` are the
    numbers of those that could, and ``doubt`` says in words where the line may still move. ``ruled_out`` says what kept
    most of the discarded ones out, the commonest first.
    """

    against: Against
    base: Measures
    dots: list[Evaluation]
    frontier: list[int]
    fastest: Highlight | None
    leanest: Highlight | None
    knee: Highlight | None
    space: int
    computed: int
    in_full: int
    discarded: int
    broke_limits: int
    complete: bool
    proven: bool
    open: list[int]
    doubt: str
    ruled_out: list[RuledOut] = Field(default=[])
