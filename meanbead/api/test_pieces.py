"""Test pieces over HTTP: make one, fetch its file, judge it."""

from __future__ import annotations

from apiflask import APIBlueprint
from flask import Response

from meanbead import services, store
from meanbead.api.binary import described_as
from meanbead.api.context import context, session
from meanbead.api.schema import VersionOnly
from meanbead.api.test_pieces_schemas import JudgeAsk, TestPieceAdd, TestPieceOut, TestPiecesOut, test_piece_out
from meanbead.core.errors import MeanBeadError
from meanbead.core.testpieces import KINDS
from meanbead.store.tables import Machine, MaterialRow, NozzleRow, RecipeRow, TestPieceRow

blueprint = APIBlueprint("test_pieces", __name__, url_prefix="/api", tag="Test pieces")


@blueprint.get("/test-pieces")
@blueprint.output(TestPiecesOut)
def list_pieces() -> TestPiecesOut:
    """All kinds of test pieces, and those that were made, the newest first."""
    with session() as db:
        rows = list(store.rows.all_rows(db, TestPieceRow))[::-1]
        return TestPiecesOut(kinds=list(KINDS), pieces=[test_piece_out(row) for row in rows])


@blueprint.post("/test-pieces")
@blueprint.input(TestPieceAdd)
@blueprint.output(TestPieceOut, status_code=201)
def make_test_piece(json_data: TestPieceAdd) -> TestPieceOut:
    """Make a piece for a machine, nozzle and material: a part, with the file that prints it as its column."""
    with session() as db:
        machine = store.rows.get(db, Machine, json_data.machine_id)
        nozzle = store.rows.get(db, NozzleRow, json_data.nozzle_id)
        material = store.rows.get(db, MaterialRow, json_data.material_id)
        row = services.test_pieces.add_piece(db, context().engine, json_data.kind, machine, nozzle, material)
        return test_piece_out(row)


@blueprint.get("/test-pieces/<int:row_id>.gcode")
@described_as("text/x-gcode")
def test_piece_file(row_id: int) -> Response:
    """The file that prints a piece."""
    with session() as db:
        row = store.rows.get(db, TestPieceRow, row_id)
        column = db.get(RecipeRow, row.setup.get("column_id"))
        if column is None or column.gcode_id is None:
            raise store.rows.NotFound("The file of this piece is gone.")
        content = store.gcode_files.gcode_content(db, column.gcode_id)
        name = f"test-piece-{row.kind.replace('_', '-')}-{row.id}.gcode"
    with store.gcode_files.open_gcode(content) as stream:
        response = Response(stream.read(), content_type="text/x-gcode; charset=utf-8")
    response.headers["Content-Disposition"] = f'attachment; filename="{name}"'
    return response


@blueprint.post("/test-pieces/<int:row_id>/judge")
@blueprint.input(JudgeAsk)
@blueprint.output(TestPieceOut)
def judge_piece(row_id: int, json_data: JudgeAsk) -> TestPieceOut:
    """Say what was seen; its answer stands on the shelf as measured from then on."""
    with session() as db:
        row = store.rows.get_for_edit(db, TestPieceRow, row_id, json_data.version)
        services.test_pieces.judge(db, row, json_data.judged)
        return test_piece_out(row)


@blueprint.post("/test-pieces/<int:row_id>/take-back")
@blueprint.input(VersionOnly)
@blueprint.output(TestPieceOut)
def take_back(row_id: int, json_data: VersionOnly) -> TestPieceOut:
    """Undo a judgement: what stood on the shelf before stands there again."""
    with session() as db:
        row = store.rows.get_for_edit(db, TestPieceRow, row_id, json_data.version)
        if row.result is None:
            raise MeanBeadError("Nothing was judged yet.", field="version")
        services.test_pieces.take_back(db, row)
        return test_piece_out(row)


@blueprint.post("/test-pieces/<int:row_id>/delete")
@blueprint.input(VersionOnly)
@blueprint.output(TestPieceOut)
def delete_piece(row_id: int, json_data: VersionOnly) -> TestPieceOut:
    """Take a piece off the list; what it has shown stays on the shelf."""
    with session() as db:
        row = store.rows.get_for_edit(db, TestPieceRow, row_id, json_data.version)
        store.rows.delete(db, row)
        return test_piece_out(row)


@blueprint.post("/test-pieces/<int:row_id>/restore")
@blueprint.output(TestPieceOut)
def restore_piece(row_id: int) -> TestPieceOut:
    """Undo taking a piece off the list."""
    with session() as db:
        row = store.rows.get(db, TestPieceRow, row_id, deleted=True)
        store.rows.restore(db, row)
        return test_piece_out(row)
