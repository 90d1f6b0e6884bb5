"""A run: what was printed with, as it stood then, and what came of it."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from meanbead.core.model.base import Model
from meanbead.core.model.estimate import Estimate
from meanbead.core.model.material import Material
from meanbead.core.model.nozzle import Nozzle
from meanbead.core.model.printer import Printer
from meanbead.core.model.recipe import Recipe
from meanbead.core.model.standards import Standards

__all__ = ["FAILED", "Fault", "Named", "RunEntry", "RunState", "Snapshot", "TimeMeans"]

RunState = Literal["running", "kept", "scrapped", "stopped"]
TimeMeans = Literal["printing", "with_heating"]
"""What a time on a panel counts: the printing only, or the heating and the start before it, too."""

FAILED: tuple[RunState, ...] = ("scrapped", "stopped")
"""How a run ends that gave nothing."""

Fault = Annotated[str, Field(min_length=1, max_length=40, pattern=r"^[a-z][a-z_]*$")]


class RunEntry(Model):
    """What somebody saw and measured of a run; None where nobody did.

    ``time_s`` is what the panel showed for one plate, and ``time_means`` what that counts; ``ended_at`` is when it ended,
    and serves where no panel was read. ``weight_g`` is all that came off one plate. Of a stopped run, ``stopped_layer`` or
    ``stopped_min`` says how far it came. ``looks`` are 1 (poor) to 5 (as good as it gets); ``pieces_kept`` how many pieces
    of the whole run were good.
    """

    state: RunState = "running"
    time_s: Annotated[float, Field(gt=0, le=5e6)] | None = None
    time_means: TimeMeans = "printing"
    ended_at: datetime | None = None
    weight_g: Annotated[float, Field(gt=0, le=50_000)] | None = None
    nozzle_temp_c: Annotated[float, Field(ge=100, le=500)] | None = None
    bed_temp_c: Annotated[float, Field(ge=0, le=200)] | None = None
    looks: Annotated[int, Field(ge=1, le=5)] | None = None
    faults: Annotated[tuple[Fault, ...], Field(max_length=30)] = ()
    stopped_layer: Annotated[int, Field(ge=0, le=100_000)] | None = None
    stopped_min: Annotated[float, Field(ge=0, le=100_000)] | None = None
    pieces_kept: Annotated[int, Field(ge=0, le=1_000_000)] | None = None
    note: Annotated[str, Field(max_length=2000)] = ""

    @model_validator(mode="after")
    def _of_its_state(self) -> RunEntry:
        if self.state != "stopped" and (self.stopped_layer is not None or self.stopped_min is not None):
            raise ValueError("stopped_layer and stopped_min belong to a run that was stopped")
        if len(set(self.faults)) != len(self.faults):
            raise ValueError("faults names a fault twice")
        return self


class Named(BaseModel):
    """Something of the shelf as it stood when a run began: its number and name then, and what described it."""

    model_config = ConfigDict(extra="ignore", frozen=True)

    id: int | None = None
    name: str = ""
    version: int = 0
    described: dict[str, Any] = Field(default={})
    """A core model as JSON: by its model's method of :class:`Snapshot`."""
    state: dict[str, Any] = Field(default={})
    """What else was known of it then: hours run, wear, what was left, how dry."""


class Snapshot(BaseModel):
    """All that a run was started with. Written once and never changed, so what a later version does not know is ignored.

    ``choices`` is what was chosen, ``settings`` all that it came to, both by dotted keys' nesting as a core Recipe.
    ``estimate`` is the prediction with its interval and both ledgers, None for a run that was brought from elsewhere.
    ``imported`` tells such a run.
    """

    model_config = ConfigDict(extra="ignore", frozen=True)

    format: int = 1
    part: Named = Named()
    part_digest: str = ""
    pose: dict[str, Any] = Field(default={})
    column: Named = Named()
    machine: Named = Named()
    nozzle: Named = Named()
    material: Named = Named()
    spool: Named | None = None
    choices: dict[str, Any] = Field(default={})
    settings: dict[str, Any] = Field(default={})
    standards: dict[str, Any] = Field(default={})
    gcode: str = ""
    estimate: dict[str, Any] | None = None
    engine_version: str = ""
    imported: bool = False

    def prediction(self) -> Estimate | None:
        """What was predicted; None where nothing was."""
        return None if self.estimate is None else Estimate.model_validate(self.estimate)

    def recipe(self) -> Recipe:
        """What was chosen."""
        return Recipe.model_validate(self.choices)

    def resolved(self) -> Recipe:
        """Every setting that it was printed with."""
        return Recipe.model_validate(self.settings)

    def printer(self) -> Printer:
        """The machine as it was described."""
        return Printer.model_validate(self.machine.described)

    def nozzle_model(self) -> Nozzle:
        """The nozzle as it was described."""
        return Nozzle.model_validate(self.nozzle.described)

    def plastic(self) -> Material:
        """The material as it was described."""
        return Material.model_validate(self.material.described)

    def house(self) -> Standards:
        """What filled in the recipe."""
        return Standards.model_validate(self.standards)
