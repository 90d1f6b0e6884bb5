"""Runs over HTTP: start, enter, list, photograph, label."""

from __future__ import annotations

from apiflask import APIBlueprint
from flask import Response, request
from sqlalchemy.orm import Session, undefer

from meanbead import services, store
from meanbead.api import access
from meanbead.api.binary import described_as
from meanbead.api.context import context, session
from meanbead.api.runs_schemas import (
    LabelsAsk,
    MachineRate,
    PhotoOut,
    RatesOut,
    RunEdit,
    RunOut,
    RunsOut,
    RunsPageAsk,
    RunStart,
    RunTag,
    WeightRead,
    photo_out,
    run_head,
    run_out,
)
from meanbead.api.schema import VersionOnly
from meanbead.core.errors import MeanBeadError
from meanbead.core.model.run import RunEntry, Snapshot
from meanbead.core.model.shop import Shop
from meanbead.devices.reachable import within_reach
from meanbead.devices.scale import read_weight
from meanbead.services.labels import Sheet, label_of, labels_pdf
from meanbead.store.runs import RunFilter
from meanbead.store.tables import Machine, Part, RunPhoto, RunRow, SpoolRow, now

blueprint = APIBlueprint("runs", __name__, url_prefix="/api", tag="Log")

PHOTO_BYTES = 20 * 1024 * 1024
MOST_PHOTOS = 20
MOST_LABELS = 500
_PAGES = {"": None, "a4": (210.0, 297.0), "letter": (215.9, 279.4)}


def wanted(asked: object) -> RunFilter:
    """What a query asks for."""
    return RunFilter(**{name: getattr(asked, name) for name in RunFilter.__dataclass_fields__})


@blueprint.get("/runs")
@blueprint.input(RunsPageAsk, location="query")
@blueprint.output(RunsOut)
def list_runs(query_data: RunsPageAsk) -> RunsOut:
    """What was really printed, the last started first."""
    with session() as db:
        asked = wanted(query_data)
        after = None if query_data.after is None else store.rows.get(db, RunRow, query_data.after, deleted=True)
        found = store.runs.list_runs(db, asked, limit=query_data.limit + 1, before=after)
        sums = store.runs.totals(db, asked)
        best = None if query_data.part_id is None else store.runs.best_kept(db, query_data.part_id)
        return RunsOut(
            runs=[run_head(row) for row in found[: query_data.limit]],
            more=len(found) > query_data.limit,
            total=sums.runs,
            failed=sums.failed,
            hours=sums.hours,
            real_over_predicted=sums.real_over_predicted,
            plastics=store.runs.plastics(db),
            best=None if best is None else run_head(best),
        )


@blueprint.post("/recipes/<int:recipe_id>/runs")
@blueprint.input(RunStart)
@blueprint.output(RunOut, status_code=201)
def start_run(recipe_id: int, json_data: RunStart) -> RunOut:
    """Start a run from a column: all that it is printed with is frozen as it stands. The same key again gives the run that is
    stored under it."""
    with session() as db:
        known = store.runs.find_by_key(db, json_data.key)
        if known is not None:
            return _out(db, known.id)
        row = store.recipes.get_recipe(db, recipe_id)
        inputs = services.digests.inputs_digest(row, store.rows.get(db, Part, row.part_id).digest)
        estimate = store.estimates.find_estimate(db, inputs)
        compute = None if estimate is not None else services.estimates.computation(db, row, context().engine)
    if compute is not None:
        estimate = compute()
    assert estimate is not None
    with session() as db:
        if compute is not None:
            store.estimates.save_estimate(db, inputs, recipe_id, estimate)
        row = store.recipes.get_recipe(db, recipe_id)
        if services.digests.inputs_digest(row, row.part.digest) != inputs:
            raise MeanBeadError(
                "The recipe was changed just now.", field="recipe_id", remedy="Look at it, and start again."
            )
        follows = json_data.follows_id if json_data.follows_id is not None else row.tries_run_id
        if follows is not None:
            store.rows.get(db, RunRow, follows)
        run = services.runs.add_run(
            db,
            row,
            services.calibrations.with_interval(db, row, estimate),
            key=json_data.key,
            who=access.me().name,
            started_at=json_data.started_at or now(),
            plates=json_data.plates,
            spool_id=json_data.spool_id,
            follows_id=follows,
            tries_cause=row.tries_cause if follows is not None and follows == row.tries_run_id else "",
        )
        services.runs.prove(db, run)
        return _out(db, run.id)


