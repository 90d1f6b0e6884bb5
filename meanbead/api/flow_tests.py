"""Flow tests over HTTP: plan, run, enter, see, use, compare."""

from __future__ import annotations

from typing import Any

from apiflask import APIBlueprint
from flask import Response, request
from sqlalchemy.orm import Session, undefer

from meanbead import services, store
from meanbead.api import access
from meanbead.api.binary import described_as
from meanbead.api.context import session
from meanbead.api.flow_schemas import (
    CeilingChange,
    CompareAsk,
    CompareOut,
    ConsoleDo,
    ConsoleSaid,
    DriveOut,
    EffectOut,
    FlowPlanAsk,
    FlowPlanOut,
    FlowSetup,
    FlowTestAdd,
    FlowTestEdit,
    FlowTestOut,
    FlowTestsOut,
    PauseAsk,
    PointAdd,
    PointEdit,
    PointOut,
    Retire,
    WeightOut,
    flow_test_head,
    head_values,
    point_out,
)
from meanbead.api.schema import VersionOnly
from meanbead.core.errors import MeanBeadError
from meanbead.core.gcode.flow_program import flow_program
from meanbead.core.learn.flow import compare_tests, plan_flow_test
from meanbead.core.learn.flow.fit import expected_mass_g
from meanbead.core.log.follow import ACTIVE
from meanbead.core.model import Material, Nozzle, Printer
from meanbead.core.model.flow_test import FlowFit, FlowStep, FlowTestPlan
from meanbead.core.model.measured import MeasuredMelt
from meanbead.core.model.shop import Shop
from meanbead.devices import flow_run
from meanbead.devices.reachable import within_reach
from meanbead.devices.scale import read_weight
from meanbead.store.tables import FlowPointRow, FlowTestRow, Machine, MaterialRow, NozzleRow, SpoolRow, now

blueprint = APIBlueprint("flow_tests", __name__, url_prefix="/api", tag="Flow lab")

PHOTO_BYTES = 20 * 1024 * 1024


@blueprint.get("/flow-tests")
@blueprint.output(FlowTestsOut)
def list_flow_tests() -> FlowTestsOut:
    """All flow tests, the newest first."""
    with session() as db:
        counted = store.flow_tests.strands(db)
        rows = list(store.rows.all_rows(db, FlowTestRow))[::-1]
        return FlowTestsOut(tests=[flow_test_head(row, counted.get(row.id, 0)) for row in rows])


@blueprint.post("/flow-tests/plan")
@blueprint.input(FlowPlanAsk)
@blueprint.output(FlowPlanOut)
def try_flow_plan(json_data: FlowPlanAsk) -> FlowPlanOut:
    """What a test would run, how long it takes, and what the spool must hold. Nothing is stored."""
    with session() as db:
        plan = _plan(db, json_data.machine_id, json_data.nozzle_id, json_data.material_id, json_data.setup)
        left, says = _spool(db, json_data.spool_id, plan)
        return FlowPlanOut(plan=plan, spool_left_g=left, spool_says=says)


@blueprint.post("/flow-tests")
@blueprint.input(FlowTestAdd)
@blueprint.output(FlowTestOut, status_code=201)
def add_flow_test(json_data: FlowTestAdd) -> FlowTestOut:
    """Keep a test that is to be run. One that would go beyond the plastic, the lining or the hot end is refused."""
    with session() as db:
        plan = _plan(db, json_data.machine_id, json_data.nozzle_id, json_data.material_id, json_data.setup)
        if json_data.spool_id is not None:
            store.rows.get(db, SpoolRow, json_data.spool_id)
        names = (
            store.rows.get(db, table, number).name
            for table, number in (
                (Machine, json_data.machine_id),
                (NozzleRow, json_data.nozzle_id),
                (MaterialRow, json_data.material_id),
            )
        )
        row = FlowTestRow(
            name=(json_data.name or ", ".join(names)).strip()[:120],
            machine_id=json_data.machine_id,
            nozzle_id=json_data.nozzle_id,
            material_id=json_data.material_id,
            spool_id=json_data.spool_id,
            setup=_kept(json_data.setup, plan),
        )
        db.add(row)
        db.flush()
        return flow_test_out(db, row)


