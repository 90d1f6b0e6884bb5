"""What the API takes and gives: runs and their photos."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Annotated, Literal

from pydantic import Field

from meanbead.api.schema import RowId, Schema, Version
from meanbead.core.faults import Proof
from meanbead.core.log import real_time
from meanbead.core.log.csv_table import Matched, RunField, RunLine
from meanbead.core.model import Estimate
from meanbead.core.model.run import RunEntry, RunState, Snapshot, TimeMeans
from meanbead.store.tables import RunPhoto, RunRow

Key = Annotated[str, Field(min_length=8, max_length=40, pattern=r"^[A-Za-z0-9-]+$")]
Plates = Annotated[int, Field(ge=1, le=10_000)]


class PhotoOut(Schema):
    """A photo of a run, by the addresses of its two sizes."""

    id: int
    version: int
    caption: str
    photo: str
    thumbnail: str


class RunHead(Schema):
    """A run in a list. ``real_s`` and ``predicted_s`` are printing only, of one plate; a stopped one tells its layer or its
    minutes."""

    id: int
    version: int
    name: str
    part_id: int | None
    recipe_id: int | None
    machine_id: int | None
    column_name: str
    machine_name: str
    nozzle_name: str
    material_name: str
    plates: int
    copies: int
    started_at: datetime
    state: RunState
    faults: list[str]
    stopped_layer: int | None
    stopped_min: float | None
    looks: int | None
    weight_g: float | None
    predicted_s: float | None
    predicted_g: float | None
    real_s: float | None
    follows_id: int | None
    who: str
    note: str
    removed: bool
    imported: bool


class RunsAsk(Schema):
    """Which runs: of a part, machine, nozzle or plastic, with a fault (or ``any``), in a state, from and until a moment, with
    words in their names and notes; so many, after which one."""

    part_id: RowId | None = None
    machine_id: RowId | None = None
    nozzle_id: RowId | None = None
    plastic: Annotated[str, Field(max_length=120)] = ""
    fault: Annotated[str, Field(max_length=40)] = ""
    state: Literal["", "running", "kept", "scrapped", "stopped"] = ""
    since: datetime | None = None
    until: datetime | None = None
    search: Annotated[str, Field(max_length=200)] = ""


class RunsPageAsk(RunsAsk):
    """A page of them."""

    limit: Annotated[int, Field(ge=1, le=500)] = 50
    after: RowId | None = None


class RunsOut(Schema):
    """Runs, the last started first. The sums are of all that were asked for, not of this page. ``real_over_predicted`` is the
    sum of real times over that of predicted ones, of runs that have both. Of one part, ``best`` is its best kept run."""

    runs: list[RunHead]
    more: bool
    total: int
    failed: int
    hours: float
    real_over_predicted: float | None
    plastics: list[str]
    best: RunHead | None


class RunStart(Schema):
    """A run to be started from a column. ``key`` is made where it is started: sent twice it is stored once. Left out, the
    spool is the column's, else the machine's; ``follows_id`` the run that it is to do better than."""

    key: Key
    plates: Plates = 1
    spool_id: RowId | None = None
    follows_id: RowId | None = None
    started_at: datetime | None = None


class RunEdit(Schema):
    """What came of a run, whole: the page keeps the entry and sends it as it now is. ``panel`` says, once for its machine,
    what the time on the panel counts."""

    version: Version
    entry: RunEntry | None = None
    plates: Plates | None = None
    started_at: datetime | None = None
    spool_id: RowId | None = None
    follows_id: RowId | None = None
    panel: TimeMeans | None = None


class RunOut(RunHead):
    """A run with all that it was started with, what came of it and how its real time was found."""

    snapshot: Snapshot
    prediction: Estimate | None
    entry: RunEntry
    nozzle_id: int | None
    spool_id: int | None
    real_says: str
    booked: dict[str, object]
    tries_cause: str
    proof: Proof | None
    photos: list[PhotoOut]
    panel: Literal["", "printing", "with_heating"]
    followed_by: list[int]


class RunTag(Schema):
    """What the entry page on a phone needs of a run, and no more."""

    id: int
    version: int
    name: str
    column_name: str
    machine_name: str
    nozzle_name: str
    material_name: str
    plates: int
    copies: int
    started_at: datetime
    predicted_s: float | None
    whole_s: float | None
    predicted_g: float | None
    layers: int | None
    nozzle_temp_c: float | None
    bed_temp_c: float | None
    entry: RunEntry
    panel: Literal["", "printing", "with_heating"]
    scale: bool
    photos: list[PhotoOut]
    removed: bool


class WeightRead(Schema):
    """What the workshop's scale shows."""

    grams: float
    step_g: float


