"""Faults over HTTP: what is known of them, what a run says of their causes, and the chain of tries."""

from __future__ import annotations

from dataclasses import asdict
from functools import cache

from apiflask import APIBlueprint
from sqlalchemy.orm import Session

from meanbead import services, store
from meanbead.api.access import me
from meanbead.api.context import context, session
from meanbead.api.faults_schemas import (
    CauseAsk,
    CausesOut,
    ChainOut,
    FaultCauses,
    FaultOut,
    FaultsOut,
    LinkOut,
    LookOut,
    MistakenOut,
    OthersOut,
    PriceOut,
    SinceOut,
    SuspectOut,
    TriedOut,
)
from meanbead.api.journal_schemas import entry_out
from meanbead.api.runs_schemas import run_head
from meanbead.core.advise.context import with_settings
from meanbead.core.errors import MeanBeadError
from meanbead.core.faults import FaultKind, knowledge
from meanbead.core.log.differences import shown
from meanbead.core.model.finding import SetTo
from meanbead.core.recipe.choices import choices, value_at
from meanbead.services.suspects import Asked, Tried, asked_of, price, settings_of, tried
from meanbead.store.tables import Machine, MaterialRow, NozzleRow, Part, RunRow

blueprint = APIBlueprint("faults", __name__, url_prefix="/api", tag="Faults")


@blueprint.get("/faults")
@blueprint.output(FaultsOut)
def list_faults() -> FaultsOut:
    """What people see on prints: what it looks like, what it is mistaken for, and what to look at first."""
    return FaultsOut(faults=[_fault_out(fault) for fault in knowledge().faults.values()])


@blueprint.get("/runs/<int:run_id>/since")
@blueprint.output(SinceOut)
def since_last_good(run_id: int) -> SinceOut:
    """What has changed on the machine since its last good run: what to look at before any setting."""
    with session() as db:
        found = services.since.since_good(db, _run(db, run_id))
        return SinceOut(
            good=None if found.good is None else run_head(found.good),
            good_in_a_row=found.good_in_a_row,
            verdict=found.verdict,
            looks=[LookOut(**asdict(look)) for look in found.looks],
            changed=found.changed,
            journal=[entry_out(row) for row in found.journal],
        )


@blueprint.get("/runs/<int:run_id>/causes")
@blueprint.output(CausesOut)
def list_causes(run_id: int) -> CausesOut:
    """The likely causes of each of a run's faults, with this run's evidence, and the one change that tries each."""
    known = knowledge()
    with session() as db:
        run = _run(db, run_id)
        asked = asked_of(db, run)
        faults = [known.faults[fault] for fault in run.faults if fault in known.faults]
    engine = context().engine
    return CausesOut(
        faults=[
            FaultCauses(
                fault=_fault_out(fault), causes=[_suspect_out(one, asked) for one in tried(asked, fault, engine)]
            )
            for fault in faults
        ]
    )


@blueprint.post("/runs/<int:run_id>/causes/price")
@blueprint.input(CauseAsk)
@blueprint.output(PriceOut)
def price_cause(run_id: int, json_data: CauseAsk) -> PriceOut:
    """What trying a cause costs in minutes and grams, on this part and against this run's recipe."""
    with session() as db:
        asked = asked_of(db, _run(db, run_id), alone=True)
    engine = context().engine
    settings = settings_of(asked, _fault(json_data.fault), json_data.cause, engine)
    return PriceOut(**asdict(price(asked, settings, engine)))