@blueprint.get("/flow-tests/<int:row_id>")
@blueprint.output(FlowTestOut)
def get_flow_test(row_id: int) -> FlowTestOut:
    """A test with its plan, its strands, and what they say."""
    with session() as db:
        return flow_test_out(db, store.rows.get(db, FlowTestRow, row_id))


@blueprint.patch("/flow-tests/<int:row_id>")
@blueprint.input(FlowTestEdit)
@blueprint.output(FlowTestOut)
def edit_flow_test(row_id: int, json_data: FlowTestEdit) -> FlowTestOut:
    """Rename a test, or change what is planned; strands that came out stay."""
    with session() as db:
        row = store.rows.get_for_edit(db, FlowTestRow, row_id, json_data.version)
        if json_data.name is not None:
            row.name = json_data.name.strip()
        if json_data.setup is not None:
            before, now_asked = _setup(row), json_data.setup
            if (before.temps_c, before.flows_mm3_s) == (now_asked.temps_c, now_asked.flows_mm3_s):
                row.setup = row.setup | now_asked.model_dump()
            else:
                plan = _plan(db, row.machine_id, row.nozzle_id, row.material_id, now_asked)
                row.setup = _kept(now_asked, plan)
            _plan_of(db, row)
        if "spool_id" in json_data.model_fields_set:
            row.spool_id = None if json_data.spool_id is None else store.rows.get(db, SpoolRow, json_data.spool_id).id
        db.flush()
        return flow_test_out(db, row)


@blueprint.post("/flow-tests/<int:row_id>/delete")
@blueprint.input(VersionOnly)
@blueprint.output(FlowTestOut)
def delete_flow_test(row_id: int, json_data: VersionOnly) -> FlowTestOut:
    """Delete a test; estimates no longer go by it. It can be restored."""
    with session() as db:
        row = store.rows.get_for_edit(db, FlowTestRow, row_id, json_data.version)
        store.rows.delete(db, row)
        return flow_test_out(db, row)


@blueprint.post("/flow-tests/<int:row_id>/restore")
@blueprint.output(FlowTestOut)
def restore_flow_test(row_id: int) -> FlowTestOut:
    """Undo a deletion."""
    with session() as db:
        row = store.rows.get(db, FlowTestRow, row_id, deleted=True)
        store.rows.restore(db, row)
        return flow_test_out(db, row)


@blueprint.get("/flow-tests/<int:row_id>.gcode")
@blueprint.input(PauseAsk, location="query")
@described_as("text/x-gcode")
def flow_test_file(row_id: int, query_data: PauseAsk) -> Response:
    """The file that runs a test on its machine."""
    with session() as db:
        row = store.rows.get(db, FlowTestRow, row_id)
        plan = _plan_of(db, row)
        text = flow_program(plan, Printer.model_validate(row.machine.printer), row.name, query_data.pause)
    response = Response(text, content_type="text/x-gcode; charset=utf-8")
    response.headers["Content-Disposition"] = f'attachment; filename="flow-test-{row_id}.gcode"'
    return response


@blueprint.post("/flow-tests/<int:row_id>/points")
@blueprint.input(PointAdd)
@blueprint.output(PointOut, status_code=201)
def add_point(row_id: int, json_data: PointAdd) -> PointOut:
    """Enter a strand. The same key again gives what is stored under it: an entry whose answer got lost can be sent again."""
    with session() as db:
        test = store.rows.get(db, FlowTestRow, row_id)
        # One at a time: two sendings of one entry must not both find nothing.
        db.get_one(FlowTestRow, test.id, with_for_update=True)
        row = store.flow_tests.find_point(db, test.id, json_data.key)
        if row is None:
            row = FlowPointRow(name="", test_id=test.id, key=json_data.key, point=_stored(json_data.point))
            db.add(row)
            db.flush()
        return point_out(row)


@blueprint.patch("/flow-points/<int:row_id>")
@blueprint.input(PointEdit)
@blueprint.output(PointOut)
def edit_point(row_id: int, json_data: PointEdit) -> PointOut:
    """Correct a strand."""
    with session() as db:
        row = store.rows.get_for_edit(db, FlowPointRow, row_id, json_data.version)
        row.point = _stored(json_data.point)
        db.flush()
        return point_out(row)


