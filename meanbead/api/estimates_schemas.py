"""What the API takes and gives: estimates."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from meanbead.api.jobs_schemas import JobOut
from meanbead.api.schema import RowId, Schema, Version
from meanbead.core.compare.sensitivity import Sensitivity
from meanbead.core.model import Estimate, Recipe


class Figures(Schema):
    """A full estimate, or the job that computes it."""

    estimate: Estimate | None = None
    job: JobOut | None = None


class SampleAsk(Schema):
    """About how many layers to plan; left out, all."""

    layers: Annotated[int, Field(ge=4, le=2000)] | None = None


class FirstAsk(Schema):
    """Choices that are being stored, for the version of the column that they were made on."""

    version: Version
    choices: Recipe
    layers: Annotated[int, Field(ge=4, le=2000)]


class SensitivityAsk(Schema):
    """A setting by its key."""

    key: Annotated[str, Field(max_length=60)]


class SensitivitiesOut(Schema):
    """Neighbouring values of a setting with their differences."""

    nudges: list[Sensitivity]


class PreviewAsk(Schema):
    """A column as it is being typed."""

    machine_id: RowId
    nozzle_id: RowId
    material_id: RowId
    part_id: RowId | None = None
    choices: Recipe


class WaterfallAsk(Schema):
    """From one column to another."""

    from_id: RowId
    to_id: RowId
