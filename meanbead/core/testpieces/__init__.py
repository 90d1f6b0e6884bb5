"""Pieces that measure a machine: printed, judged by eye, and their result used."""

from meanbead.core.testpieces.kinds import KINDS, PieceKind, kind_of
from meanbead.core.testpieces.make import Band, TestPiece, make_piece, piece_gcode
from meanbead.core.testpieces.use import Judged, PrintedPiece, outcome

__all__ = [
    "KINDS",
    "Band",
    "Judged",
    "PieceKind",
    "PrintedPiece",
    "TestPiece",
    "kind_of",
    "make_piece",
    "outcome",
    "piece_gcode",
]