@blueprint.post("/flow-points/<int:row_id>/delete")
@blueprint.input(VersionOnly)
@blueprint.output(PointOut)
def delete_point(row_id: int, json_data: VersionOnly) -> PointOut:
    """Take a strand out; it can be restored."""
    with session() as db:
        row = store.rows.get_for_edit(db, FlowPointRow, row_id, json_data.version)
        store.rows.delete(db, row)
        return point_out(row)


@blueprint.post("/flow-points/<int:row_id>/restore")
@blueprint.output(PointOut)
def restore_point(row_id: int) -> PointOut:
    """Undo taking a strand out."""
    with session() as db:
        row = store.rows.get(db, FlowPointRow, row_id, deleted=True)
        store.rows.restore(db, row)
        return point_out(row)


@blueprint.post("/flow-points/<int:row_id>/photo")
@blueprint.output(PointOut)
@blueprint.doc(summary="Attach a photo of a strand, sent as multipart form data, field file")
def add_photo(row_id: int) -> PointOut:
    """Keep a photo, made smaller and without what the camera wrote into it."""
    upload = request.files.get("file")
    if upload is None:
        raise MeanBeadError("No photo was sent.", field="file", remedy="Choose a JPEG or PNG.")
    data = upload.read(PHOTO_BYTES + 1)
    if len(data) > PHOTO_BYTES:
        raise MeanBeadError("The photo is larger than 20 MB.", field="file", remedy="Send a smaller one.")
    photo = services.photos.bounded_jpeg(data)
    with session() as db:
        row = store.rows.get(db, FlowPointRow, row_id)
        row.photo, row.has_photo = photo, True
        db.flush()
        return point_out(row)


@blueprint.get("/flow-points/<int:row_id>/photo")
@described_as("image/jpeg")
def get_photo(row_id: int) -> Response:
    """A strand's photo."""
    with session() as db:
        row = db.get(FlowPointRow, row_id, options=[undefer(FlowPointRow.photo)])
        if row is None or row.photo is None:
            raise store.rows.NotFound("There is no photo of this strand.")
        return Response(row.photo, content_type="image/jpeg")


@blueprint.post("/flow-tests/<int:row_id>/scale")
@blueprint.output(WeightOut)
def weigh(row_id: int) -> WeightOut:
    """Read the test's scale, once it rests."""
    with session() as db:
        address = _setup(store.rows.get(db, FlowTestRow, row_id)).scale_address
    if not address:
        raise MeanBeadError("Where the scale sends to is not known.", field="scale_address", remedy="Give host:port.")
    weight = read_weight(within_reach(address, allowed=True, field="scale_address"))
    return WeightOut(grams=weight.grams, step_g=weight.step_g)


@blueprint.post("/flow-tests/<int:row_id>/console")
@blueprint.input(ConsoleDo)
@blueprint.output(ConsoleSaid)
def over_console(row_id: int, json_data: ConsoleDo) -> ConsoleSaid:
    """Heat, look, feed one strand, or switch off, over the machine's console. What heats or feeds needs somebody there."""
    if json_data.do in ("heat", "step") and not json_data.present:
        raise MeanBeadError(
            "Somebody has to stand at the machine.", field="present", remedy="Go there, and confirm that you are."
        )
    with session() as db:
        row = store.rows.get(db, FlowTestRow, row_id)
        setup = _setup(row)
        console = row.machine.console
        address = setup.console_address or console.get("address", "")
        baud = int(console.get("baud", 115_200))
        allowed = bool(row.machine.way.get("allowed")) or access.me().token is None
        busy = store.prints.under_way_on(db, row.machine_id)
        if busy is not None and busy.state in ACTIVE and json_data.do != "look":
            raise MeanBeadError(
                f"{row.machine.name} is printing {busy.name}.",
                field="console_address",
                remedy="Wait until it has ended.",
            )
        step: FlowStep | None = None
        if json_data.do in ("heat", "step"):
            # Planned anew, so that what is beyond plastic, lining or hot end is refused here, too. Looking and switching off
            # are never refused.
            own = {"flows_mm3_s": [json_data.flow_mm3_s]} if json_data.flow_mm3_s else {}
            asked = setup.model_copy(update={"temps_c": [json_data.temp_c or setup.temps_c[0]], **own})
            step = _plan(db, row.machine_id, row.nozzle_id, row.material_id, asked).steps[0]
    if not address:
        raise MeanBeadError(
            "Where the console listens is not known.",
            field="console_address",
            remedy="Give host:port, or a serial device.",
        )
    address = within_reach(address, allowed=allowed, field="console_address")
    if json_data.do == "stop":
        return ConsoleSaid(temp_c=flow_run.stop(address, baud), strand=None)
    if step is None:
        return ConsoleSaid(temp_c=flow_run.read_temp_c(address, baud), strand=None)
    if json_data.do == "heat":
        return ConsoleSaid(temp_c=flow_run.heat(address, step.temp_c, setup.fan, baud), strand=None)
    ran = flow_run.run_step(address, step, baud)
    return ConsoleSaid(temp_c=ran.temp_c, strand=ran.strand)