@blueprint.get("/runs/<int:run_id>")
@blueprint.output(RunOut)
def get_run(run_id: int) -> RunOut:
    """A run with all that it was started with, and what came of it."""
    with session() as db:
        return _out(db, run_id)


@blueprint.get("/runs/<int:run_id>/tag")
@blueprint.output(RunTag)
def get_tag(run_id: int) -> RunTag:
    """What a phone at the machine needs of a run."""
    with session() as db:
        row = _full(db, run_id)
        frozen = Snapshot.model_validate(row.snapshot)
        predicted = frozen.prediction()
        settings = frozen.settings
        return RunTag(
            **{
                name: getattr(row, name)
                for name in (
                    *("id", "version", "name", "column_name", "machine_name", "nozzle_name", "material_name", "plates"),
                    *("copies", "started_at", "predicted_s", "predicted_g"),
                )
            },
            whole_s=None if predicted is None else predicted.whole_time_s,
            layers=None if predicted is None else predicted.layers,
            nozzle_temp_c=settings.get("nozzle_temp_c"),
            bed_temp_c=settings.get("bed_temp_c"),
            entry=RunEntry.model_validate(row.entry),
            panel=_panel(db, row),
            scale=bool(store.house.house_of(db).scale_address),
            photos=[photo_out(photo) for photo in store.runs.photos_of(db, [row.id]).get(row.id, [])],
            removed=row.deleted_at is not None,
        )


@blueprint.patch("/runs/<int:run_id>")
@blueprint.input(RunEdit)
@blueprint.output(RunOut)
def edit_run(run_id: int, json_data: RunEdit) -> RunOut:
    """Enter what came of a run, or correct it. What it was started with never changes."""
    said = json_data.model_fields_set
    with session() as db:
        row = store.rows.get_for_edit(db, RunRow, run_id, json_data.version)
        db.refresh(row, ["snapshot"])
        if json_data.plates is not None:
            row.plates = json_data.plates
        if json_data.started_at is not None:
            row.started_at = json_data.started_at
        if "spool_id" in said:
            row.spool_id = None if json_data.spool_id is None else store.rows.get(db, SpoolRow, json_data.spool_id).id
        if "follows_id" in said:
            _follow(db, row, json_data.follows_id)
        if json_data.panel is not None:
            _ask_once(db, row, json_data.panel)
        entry = RunEntry.model_validate(row.entry) if json_data.entry is None else json_data.entry
        services.runs.check_faults([fault for fault in entry.faults if fault not in row.faults])
        if entry.ended_at is not None and entry.ended_at <= row.started_at:
            raise MeanBeadError(
                "It ended before it was started.", field="entry.ended_at", remedy="Correct one of the two."
            )
        row.updated_at = now()
        services.runs.change_entry(db, row, entry, booked=not row.key.startswith("csv-"))
        return _out(db, run_id)


def _follow(db: Session, row: RunRow, follows_id: int | None) -> None:
    """Link a run to the one that it was to do better than. A chain never comes back to itself."""
    at = follows_id
    while at is not None:
        other = store.rows.get(db, RunRow, at)
        if other.id == row.id or other.started_at > row.started_at:
            raise MeanBeadError(
                "A run follows one that was started before it.", field="follows_id", remedy="Choose an earlier run."
            )
        at = other.follows_id
    row.follows_id = follows_id


