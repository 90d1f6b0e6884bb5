"""Which pieces there are: what each asks, how it is judged, and which findings its answer cures."""

from __future__ import annotations

from typing import Literal

from meanbead.core.errors import MeanBeadError
from meanbead.core.model.base import Result

__all__ = ["KINDS", "PieceKind", "PieceName", "kind_of"]

PieceName = Literal["acceleration", "overhang", "bridge", "pull", "temperature", "narrow_line", "flow_spiral"]


class PieceKind(Result):
    """A kind of piece. ``judge`` says what to look for, ``pick`` which band to mark, ``gives`` what the answer becomes."""

    name: PieceName
    title: str
    question: str
    judge: str
    pick: str
    gives: str
    cures: list[str]


KINDS: tuple[PieceKind, ...] = (
    PieceKind(
        name="acceleration",
        title="Clean acceleration",
        question="How hard may the outer wall be thrown around corners before it shows?",
        judge="Hold it against slanting light and look beside the sharp corners and the letters: ripple, doubled edges, bulges.",
        pick="the highest band without ripple or bulge",
        gives="the machine's clean acceleration",
        cures=["ripples"],
    ),
    PieceKind(
        name="overhang",
        title="Overhang fan",
        question="How steep may an overhang be before it droops?",
        judge="Look at the underside of each leaf: curled edges, loose loops, drooping lines.",
        pick="the steepest leaf whose underside is clean",
        gives="an overhang limit for this bore and height",
        cures=["overhang"],
    ),
    PieceKind(
        name="bridge",
        title="Bridge ladder",
        question="How far does a bridge hang straight, and at which speed and flow?",
        judge="Look along the underside of the rungs: strands that hang through, or gaps between them.",
        pick="the band whose rungs are best, and its longest straight rung",
        gives="the machine's longest bridge, and speed and flow for this plastic",
        cures=["long_bridge", "fast_bridge", "rich_bridge"],
    ),
    PieceKind(
        name="pull",
        title="Pull towers",
        question="How little pull leaves no strings?",
        judge="Look between the two towers: hairs, blobs where a wall begins.",
        pick="the band with the least pull that shows no strings",
        gives="the machine's pull length",
        cures=["too_much_travel", "short_hops"],
    ),
    PieceKind(
        name="temperature",
        title="Temperature tower",
        question="How hot does this spool like to be printed?",
        judge="Look at strings in the windows, drooping lintels and gloss; break it between bands for strength.",
        pick="the band that looks best, and the coldest that still holds together",
        gives="temperature and window of this plastic",
        cures=["material_window", "hotter_than_needed"],
    ),
    PieceKind(
        name="narrow_line",
        title="Narrow line",
        question="How fast may a wall narrower than the bore be laid?",
        judge="Look for gaps, lifted corners and walls that tear when they are bent.",
        pick="the fastest band whose walls are whole",
        gives="the machine's speed for narrow lines",
        cures=["narrow_line_fast"],
    ),
    PieceKind(
        name="flow_spiral",
        title="Flow spiral",
        question="How much does it melt, without a scale?",
        judge="Look at the wall between the grooves: matte and rough, thin and open, gaps.",
        pick="the highest band whose wall is even and closed",
        gives="a flow test with what was seen, to be used in estimates",
        cures=["melt_cap", "flow_margin"],
    ),
)


def kind_of(name: str) -> PieceKind:
    """A kind by its name. Raises :class:`MeanBeadError`."""
    found = next((kind for kind in KINDS if kind.name == name), None)
    if found is None:
        raise MeanBeadError(f"There is no test piece {name!r:.40}.", field="kind")
    return found
