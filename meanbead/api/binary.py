"""Meshes and strokes as compact binary: a short head, then whole arrays, little-endian, each at a multiple of four bytes.

docs/formats.md describes both for other readers.
"""

from __future__ import annotations

import struct
from collections.abc import Callable, Iterable
from typing import Any, TypeVar

import numpy as np
from apiflask import APIBlueprint
from apiflask.schemas import FileSchema
from flask import Response
from numpy.typing import NDArray

from meanbead.core.estimate.detail import StrokeDetail
from meanbead.core.part.solid import Solid

MESH_MAGIC = b"MBM1"
STROKES_MAGIC = b"MBS2"


View = TypeVar("View", bound=Callable[..., Response])


def described_as(content_type: str) -> Callable[[View], View]:
    """Says in the description that a view answers with a file of a content type."""
    says: Callable[[View], View] = APIBlueprint("files", __name__).output(
        FileSchema(type="string", format="binary"), content_type=content_type
    )
    return says


BINARY = described_as("application/octet-stream")
PNG = described_as("image/png")

SPEED_UNIT_MM_S = 0.05
FLOW_UNIT_MM3_S = 0.005
PULLED, BEYOND_SHIFT = 1, 1
"""Flags of a stroke: bit 0 a pull before it; bits 1 to 3 what it goes beyond (:mod:`meanbead.core.gcode.drawn`)."""


def mesh_bytes(solid: Solid) -> bytes:
    """``MBM1``, counts of corners and triangles (u32), corners (f32 x 3), triangles (u32 x 3)."""
    head = MESH_MAGIC + struct.pack("<II", len(solid.vertices), len(solid.faces))
    return head + solid.vertices.astype("<f4").tobytes() + solid.faces.astype("<u4").tobytes()


def strokes_bytes(
    detail: StrokeDetail,
    rows: slice,
    resting: NDArray[np.float64] | None,
    beyond: NDArray[np.uint8] | None = None,
) -> bytes:
    """Strokes of some rows: ``MBS2``, their count (u32), start of the first (f32 x 2), then one array after the other:
    ends (f32 x 2), seconds (f32), width and height (u16, micrometres), speed (u16, 0.05 mm/s), peak flow (u16, 0.005
    mm3/s), layer (u32), feature, cause, flags and resting share (u8; 255 is all of it)."""
    strokes = detail.strokes
    count = rows.stop - rows.start
    start = strokes.start_xy[rows.start] if count else np.zeros(2)
    share = np.ones(count) if resting is None else resting
    flags = np.where(detail.pulled[rows], PULLED, 0).astype("u1")
    if beyond is not None:
        flags |= (beyond[rows] << BEYOND_SHIFT).astype("u1")
    arrays = [
        strokes.end_xy[rows].astype("<f4"),
        detail.time_s[rows].astype("<f4"),
        _short(strokes.width_mm[rows] * 1000),
        _short(strokes.height_mm[rows] * 1000),
        _short(detail.speed_mm_s[rows] / SPEED_UNIT_MM_S),
        _short(detail.flow_mm3_s[rows] / FLOW_UNIT_MM3_S),
        strokes.layer[rows].astype("<u4"),
        strokes.feature[rows].astype("u1"),
        detail.cause[rows].astype("u1"),
        flags,
        np.round(share * 255).astype("u1"),
    ]
    return STROKES_MAGIC + struct.pack("<Iff", count, start[0], start[1]) + b"".join(_padded(arrays))


def _short(values: NDArray[np.float64]) -> NDArray[np.uint16]:
    return np.clip(np.round(values), 0, 65535).astype("<u2")


def _padded(arrays: Iterable[NDArray[Any]]) -> Iterable[bytes]:
    for array in arrays:
        data = array.tobytes()
        yield data + b"\0" * (-len(data) % 4)


def binary(data: bytes, keep: bool = False) -> Response:
    """A binary answer; one whose address changes with its content may be kept."""
    response = Response(data, content_type="application/octet-stream")
    if keep:
        response.headers["Cache-Control"] = "private, max-age=31536000, immutable"
    return response
