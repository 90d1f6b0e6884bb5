"""The likely causes of a run's faults, with this run's evidence, and the one change that tries each."""

from __future__ import annotations

from dataclasses import dataclass, field
from statistics import median

from sqlalchemy.orm import Session, undefer

from meanbead import store
from meanbead.core.advise.context import with_settings
from meanbead.core.errors import MeanBeadError
from meanbead.core.estimate.engine import Engine
from meanbead.core.estimate.job import Prepared, PrintJob, prepare
from meanbead.core.estimate.sample import SAMPLE_LAYERS
from meanbead.core.faults import (
    Cause,
    Evidence,
    FaultKind,
    Proof,
    Suspect,
    changed_settings,
    counted,
    evidence,
    knowledge,
    ordered,
)
from meanbead.core.log.differences import flat
from meanbead.core.model import Pose
from meanbead.core.model.finding import Finding, SetTo
from meanbead.core.model.run import Snapshot
from meanbead.core.model.shop import Shop
from meanbead.core.part.facts import part_facts
from meanbead.core.part.pose import posed
from meanbead.core.rules import RuleInput, findings
from meanbead.services.chains import in_vain
from meanbead.store.tables import Part, RunRow

__all__ = ["Asked", "Others", "Price", "Tried", "asked_of", "price", "settings_of", "tried"]

_OTHERS = 200


@dataclass(frozen=True)
class Others:
    """A setting in other runs of the same machine and plastic, with the fault and without: how many, and the middle."""

    with_count: int
    with_middle: float
    without_count: int
    without_middle: float


@dataclass(frozen=True)
class Tried:
    """A suspect with what other runs say, and the change that tries it; ``settings`` is empty where the bench cannot."""

    suspect: Suspect
    others: Others | None
    settings: list[SetTo]


@dataclass(frozen=True)
class Price:
    """What a change costs on this part: seconds and grams more (or less), and by how much a sample may be off."""

    print_s: float
    filament_g: float
    error_s: float


@dataclass(frozen=True)
class Asked:
    """A run with what is needed to judge it."""

    run: RunRow
    frozen: Snapshot
    job: PrintJob | None
    counts: list[Proof]
    others: list[tuple[list[str], dict[str, object]]]
    in_vain: dict[tuple[str, str], int] = field(default_factory=dict)
    """By fault and cause, the run of this chain that tried it and still had the fault."""

    def prepared(self) -> Prepared:
        """Its job, thought through. Raises :class:`MeanBeadError` where there is none."""
        if self.job is None:
            raise MeanBeadError(
                "This run's part or recipe is not on record, so nothing can be tried on it.", field="run"
            )
        return prepare(self.job)


def asked_of(session: Session, run: RunRow, *, alone: bool = False) -> Asked:
    """Read what is needed to judge a run: its frozen recipe, on its part as it stood then; and, unless it is looked at
    ``alone``, what other runs say."""
    frozen = Snapshot.model_validate(run.snapshot)
    return Asked(
        run,
        frozen,
        _job(session, frozen),
        [] if alone else [Proof.model_validate(found) for found in store.runs.proofs(session)],
        [] if alone else store.runs.settings_of_others(session, run, limit=_OTHERS),
        {} if alone else in_vain(session, run),
    )


def _job(session: Session, frozen: Snapshot) -> PrintJob | None:
    if frozen.imported or frozen.gcode or frozen.part.id is None or not frozen.settings:
        return None
    part = session.get(Part, frozen.part.id, options=[undefer(Part.vertices), undefer(Part.faces)])
    if part is None:
        return None
    _, solid = store.parts.part_as_read(session, part.id)
    return PrintJob(
        posed(solid, Pose.model_validate(frozen.pose)),
        frozen.recipe(),
        frozen.printer(),
        frozen.nozzle_model(),
        frozen.plastic(),
        frozen.house(),
    )


