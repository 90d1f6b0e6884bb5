"""Test pieces between the store and the core: made as a part with the file that prints it, judged, and used on the shelf."""

from __future__ import annotations

import io
from typing import Any

from sqlalchemy.orm import Session

from meanbead import store
from meanbead.core.estimate.engine import Engine
from meanbead.core.model import Limits, Material, Nozzle, Printer, Recipe, Standards
from meanbead.core.model.house import HouseRules
from meanbead.core.model.shop import Shop
from meanbead.core.recipe.resolve import resolve
from meanbead.core.testpieces import Band, Judged, PrintedPiece, TestPiece, kind_of, make_piece, outcome, piece_gcode
from meanbead.services.digests import inputs_digest
from meanbead.services.estimates import computation
from meanbead.services.parts import add_part
from meanbead.store.shelf import changed_paths, marked
from meanbead.store.tables import (
    FlowPointRow,
    FlowTestRow,
    Machine,
    MaterialRow,
    NozzleRow,
    ShelfRow,
    TestPieceRow,
    now,
    plain,
)

__all__ = ["add_piece", "judge", "take_back"]


def add_piece(
    session: Session, engine: Engine, kind: str, machine: Machine, nozzle: NozzleRow, material: MaterialRow
) -> TestPieceRow:
    """Make a piece and keep it as a part whose column is the file that prints it, with its estimate. Raises
    :class:`MeanBeadError` where the machine leaves nothing to try."""
    printer, plastic, standards = _around(session, machine, material)
    its_nozzle = Nozzle.model_validate(nozzle.nozzle)
    piece = make_piece(kind, printer, its_nozzle, plastic, standards)
    text = piece_gcode(piece, printer, its_nozzle, plastic, standards)
    name = f"{piece.kind.title}, {machine.name}, {nozzle.name}"
    stem = f"test-piece-{kind.replace('_', '-')}"
    part = add_part(
        session,
        piece.solid,
        name=name,
        file_name=f"{stem}.stl",
        source=_as_stl(piece),
        note=f"A test piece: {piece.kind.pick}.",
    )
    stored = store.gcode_files.save_gcode(session, io.BytesIO(text.encode()), f"{stem}.gcode")
    column = store.recipes.add_recipe(
        session,
        part,
        name="As the file prints it",
        machine_id=machine.id,
        nozzle_id=nozzle.id,
        material_id=material.id,
        choices=Recipe(),
        gcode_id=stored.id,
    )
    store.versions.record_version(session, column)
    column = store.recipes.get_recipe(session, column.id)
    estimate = computation(session, column, engine)()
    store.estimates.save_estimate(session, inputs_digest(column, part.digest), column.id, estimate)
    plan = resolve(piece.recipe, printer, its_nozzle, plastic, standards)
    row = TestPieceRow(
        name=name[:120],
        kind=kind,
        machine=machine,
        nozzle=nozzle,
        material=material,
        part_id=part.id,
        setup={
            "bands": [band.model_dump() for band in piece.bands],
            "spans_mm": list(piece.spans_mm),
            "temp_c": plan.nozzle_temp_c,
            "bore_mm": its_nozzle.bore_mm,
            "layer_height_mm": plan.shape.layer_height_mm,
            "print_time_s": estimate.print_time_s,
            "filament_g": estimate.filament_g,
            "column_id": column.id,
        },
    )
    session.add(row)
    session.flush()
    return row