class ImportPreview(Schema):
    """What a file holds: its headings, how they are matched, its first rows as they would be read, and how many cannot be."""

    headings: list[str]
    sample: list[list[str]]
    matched: Matched
    remembered: bool
    lines: list[RunLine]
    rows: int
    problems: int
    fields: dict[RunField, str]


class ImportDone(Schema):
    """What an import brought."""

    added: int
    known: int
    left_out: int


class LabelsAsk(Schema):
    """Which labels, and on what: ``runs`` are numbers with commas between. Sizes are mm; without ``page`` each label has a page
    of its own."""

    runs: Annotated[str, Field(max_length=8000, pattern=r"^\d+(,\d+)*$")]
    width_mm: Annotated[float, Field(ge=20, le=300)] = 62
    height_mm: Annotated[float, Field(ge=10, le=300)] = 29
    page: Literal["", "a4", "letter"] = "a4"
    margin_x_mm: Annotated[float, Field(ge=0, le=50)] = 8
    margin_y_mm: Annotated[float, Field(ge=0, le=50)] = 12
    gap_x_mm: Annotated[float, Field(ge=0, le=50)] = 2
    gap_y_mm: Annotated[float, Field(ge=0, le=50)] = 2
    skip: Annotated[int, Field(ge=0, le=500)] = 0


class RatesOut(Schema):
    """How often prints fail, by machine."""

    machines: list[MachineRate]


class MachineRate(Schema):
    """A machine's failures an hour printed, with the interval that holds it with 90 %."""

    machine_id: int
    machine_name: str
    per_hour: float
    low: float
    high: float
    failed: int
    runs: int
    hours: float
    says: str


RatesOut.model_rebuild()


def photo_out(row: RunPhoto) -> PhotoOut:
    """A photo's row as it is given out."""
    address = f"/api/run-photos/{row.id}"
    return PhotoOut(id=row.id, version=row.version, caption=row.name, photo=address, thumbnail=f"{address}/thumbnail")


def head_values(row: RunRow) -> dict[str, object]:
    """What a list shows of a run."""
    entered = ("stopped_layer", "stopped_min", "looks", "weight_g")
    names = [name for name in RunHead.model_fields if name not in (*entered, "note", "removed", "imported")]
    return (
        {name: getattr(row, name) for name in names}
        | {name: row.entry.get(name) for name in entered}
        | {
            "note": row.entry.get("note", ""),
            "removed": row.deleted_at is not None,
            "imported": row.key.startswith("csv-"),
        }
    )


def run_head(row: RunRow) -> RunHead:
    """A run as a list shows it."""
    return RunHead.model_validate(head_values(row))


def run_out(row: RunRow, photos: Sequence[RunPhoto], panel: str, followed_by: Sequence[int]) -> RunOut:
    """A run with all that belongs to it."""
    frozen = Snapshot.model_validate(row.snapshot)
    predicted = frozen.prediction()
    entry = RunEntry.model_validate(row.entry)
    real = real_time(entry, predicted, row.started_at)
    return RunOut.model_validate(
        head_values(row)
        | {
            "snapshot": frozen.model_copy(update={"estimate": None}),
            "prediction": predicted,
            "entry": entry,
            "nozzle_id": row.nozzle_id,
            "spool_id": row.spool_id,
            "real_says": "" if real is None else real.says,
            "booked": row.booked,
            "tries_cause": row.tries_cause,
            "proof": None if row.proof is None else Proof.model_validate(row.proof),
            "photos": [photo_out(photo) for photo in photos],
            "panel": panel,
            "followed_by": list(followed_by),
        }
    )