@blueprint.get("/flow-tests/<int:row_id>/effect")
@blueprint.output(EffectOut)
def effect(row_id: int) -> EffectOut:
    """Which columns' melt limits the test changes, or would change, against estimates without it."""
    with session() as db:
        row = store.rows.get(db, FlowTestRow, row_id)
        used = row.measured is not None and row.retired_on is None
        melt = MeasuredMelt.model_validate(row.measured) if used else services.flow.measured_by(db, row)
        changed = services.flow.changed_ceilings(db, row, melt)
        return EffectOut(
            columns=[
                CeilingChange(
                    part_id=one.part_id,
                    part_name=one.part_name,
                    recipe_id=one.recipe_id,
                    recipe_name=one.recipe_name,
                    before_mm3_s=one.before.plan_mm3_s,
                    after_mm3_s=one.after.plan_mm3_s,
                    before_source=one.before.source,
                    after_source=one.after.source,
                    basis=one.after.basis,
                )
                for one in changed
            ]
        )


@blueprint.post("/flow-tests/<int:row_id>/use")
@blueprint.input(VersionOnly)
@blueprint.output(FlowTestOut)
def use_flow_test(row_id: int, json_data: VersionOnly) -> FlowTestOut:
    """Use a test in every estimate of its machine from now on, with what its strands say now."""
    with session() as db:
        row = store.rows.get_for_edit(db, FlowTestRow, row_id, json_data.version)
        row.measured = services.flow.measured_by(db, row).model_dump(mode="json")
        row.measured_of = services.flow.made_of(services.flow.flow_test_of(db, row))
        held = row.machine.nozzle_id == row.nozzle_id
        row.wear = {
            "hours": row.machine.hours_run if held else 0.0,
            "abrasive_g": float(row.nozzle.wear.get("abrasive_g", 0.0)),
        }
        row.retired_on, row.retired_because = None, ""
        db.flush()
        return flow_test_out(db, row)


@blueprint.post("/flow-tests/<int:row_id>/stop-using")
@blueprint.input(VersionOnly)
@blueprint.output(FlowTestOut)
def stop_using(row_id: int, json_data: VersionOnly) -> FlowTestOut:
    """Undo using a test: estimates go on as if it had not been used."""
    with session() as db:
        row = store.rows.get_for_edit(db, FlowTestRow, row_id, json_data.version)
        row.measured, row.measured_of, row.wear = None, "", {}
        db.flush()
        return flow_test_out(db, row)


@blueprint.post("/flow-tests/<int:row_id>/retire")
@blueprint.input(Retire)
@blueprint.output(FlowTestOut)
def retire(row_id: int, json_data: Retire) -> FlowTestOut:
    """Use a measurement no more, with the reason: another nozzle, another hot end, worn."""
    with session() as db:
        row = store.rows.get_for_edit(db, FlowTestRow, row_id, json_data.version)
        row.retired_on, row.retired_because = now().date(), json_data.because.strip()
        db.flush()
        return flow_test_out(db, row)


@blueprint.get("/flow-tests/compare")
@blueprint.input(CompareAsk, location="query")
@blueprint.output(CompareOut)
def compare(query_data: CompareAsk) -> CompareOut:
    """Whether two tests differ beyond their scatter; one test with itself across its temperatures, or fan on and off."""
    with session() as db:
        rows = [store.rows.get(db, FlowTestRow, number) for number in (query_data.first, query_data.second)]
        tests = [services.flow.flow_test_of(db, row) for row in rows]
        first, second = (flow_test_out(db, row) for row in rows)
    return CompareOut(first=first, second=second, differences=compare_tests(*tests).differences)


