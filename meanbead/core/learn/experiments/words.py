"""An experiment's verdict as a sentence, and what of the workshop it could be kept in."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Literal

from meanbead.core.learn.experiments.grid import Varied
from meanbead.core.learn.experiments.verdict import CellData, Verdict
from meanbead.core.model.base import Result
from meanbead.core.model.experiment import CellLevels, Level

__all__ = ["Keeping", "keepings", "sentence"]

Words = Callable[[str, Level], str]


class Keeping(Result):
    """Something of the workshop that a cell could be kept in: a house rule (``key``, ``value``), a limit of what the part is for, a machine's
    clean limit, or a house recipe; ``words`` says it on a button, ``because`` beside it."""

    kind: Literal["house_rule", "purpose", "machine", "recipe"]
    key: str
    value: str | float
    words: str
    because: str


def sentence(
    verdict: Verdict, cells: Sequence[CellData], factors: Mapping[str, Varied], words: Words, measure: str
) -> str:
    """What the experiment says, in one or two sentences; empty where there is nothing to say yet."""
    parts = []
    if verdict.fastest is not None:
        fastest = cells[verdict.fastest]
        named = ", ".join(words(name, level) for name, level in fastest.levels.items())
        faulted = any(cell.faulted for cell in cells)
        parts.append(
            f"{named} is the fastest that nobody faulted"
            if faulted
            else f"{named} is the fastest, and nobody faulted any"
        )
    for name, knee in verdict.knee.items():
        parts.append(
            f"{100 * knee.had:.0f} % of the whole saving by {factors[name].label.lower()} is had at {words(name, knee.level)}"
            + (f", {knee.next_saves_s / 60:.0f} min more at the next step" if knee.next_saves_s >= 30 else "")
        )
    if verdict.differences:
        best = _best(verdict)
        winners = [", ".join(words(name, level) for name, level in cells[place].levels.items()) for place in best]
        how = f"by {measure}" if any(one.of == "measured" for one in verdict.differences) and measure else "in looks"
        if len(winners) == 1:
            parts.append(f"{winners[0]} is the best {how}, beyond scatter")
        elif len(winners) <= 3:
            parts.append(f"{' and '.join(winners)} are the best {how}, and no difference between them is sure")
        else:
            parts.append(f"some differ {how} beyond scatter")
    elif verdict.need:
        parts.append(f"no difference in {measure or 'what was measured'} beyond gauge and scatter")
    elif verdict.ranking is not None:
        parts.append("no difference in looks that is sure yet")
    text = "; ".join(parts)
    return text[:1].upper() + text[1:] + "." if text else ""


def _best(verdict: Verdict) -> list[int]:
    """Cells that are better than some other for sure, and worse than none."""
    wins = {one.better for one in verdict.differences if one.better is not None}
    losses = {place for one in verdict.differences for place in one.pair if place != one.better}
    return sorted(wins - losses)


def keepings(levels: CellLevels, words: Words) -> list[Keeping]:
    """What a cell could be kept in."""
    found = [
        Keeping(kind="recipe", key="", value="", words="Keep as a house recipe", because="to start other parts from")
    ]
    for name, level in levels.items():
        if isinstance(level, str | bool):
            continue
        value = float(level)
        if name == "acceleration_mm_s2.outer_wall":
            found.append(
                Keeping(
                    kind="machine",
                    key="clean_acceleration_mm_s2",
                    value=value,
                    words=f"Clean acceleration of the machine: {value:g} mm/s²",
                    because="outer walls stay below it",
                )
            )
        if name == "speed_mm_s.outer_wall":
            found.append(
                Keeping(
                    kind="purpose",
                    key="outer_speed_mm_s",
                    value=value,
                    words=f"Fastest outer wall of what the part is for: {value:g} mm/s",
                    because="levers and search stay below it",
                )
            )
        if name == "infill.density":
            found.append(
                Keeping(
                    kind="purpose",
                    key="infill_density",
                    value=value,
                    words=f"Least filling of what the part is for: {100 * value:.0f} %",
                    because="levers and search stay above it",
                )
            )
        if name == "height_share" and value <= 0.8:
            school = "three_quarters" if value <= 0.75 else "four_fifths"
            found.append(
                Keeping(
                    kind="house_rule",
                    key="layer_height_ceiling",
                    value=school,
                    words=f"House rule: layers up to {'0.75' if value <= 0.75 else '0.8'} of the bore",
                    because="what recipes leave open follows it",
                )
            )
        if name == "infill.lines_side_by_side" and value >= 2:
            found.append(
                Keeping(
                    kind="house_rule",
                    key="strength",
                    value="doubled_lines",
                    words="House rule: strength by doubled lines",
                    because="advice on strength follows it",
                )
            )
    return found
