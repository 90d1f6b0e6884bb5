"""Experiments that are asked for again and again, ready to be changed."""

from __future__ import annotations

from collections.abc import Sequence

from meanbead.core.model.base import Result
from meanbead.core.model.experiment import Grid, GridFactor, Level

__all__ = ["ReadyMade", "ready_made"]


class ReadyMade(Result):
    """A grid to begin with: what it asks, and what to look at when it is printed. ``part`` says which kind of piece it
    needs."""

    key: str
    name: str
    question: str
    part: str
    how: str
    caution: str
    grid: Grid


def _factor(key: str, *levels: Level) -> GridFactor:
    return GridFactor(key=key, levels=levels)


def ready_made(nozzles: Sequence[int] = (), temps_c: tuple[float, float] = (195.0, 225.0)) -> list[ReadyMade]:
    """All of them; ``nozzles`` are numbers of the shelf's, ``temps_c`` the plastic's window."""
    low, high = temps_c
    temps = tuple(float(round(low + (high - low) * k / 4)) for k in range(5))
    several = tuple(float(number) for number in nozzles[:3]) or (0.0,)
    squeeze = (
        "Measure across at the seam and at right angles to it, squeeze by the same turns of the vice or the same force at "
        "the same place, measure again. Safety glasses: pieces splinter."
    )
    return [
        ReadyMade(
            key="nozzles_by_heights",
            name="Nozzles by heights",
            question="Up to which height of which nozzle does nobody object, and what is saved beyond it?",
            part="A piece with a slope, a curve and an upright wall.",
            how="Compare pieces two by two at the same spots, without knowing which is which.",
            caution="Hot nozzle: swap with the proper tool, as its maker says.",
            grid=Grid(
                factors=(_factor("nozzle", *several), _factor("height_share", 0.3, 0.45, 0.6, 0.75)),
                spots=("slope", "curve", "upright wall"),
            ),
        ),
        ReadyMade(
            key="heights",
            name="Heights of one nozzle",
            question="From which height on does the next step save too little to be worth it?",
            part="The piece that is really printed.",
            how="Minutes tell the knee; compare looks two by two.",
            caution="",
            grid=Grid(factors=(_factor("height_share", 0.25, 0.35, 0.45, 0.55, 0.65, 0.75),), spots=("slope", "front")),
        ),
        ReadyMade(
            key="tops",
            name="Tops, one to six",
            question="How many top layers close over this infill?",
            part="A flat piece with a broad top.",
            how="Hold each top against a lamp at a low angle, and compare two by two.",
            caution="",
            grid=Grid(factors=(_factor("top_layers", 1.0, 2.0, 3.0, 4.0, 5.0, 6.0),), keep_skins=False, spots=("top",)),
        ),
        ReadyMade(
            key="infill_squeezed",
            name="Infill by lines side by side, squeezed",
            question="Are two lines side by side stiffer than twice the density, and for how much plastic?",
            part="A ring or tube of one wall, no top, about 40 mm high.",
            how=squeeze,
            caution="Strength is compared, never rated: nothing that carries people rests on it.",
            grid=Grid(
                factors=(_factor("infill.density", 0.1, 0.15, 0.2), _factor("infill.lines_side_by_side", 1.0, 2.0)),
                measure="squeeze",
                gauge=0.1,
                more_is_better=False,
                pieces=3,
            ),
        ),
        ReadyMade(
            key="outer_speed",
            name="Outer wall's speed by looks",
            question="How fast may the outer wall be before somebody minds?",
            part="A piece with corners and small lettering.",
            how="Compare two by two, at a corner and at the lettering.",
            caution="Stay at a machine that runs faster than it ever did.",
            grid=Grid(
                factors=(_factor("speed_mm_s.outer_wall", 25.0, 40.0, 60.0, 80.0, 100.0),),
                spots=("corner", "lettering"),
            ),
        ),
        ReadyMade(
            key="outer_acceleration",
            name="Acceleration by looks",
            question="Which acceleration is the last that shows no ripple?",
            part="A block with sharp corners.",
            how="Compare two by two, just behind a corner.",
            caution="Stay at a machine that runs harder than it ever did.",
            grid=Grid(
                factors=(_factor("acceleration_mm_s2.outer_wall", 400.0, 800.0, 1200.0, 1800.0, 2500.0),),
                spots=("behind a corner",),
            ),
        ),
        ReadyMade(
            key="temperature_break",
            name="Temperature by break",
            question="At which temperature do layers hold best?",
            part="A small bar that stands upright, so that layers are pulled apart.",
            how="Break each across its layers and note the force. Twenty pieces a cell beat one. Safety glasses.",
            caution="Strength is compared, never rated: nothing that could hurt someone rests on it.",
            grid=Grid(
                factors=(_factor("nozzle_temp_c", *temps),),
                measure="break",
                gauge=1.0,
                more_is_better=True,
                pieces=5,
            ),
        ),
    ]
