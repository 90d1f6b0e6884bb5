"""The sample workshop's flow tests: what the simulated hot end would give, strand by strand."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

from sqlalchemy.orm import Session

from meanbead import services
from meanbead.core.learn.flow.plan import plan_flow_test
from meanbead.core.model import Material, Nozzle, Printer
from meanbead.core.model.flow_test import FlowPoint, FlowStep
from meanbead.simulators.hotend import HiddenHotend, SimulatedHotend
from meanbead.store.tables import FlowPointRow, FlowTestRow, Machine, MaterialRow, NozzleRow

__all__ = ["add_flow_tests"]

OLD = HiddenHotend(knee_mm3_s=10.4, drive=0.966, curl=0.97)
NEW = HiddenHotend(knee_mm3_s=14.4, drive=0.964, curl=1.02)
KESTREL = HiddenHotend(knee_mm3_s=17.5, drive=1.004, density_g_cm3=1.27, per_degree=0.009)


def add_flow_tests(
    db: Session, machines: dict[str, Machine], nozzles: dict[str, NozzleRow], materials: dict[str, MaterialRow]
) -> None:
    """Three tests: of a nozzle that was taken off since, of the one that is on, and of another machine, which is in use."""
    white, green = materials["PLA, chalk white"], materials["PETG, bottle green"]
    heron, kestrel, brass = machines["Heron"], machines["Kestrel"], nozzles["0.4 brass"]
    old = _tested(db, "Heron before the swap", heron, brass, white, (210,), 70, OLD)
    old.measured = services.flow.measured_by(db, old).model_dump(mode="json")
    old.retired_on, old.retired_because = (datetime.now(UTC) - timedelta(days=64)).date(), "another nozzle"
    _tested(db, "Heron, the new brass nozzle", heron, brass, white, (205, 220), 2, NEW)
    used = _tested(db, "Kestrel with green PETG", kestrel, nozzles["0.6 brass"], green, (240,), 12, KESTREL)
    used.measured = services.flow.measured_by(db, used).model_dump(mode="json")
    used.measured_of = services.flow.made_of(services.flow.flow_test_of(db, used))
    used.wear = {"hours": 40.0, "abrasive_g": 0.0}
    db.flush()


def _tested(
    db: Session,
    name: str,
    machine: Machine,
    nozzle: NozzleRow,
    material: MaterialRow,
    temps_c: tuple[float, ...],
    days_ago: int,
    hidden: HiddenHotend,
) -> FlowTestRow:
    plastic = Material.model_validate(material.material)
    fan = plastic.fan_max
    plan = plan_flow_test(
        Printer.model_validate(machine.printer), Nozzle.model_validate(nozzle.nozzle), plastic, temps_c, fan=fan
    )
    row = FlowTestRow(
        name=name,
        machine=machine,
        nozzle=nozzle,
        material=material,
        setup={
            "temps_c": list(temps_c),
            "fan": fan,
            "scale_g": 0.01,
            "planned": [[step.temp_c, step.flow_mm3_s] for step in plan.steps],
        },
        created_at=datetime.now(UTC) - timedelta(days=days_ago),
    )
    db.add(row)
    db.flush()
    hotend = SimulatedHotend(hidden, hurry=1e6, seed=days_ago)
    for number, step in enumerate(plan.steps):
        point = _strand(hotend, step, fan)
        key = f"sample-{row.id}-{number}"
        held = point.model_dump(mode="json", exclude_none=True)
        db.add(FlowPointRow(name="", test_id=row.id, key=key, point=held, created_at=row.created_at))
    db.flush()
    return row


def _strand(hotend: SimulatedHotend, step: FlowStep, fan: float) -> FlowPoint:
    hotend.temp_c = hotend.target_c = step.temp_c
    hotend.cut()
    hotend.feed(step.length_mm, step.speed_mm_s)
    return FlowPoint(
        flow_mm3_s=step.flow_mm3_s,
        temp_c=step.temp_c,
        length_mm=step.length_mm,
        mass_g=round(hotend.collect_g(), 2),
        fan=fan,
        strand=hotend.hidden.strand(step.flow_mm3_s, step.temp_c),
    )