@blueprint.post("/runs/<int:run_id>/causes/try")
@blueprint.input(CauseAsk)
@blueprint.output(TriedOut, status_code=201)
def try_cause(run_id: int, json_data: CauseAsk) -> TriedOut:
    """Make a column of the run's own recipe with the one change that tries a cause. What is run from it follows the run."""
    fault = _fault(json_data.fault)
    with session() as db:
        asked = asked_of(db, _run(db, run_id), alone=True)
    settings = settings_of(asked, fault, json_data.cause, context().engine)
    job = with_settings(asked.prepared().job, settings, {})
    cause = knowledge().causes[json_data.cause]
    frozen = asked.frozen
    with session() as db:
        part = store.rows.get(db, Part, frozen.part.id or 0)
        row = store.recipes.add_recipe(
            db,
            part,
            name=f"{cause.name}? After #{run_id}"[:120],
            machine_id=store.rows.get(db, Machine, frozen.machine.id or 0, deleted=True).id,
            nozzle_id=store.rows.get(db, NozzleRow, frozen.nozzle.id or 0, deleted=True).id,
            material_id=store.rows.get(db, MaterialRow, frozen.material.id or 0, deleted=True).id,
            choices=job.recipe,
        )
        row.tries_run_id, row.tries_cause = run_id, cause.key
        db.flush()
        store.versions.record_version(db, row, me().name)
        return TriedOut(recipe_id=row.id, part_id=part.id, name=row.name)


@blueprint.get("/runs/<int:run_id>/chain")
@blueprint.output(ChainOut)
def chain(run_id: int) -> ChainOut:
    """The chain of tries that a run belongs to: what was changed from one to the next, and what it did."""
    known = knowledge()
    with session() as db:
        links = services.chains.chain_of(db, _run(db, run_id))
        return ChainOut(
            links=[
                LinkOut(
                    run=run_head(link.run),
                    tries=known.causes[link.run.tries_cause].name if link.run.tries_cause in known.causes else "",
                    changed=link.changed,
                    journal=[entry_out(row) for row in link.journal],
                    proof=link.proof,
                    at=link.run.started_at,
                )
                for link in links
            ],
            says=services.chains.told(links, {key: fault.name for key, fault in known.faults.items()}),
        )


def _run(db: Session, run_id: int) -> RunRow:
    row = store.runs.get_full(db, run_id)
    if row is None or row.deleted_at is not None:
        raise store.rows.NotFound(f"There is no run {run_id}.")
    return row


def _fault(key: str) -> FaultKind:
    found = knowledge().faults.get(key)
    if found is None:
        raise MeanBeadError(f"{key!r:.50} is no fault that is known.", field="fault")
    return found


def _fault_out(fault: FaultKind) -> FaultOut:
    return FaultOut(
        key=fault.key,
        name=fault.name,
        looks=fault.looks,
        mistaken=[MistakenOut(fault=other.for_, tell=other.tell) for other in fault.mistaken],
        first=list(fault.first),
        caution=fault.caution,
    )


def _suspect_out(one: Tried, asked: Asked) -> SuspectOut:
    suspect, cause, here = one.suspect, one.suspect.cause, one.suspect.evidence
    return SuspectOut(
        cause=cause.key,
        **{name: getattr(cause, name) for name in ("name", "kind", "why", "test", "cure", "caution", "journal")},
        **{name: getattr(suspect, name) for name in ("chance", "prior", "tried", "cured", "in_vain")},
        **{name: getattr(here, name) for name in ("standing", "value", "limit", "limit_name", "says", "where")},
        looks_at=_label(cause.looks_at),
        others=None if one.others is None else OthersOut(**asdict(one.others)),
        settings=one.settings,
        changes=[_in_words(setting, asked) for setting in one.settings],
    )


@cache
def _labels() -> dict[str, tuple[str, str]]:
    return {choice.key: (choice.label, choice.unit) for choice in choices()}


def _label(key: str) -> str:
    if key == "flow":
        return "Flow asked for, mm³/s"
    label, unit = _labels().get(key, (key.replace("_", " "), ""))
    return f"{label}, {unit}" if unit else label


def _in_words(setting: SetTo, asked: Asked) -> str:
    label, unit = _labels().get(setting.key, (setting.key.replace("_", " "), ""))
    before = value_at(asked.frozen.resolved(), setting.key)
    return f"{label}: {shown(before, unit)} → {shown(setting.value, unit)}"