def _ask_once(db: Session, row: RunRow, panel: str) -> None:
    machine = None if row.machine_id is None else db.get(Machine, row.machine_id)
    if machine is not None and machine.panel != panel:
        machine.panel = panel


def _panel(db: Session, row: RunRow) -> str:
    machine = None if row.machine_id is None else db.get(Machine, row.machine_id)
    return "" if machine is None else machine.panel


@blueprint.post("/runs/<int:run_id>/delete")
@blueprint.input(VersionOnly)
@blueprint.output(RunOut)
def delete_run(run_id: int, json_data: VersionOnly) -> RunOut:
    """Delete a run: what it took off the shelf is given back. It can be restored."""
    with session() as db:
        row = store.rows.get_for_edit(db, RunRow, run_id, json_data.version)
        db.refresh(row, ["snapshot"])
        services.runs.take_away(db, row, deleted=True)
        return _out(db, run_id)


@blueprint.post("/runs/<int:run_id>/restore")
@blueprint.output(RunOut)
def restore_run(run_id: int) -> RunOut:
    """Undo a deletion."""
    with session() as db:
        row = db.get_one(RunRow, store.rows.get(db, RunRow, run_id, deleted=True).id, with_for_update=True)
        if row.deleted_at is not None:
            db.refresh(row, ["snapshot"])
            services.runs.take_away(db, row, deleted=False)
        return _out(db, run_id)


@blueprint.post("/runs/<int:run_id>/photos")
@blueprint.output(PhotoOut, status_code=201)
@blueprint.doc(summary="Attach a photo, sent as multipart form data, fields file and key")
def add_run_photo(run_id: int) -> PhotoOut:
    """Keep a photo and a small one of it, made smaller and without what the camera wrote into it. The same key again gives the
    one that is stored under it."""
    upload, key = request.files.get("file"), request.form.get("key", "")
    if upload is None:
        raise MeanBeadError("No photo was sent.", field="file", remedy="Choose a JPEG or PNG.")
    if not 8 <= len(key) <= 40:
        raise MeanBeadError("A photo needs a key of 8 to 40 signs.", field="key")
    data = upload.read(PHOTO_BYTES + 1)
    if len(data) > PHOTO_BYTES:
        raise MeanBeadError("The photo is larger than 20 MB.", field="file", remedy="Send a smaller one.")
    photo = services.photos.bounded_jpeg(data)
    small = services.photos.bounded_jpeg(photo, services.photos.THUMBNAIL_PX)
    with session() as db:
        run = db.get_one(RunRow, store.rows.get(db, RunRow, run_id).id, with_for_update=True)
        there = store.runs.photos_of(db, [run.id]).get(run.id, [])
        known = next((one for one in there if one.key == key), None)
        if known is not None:
            return photo_out(known)
        if len(there) >= MOST_PHOTOS:
            raise MeanBeadError(
                f"A run holds at most {MOST_PHOTOS} photos.", field="file", remedy="Take one out first."
            )
        row = RunPhoto(run_id=run.id, key=key, name="", photo=photo, thumbnail=small)
        db.add(row)
        db.flush()
        return photo_out(row)


@blueprint.get("/run-photos/<int:photo_id>")
@described_as("image/jpeg")
def get_run_photo(photo_id: int) -> Response:
    """A photo of a run."""
    with session() as db:
        row = db.get(RunPhoto, photo_id, options=[undefer(RunPhoto.photo)])
        if row is None:
            raise store.rows.NotFound("There is no such photo.")
        return _kept_jpeg(row.photo)


@blueprint.get("/run-photos/<int:photo_id>/thumbnail")
@described_as("image/jpeg")
def get_thumbnail(photo_id: int) -> Response:
    """A small photo of a run."""
    with session() as db:
        row = db.get(RunPhoto, photo_id, options=[undefer(RunPhoto.thumbnail)])
        if row is None:
            raise store.rows.NotFound("There is no such photo.")
        return _kept_jpeg(row.thumbnail)


