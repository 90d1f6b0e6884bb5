"""What the API takes and gives: faults, their causes, and chains of tries."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from pydantic import Field

from meanbead.api.journal_schemas import EntryOut
from meanbead.api.runs_schemas import RunHead
from meanbead.api.schema import Schema
from meanbead.core.faults import Proof
from meanbead.core.log import Difference
from meanbead.core.model.finding import SetTo
from meanbead.core.model.insight import Spot

Known = Annotated[str, Field(min_length=1, max_length=40, pattern=r"^[a-z][a-z_]*$")]


class MistakenOut(Schema):
    """Another fault that this one is taken for, and how to tell."""

    fault: str
    tell: str


class FaultOut(Schema):
    """A fault in people's words."""

    key: str
    name: str
    looks: str
    mistaken: list[MistakenOut]
    first: list[str]
    caution: str


class FaultsOut(Schema):
    """All faults that runs can be tagged with."""

    faults: list[FaultOut]


class LookOut(Schema):
    """Something to look at, and what the records say of it."""

    what: str
    says: str
    suspect: bool


class SinceOut(Schema):
    """What has changed on a machine since its last good run."""

    good: RunHead | None
    good_in_a_row: int
    verdict: str
    looks: list[LookOut]
    changed: list[Difference]
    journal: list[EntryOut]


class OthersOut(Schema):
    """A setting in other runs of the same machine and plastic: how many with the fault and without, and its middle value."""

    with_count: int
    with_middle: float
    without_count: int
    without_middle: float


class SuspectOut(Schema):
    """A cause of a fault. ``chance`` is that of curing the fault by it: judgement, and this workshop's own tries (``cured`` of
    ``tried``); ``in_vain`` is the run of this chain that tried it and still had the fault. ``standing`` is where this run's ``value`` stands to the ``limit``. ``settings`` is the change that tries it,
    ``changes`` that in words; both are empty where no setting does."""

    cause: str
    name: str
    kind: Literal["machine", "plastic", "recipe", "part"]
    why: str
    test: str
    cure: str
    caution: str
    journal: str | None
    chance: float
    prior: float
    tried: int
    cured: int
    in_vain: int | None
    standing: Literal["beyond", "near", "within", "unknown"]
    value: float | str | None
    looks_at: str
    limit: float | None
    limit_name: str
    says: list[str]
    where: list[Spot]
    others: OthersOut | None
    settings: list[SetTo]
    changes: list[str]


class FaultCauses(Schema):
    """The likely causes of one of a run's faults, in order."""

    fault: FaultOut
    causes: list[SuspectOut]


class CausesOut(Schema):
    """The likely causes of each of a run's faults."""

    faults: list[FaultCauses]


class CauseAsk(Schema):
    """A cause of a fault of a run."""

    fault: Known
    cause: Known


class PriceOut(Schema):
    """What a change costs on this part: more (or less) printing, s, and plastic, g; the seconds may be off by ``error_s``."""

    print_s: float
    filament_g: float
    error_s: float


class TriedOut(Schema):
    """The new column that tries a cause."""

    recipe_id: int
    part_id: int
    name: str


class LinkOut(Schema):
    """A run of a chain: what was otherwise than in the one that it follows, what was done in between, and what that shows."""

    run: RunHead
    tries: str
    changed: list[Difference]
    journal: list[EntryOut]
    proof: Proof | None
    at: datetime


class ChainOut(Schema):
    """A chain of tries, from the run that had the fault first; a run may have several followers."""

    links: list[LinkOut]
    says: str