def tried(asked: Asked, fault: FaultKind, engine: Engine) -> list[Tried]:
    """The causes of a fault, the likeliest first. Of a run whose recipe is not on record, judgement and tries alone."""
    known = knowledge()
    found: dict[str, Evidence] = {}
    rules: list[Finding] = []
    prepared: Prepared | None = None
    if asked.job is not None:
        prepared = asked.prepared()
        rule_input = _rule_input(asked, prepared, engine)
        rules = findings(rule_input)
        found = {key: evidence(known.causes[key], rule_input, rules) for key in fault.causes}
    vain = {cause: run for (of, cause), run in asked.in_vain.items() if of == fault.key}
    suspects = ordered(fault, known, found, counted(asked.counts), vain)
    return [
        Tried(
            suspect,
            _others(suspect.cause, fault.key, asked),
            [] if prepared is None else _settings(suspect.cause, prepared, rules),
        )
        for suspect in suspects
    ]


def _rule_input(asked: Asked, prepared: Prepared, engine: Engine) -> RuleInput:
    solid = prepared.job.solid
    spool = asked.frozen.spool
    known: dict[str, object] = {}
    if spool is not None:
        dry = {"dry": True, "hardly_matters": True, "damp": False, "doubtful": False}.get(
            str(spool.state.get("dryness"))
        )
        known = {
            "spool_name": spool.name,
            "spool_dry": dry,
            "spool_says": f"{spool.name}: {spool.state.get('says', '')}",
        }
    estimate = asked.frozen.prediction() or engine.sampled(prepared, SAMPLE_LAYERS).estimate
    return RuleInput(
        prepared,
        part_facts(solid),
        estimate,
        engine.insight(solid).facts,
        house=asked.frozen.house().house,
        limits=asked.frozen.house().limits,
        shop=Shop.model_validate(known),
    )


def _settings(cause: Cause, prepared: Prepared, rules: list[Finding]) -> list[SetTo]:
    job = prepared.job
    return changed_settings(cause, prepared.plan.as_recipe(), job.printer, job.material, rules)


def _others(cause: Cause, fault: str, asked: Asked) -> Others | None:
    if not cause.looks_at or cause.looks_at == "flow":
        return None
    values: dict[bool, list[float]] = {True: [], False: []}
    for faults, settings in asked.others:
        value = flat(settings).get(cause.looks_at)
        if isinstance(value, int | float) and not isinstance(value, bool):
            values[fault in faults].append(float(value))
    if not values[True] and not values[False]:
        return None
    return Others(
        len(values[True]),
        median(values[True]) if values[True] else 0.0,
        len(values[False]),
        median(values[False]) if values[False] else 0.0,
    )


def settings_of(asked: Asked, fault: FaultKind, cause_key: str, engine: Engine) -> list[SetTo]:
    """The change that tries a cause of a fault on a run's recipe. Raises :class:`MeanBeadError` where there is none."""
    if cause_key not in fault.causes:
        raise MeanBeadError(f"{cause_key!r:.50} is no cause of {fault.name.lower()}.", field="cause")
    cause = knowledge().causes[cause_key]
    settings: list[SetTo] = []
    if asked.job is not None:
        prepared = asked.prepared()
        settings = _settings(cause, prepared, findings(_rule_input(asked, prepared, engine)))
    if not settings:
        raise MeanBeadError(f"{cause.name}: no setting tries that.", field="cause", remedy=cause.cure)
    return settings


def price(asked: Asked, settings: list[SetTo], engine: Engine) -> Price:
    """What a change costs against the run's own recipe, on the same layers. Raises :class:`MeanBeadError`."""
    before = engine.sampled(asked.prepared(), SAMPLE_LAYERS)
    after = engine.sampled(prepare(with_settings(asked.prepared().job, settings, {})), SAMPLE_LAYERS, before)
    return Price(
        after.estimate.print_time_s - before.estimate.print_time_s,
        after.estimate.filament_g - before.estimate.filament_g,
        before.difference_error_s(after),
    )