def _kept_jpeg(data: bytes) -> Response:
    response = Response(data, content_type="image/jpeg")
    response.headers["Cache-Control"] = "private, max-age=3600"
    return response


@blueprint.post("/run-photos/<int:photo_id>/delete")
@blueprint.input(VersionOnly)
@blueprint.output(PhotoOut)
def delete_run_photo(photo_id: int, json_data: VersionOnly) -> PhotoOut:
    """Take a photo out; it can be restored."""
    with session() as db:
        row = store.rows.get_for_edit(db, RunPhoto, photo_id, json_data.version)
        store.rows.delete(db, row)
        return photo_out(row)


@blueprint.post("/run-photos/<int:photo_id>/restore")
@blueprint.output(PhotoOut)
def restore_run_photo(photo_id: int) -> PhotoOut:
    """Undo taking a photo out."""
    with session() as db:
        row = store.rows.get(db, RunPhoto, photo_id, deleted=True)
        store.rows.restore(db, row)
        return photo_out(row)


@blueprint.post("/runs/<int:run_id>/scale")
@blueprint.output(WeightRead)
def weigh_run(run_id: int) -> WeightRead:
    """Read the workshop's scale, once it rests."""
    with session() as db:
        store.rows.get(db, RunRow, run_id)
        address = store.house.house_of(db).scale_address
    if not address:
        raise MeanBeadError(
            "Where the workshop's scale sends to is not known.",
            field="scale_address",
            remedy="Give its host:port under House rules.",
        )
    weight = read_weight(within_reach(address, allowed=True, field="scale_address"))
    return WeightRead(grams=weight.grams, step_g=weight.step_g)


@blueprint.get("/labels.pdf")
@blueprint.input(LabelsAsk, location="query")
@described_as("application/pdf")
def labels(query_data: LabelsAsk) -> Response:
    """Labels for runs: what each was printed with, its minutes and its number, and a code that opens it."""
    numbers = list(dict.fromkeys(int(number) for number in query_data.runs.split(",")))
    if len(numbers) > MOST_LABELS:
        raise MeanBeadError(f"At most {MOST_LABELS} labels at once.", field="runs")
    with session() as db:
        rows = [_full(db, number) for number in numbers]
        made = [label_of(row, f"{access.base_url()}/run/{row.id}") for row in rows]
    sheet = Sheet(
        (query_data.width_mm, query_data.height_mm),
        _PAGES[query_data.page],
        (query_data.margin_x_mm, query_data.margin_y_mm),
        (query_data.gap_x_mm, query_data.gap_y_mm),
        query_data.skip,
    )
    response = Response(labels_pdf(made, sheet), content_type="application/pdf")
    response.headers["Content-Disposition"] = 'inline; filename="labels.pdf"'
    return response


@blueprint.get("/fault-rates")
@blueprint.output(RatesOut)
def fault_rates() -> RatesOut:
    """How often prints fail on each machine: the house's figure, and what its own log says."""
    with session() as db:
        shop = Shop.model_validate(store.house.house_of(db).shop)
        return RatesOut(
            machines=[
                MachineRate(
                    machine_id=machine.id,
                    machine_name=machine.name,
                    **services.advice.fault_rate_of(db, shop, machine.id, machine.name).model_dump(),
                )
                for machine in store.rows.all_rows(db, Machine)
            ]
        )


def _full(db: Session, run_id: int) -> RunRow:
    row = store.runs.get_full(db, run_id)
    if row is None:
        raise store.rows.NotFound(f"There is no run {run_id}.")
    return row


def _out(db: Session, run_id: int) -> RunOut:
    row = _full(db, run_id)
    photos = store.runs.photos_of(db, [row.id]).get(row.id, [])
    return run_out(row, photos, _panel(db, row), [one.id for one in store.runs.followers(db, [row.id])])