def judge(session: Session, row: TestPieceRow, judged: Judged) -> None:
    """Keep what was seen, and put its answer on the shelf as measured; a flow spiral's becomes a flow test.

    What stood on the shelf before is kept beside it, so that it can be taken back.
    """
    if row.result is not None:
        take_back(session, row)
    printer = Printer.model_validate(row.machine.printer)
    plastic = Material.model_validate(row.material.material)
    told = outcome(_piece_of(row), judged, printer, plastic)
    before: dict[str, Any] = {}
    if told.printer is not None:
        before["machine"] = _put(row.machine, "printer", plain(told.printer))
    if told.material is not None:
        before["material"] = _put(row.material, "material", plain(told.material))
    flow_test = None
    if told.strands:
        test = FlowTestRow(
            name=f"{row.name}, by eye"[:120],
            machine=row.machine,
            nozzle=row.nozzle,
            material=row.material,
            setup={
                "temps_c": [row.setup["temp_c"]],
                "fan": plastic.fan_max,
                "scale_g": 0.01,
                "planned": [[strand.temp_c, strand.flow_mm3_s] for strand in told.strands],
            },
        )
        session.add(test)
        session.flush()
        for number, strand in enumerate(told.strands):
            point = strand.model_dump(mode="json", exclude_none=True)
            session.add(FlowPointRow(name="", test_id=test.id, key=f"spiral-{test.id}-{number}", point=point))
        flow_test = test.id
    row.result = {
        "judged": judged.model_dump(exclude_none=True),
        "sentence": told.sentence,
        "on": now().date().isoformat(),
        "before": before,
        "flow_test_id": flow_test,
    }
    session.flush()


def take_back(session: Session, row: TestPieceRow) -> None:
    """Undo a piece's answer: figures that nobody has changed since stand on the shelf as before."""
    result = row.result or {}
    shelf: tuple[tuple[str, ShelfRow, str], ...] = (
        ("machine", row.machine, "printer"),
        ("material", row.material, "material"),
    )
    for name, its, column in shelf:
        kept = result.get("before", {}).get(name)
        if kept is None:
            continue
        held = dict(getattr(its, column))
        for key, (old, new) in kept["figures"].items():
            if held.get(key) == new:
                held.pop(key, None)
                if old is not None:
                    held[key] = old
        setattr(its, column, held)
        its.sources = {path: told for path, told in its.sources.items() if path not in kept["paths"]} | kept["sources"]
    if result.get("flow_test_id") is not None:
        test = session.get(FlowTestRow, result["flow_test_id"])
        if test is not None and test.deleted_at is None:
            store.rows.delete(session, test)
    row.result = None
    session.flush()


def _put(row: ShelfRow, column: str, content: dict[str, Any]) -> dict[str, Any]:
    """Write a description with what changed marked as measured; returns what is needed to take it back."""
    held = dict(getattr(row, column))
    paths = changed_paths(held, content)
    figures = {key: (held.get(key), content.get(key)) for key in {*held, *content} if held.get(key) != content.get(key)}
    sources = {path: told for path, told in row.sources.items() if path in paths}
    setattr(row, column, content)
    row.sources = marked(row.sources, paths, "measured")
    return {"figures": figures, "paths": sorted(paths), "sources": sources}


def _piece_of(row: TestPieceRow) -> PrintedPiece:
    """The piece as it was printed: its bands are those of its row, whatever would be tried today."""
    return PrintedPiece(
        kind=kind_of(row.kind),
        bands=tuple(Band.model_validate(band) for band in row.setup["bands"]),
        spans_mm=tuple(row.setup["spans_mm"]),
        bore_mm=float(row.setup["bore_mm"]),
        layer_height_mm=float(row.setup["layer_height_mm"]),
        temp_c=float(row.setup["temp_c"]),
    )


def _around(session: Session, machine: Machine, material: MaterialRow) -> tuple[Printer, Material, Standards]:
    house = store.house.house_of(session)
    plastic = Material.model_validate(material.material)
    printer = store.recipes.printer_of(session, machine, Shop.model_validate(house.shop), plastic)
    return printer, plastic, Standards(house=HouseRules.model_validate(house.rules), limits=Limits())


def _as_stl(piece: TestPiece) -> bytes:
    import trimesh  # half a second to load, and few ask for it

    body = trimesh.Trimesh(piece.solid.vertices, piece.solid.faces, process=False)
    data: bytes = trimesh.exchange.stl.export_stl(body)
    return data
