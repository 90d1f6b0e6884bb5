"""What the API takes and gives: test pieces."""

from __future__ import annotations

from datetime import date
from typing import Any

from meanbead.api.schema import RowId, Schema, Version
from meanbead.core.testpieces import Band, Judged, PieceKind
from meanbead.core.testpieces.kinds import PieceName
from meanbead.store.tables import TestPieceRow


class TestPieceOut(Schema):
    """A piece that was made: its bands, the part that shows it, and what was seen. ``sentence`` is its answer, from ``judged_on``."""

    id: int
    name: str
    version: int
    kind: PieceName
    machine_id: int
    nozzle_id: int
    material_id: int
    machine_name: str
    nozzle_name: str
    material_name: str
    made_on: date
    part_id: int | None
    column_id: int | None
    bands: list[Band]
    spans_mm: list[float]
    temp_c: float
    print_time_s: float
    filament_g: float
    judged: Judged | None
    judged_on: date | None
    sentence: str
    flow_test_id: int | None


class TestPiecesOut(Schema):
    """All kinds of pieces, and those that were made, the newest first."""

    kinds: list[PieceKind]
    pieces: list[TestPieceOut]


class TestPieceAdd(Schema):
    """A piece to be made."""

    kind: PieceName
    machine_id: RowId
    nozzle_id: RowId
    material_id: RowId


class JudgeAsk(Schema):
    """What was seen on a piece."""

    version: Version
    judged: Judged


def test_piece_out(row: TestPieceRow) -> TestPieceOut:
    """A piece's row as it is given out."""
    setup: dict[str, Any] = row.setup
    result: dict[str, Any] = row.result or {}
    return TestPieceOut(
        id=row.id,
        name=row.name,
        version=row.version,
        kind=row.kind,
        machine_id=row.machine_id,
        nozzle_id=row.nozzle_id,
        material_id=row.material_id,
        machine_name=row.machine.name,
        nozzle_name=row.nozzle.name,
        material_name=row.material.name,
        made_on=row.created_at.date(),
        part_id=row.part_id,
        column_id=setup.get("column_id"),
        bands=[Band.model_validate(band) for band in setup["bands"]],
        spans_mm=setup["spans_mm"],
        temp_c=setup["temp_c"],
        print_time_s=setup["print_time_s"],
        filament_g=setup["filament_g"],
        judged=Judged.model_validate(result["judged"]) if result else None,
        judged_on=date.fromisoformat(result["on"]) if result else None,
        sentence=result.get("sentence", ""),
        flow_test_id=result.get("flow_test_id"),
    )