def _stored(point: Any) -> dict[str, Any]:
    held: dict[str, Any] = point.model_dump(mode="json", exclude_none=True)
    return held


def _setup(row: FlowTestRow) -> FlowSetup:
    return FlowSetup.model_validate({name: row.setup[name] for name in FlowSetup.model_fields if name in row.setup})


def _kept(setup: FlowSetup, plan: FlowTestPlan) -> dict[str, Any]:
    """A setup as it is stored, with the flows that were planned: what is thought to melt may be another tomorrow."""
    return setup.model_dump() | {"planned": [[step.temp_c, step.flow_mm3_s] for step in plan.steps]}


def _plan_of(db: Session, row: FlowTestRow) -> FlowTestPlan:
    """A test's plan with the flows that were planned once."""
    planned: dict[float, list[float]] = {}
    for temp, flow in row.setup.get("planned", ()):
        planned.setdefault(temp, []).append(flow)
    return _plan(db, row.machine_id, row.nozzle_id, row.material_id, _setup(row), planned)


def _plan(
    db: Session,
    machine_id: int,
    nozzle_id: int,
    material_id: int,
    setup: FlowSetup,
    planned: dict[float, list[float]] | None = None,
) -> FlowTestPlan:
    machine = store.rows.get(db, Machine, machine_id, deleted=True)
    material = Material.model_validate(store.rows.get(db, MaterialRow, material_id, deleted=True).material)
    shop = Shop.model_validate(store.house.house_of(db).shop)
    printer = store.recipes.printer_of(db, machine, shop, material)
    if setup.filament_diameter_mm is not None:
        printer = printer.model_copy(update={"filament_diameter_mm": setup.filament_diameter_mm})
    if setup.density_g_cm3 is not None:
        material = material.model_copy(update={"density_g_cm3": setup.density_g_cm3})
    return plan_flow_test(
        printer,
        Nozzle.model_validate(store.rows.get(db, NozzleRow, nozzle_id, deleted=True).nozzle),
        material,
        setup.temps_c,
        fan=setup.fan,
        scale_g=setup.scale_g,
        flows_mm3_s=planned or setup.flows_mm3_s,
    )


def _spool(db: Session, spool_id: int | None, plan: FlowTestPlan) -> tuple[float | None, str]:
    if spool_id is None:
        return None, ""
    spool = store.rows.get(db, SpoolRow, spool_id, deleted=True)
    if spool.left_g < plan.filament_g:
        return spool.left_g, f"{spool.name} holds {spool.left_g:.0f} g, and the test takes {plan.filament_g:.0f} g."
    return spool.left_g, ""


def flow_test_out(db: Session, row: FlowTestRow) -> FlowTestOut:
    """A test as it is given out, with what its strands say."""
    points = store.flow_tests.points_of(db, row.id)
    setup = _setup(row)
    test = services.flow.flow_test_of(db, row, points)
    plan, problem = None, ""
    try:
        plan = _plan_of(db, row)
    except MeanBeadError as error:
        problem = str(error)
    fit = services.flow.fit_of(test) if test.points else None
    return FlowTestOut(
        **head_values(row, len(points)),
        setup=setup,
        spool_id=row.spool_id,
        plan=plan,
        plan_problem=problem,
        points=[point_out(point) for point in points],
        expected_g=[
            None
            if point.length_mm is None
            else expected_mass_g(point.length_mm, test.filament_diameter_mm, test.density_g_cm3)
            for point in test.points
        ],
        fit=fit,
        drive=_drive(Printer.model_validate(row.machine.printer), fit),
        margin=test.margin,
        changed_since_use=row.measured is not None and row.measured_of != services.flow.made_of(test),
    )


def _drive(printer: Printer, fit: FlowFit | None) -> DriveOut:
    """Steps per mm now, and as they should be: more where less comes out than is asked for."""
    steps = printer.drive_steps_per_mm
    if steps is None or fit is None or fit.drive_ratio is None:
        return DriveOut(now=steps, new=None)
    return DriveOut(now=steps, new=round(steps / fit.drive_ratio.value, 2))
