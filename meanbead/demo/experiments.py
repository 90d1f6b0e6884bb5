"""The sample workshop's experiment: heights of one nozzle on the knob, printed, compared blind by two, and decided."""

from __future__ import annotations

from itertools import combinations

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from meanbead import services, store
from meanbead.core.model.experiment import Grid
from meanbead.store.tables import ComparisonRow, ExperimentRow, Part, RecipeRow, now, plain

__all__ = ["SAMPLE_EXPERIMENT", "SAMPLE_PART", "begin_sample_experiment", "end_sample_experiment"]

SAMPLE_EXPERIMENT, SAMPLE_PART = "Heights of the 0.4 nozzle", "Domed knob"
_LEVELS = (0.3, 0.4, 0.5, 0.6, 0.7)
_QUALITY = (2.0, 1.9, 1.5, 0.7, -0.9)
"""How the pieces look: what people compare. Between 0.3 and 0.4 hardly anybody sees a difference."""
_SPOTS = ("dome", "foot")
_JUDGES = ("Robin", "Ash")


def begin_sample_experiment(session: Session) -> ExperimentRow | None:
    """The experiment with its cells; the one that is there where it was begun before, None without the part."""
    known = session.scalars(select(ExperimentRow).where(ExperimentRow.name == SAMPLE_EXPERIMENT)).first()
    part = session.scalars(select(Part).where(Part.name == SAMPLE_PART, Part.deleted_at.is_(None))).first()
    columns = [] if part is None else store.recipes.recipes_of(session, part.id)
    if known is not None or not columns:
        return known
    base: RecipeRow = columns[0]
    row = ExperimentRow(
        name=SAMPLE_EXPERIMENT,
        part_id=base.part_id,
        machine_id=base.machine_id,
        nozzle_id=base.nozzle_id,
        material_id=base.material_id,
        choices=base.choices,
        grid=plain(Grid.model_validate({"factors": [{"key": "height_share", "levels": _LEVELS}], "spots": _SPOTS})),
        note="How coarse may the knobs be?",
    )
    session.add(row)
    session.flush()
    session.refresh(row)
    services.experiments.sync_cells(session, row)
    return row


def end_sample_experiment(session: Session, row: ExperimentRow) -> None:
    """What two people saw of the printed pieces, and what was made of it."""
    cells = store.experiments.cells_of(session, row.id)
    rng = np.random.default_rng(20)
    pairs = [(who, spot, *pair) for who in _JUDGES for spot in _SPOTS for pair in combinations(range(len(cells)), 2)]
    for number, (who, spot, one, other) in enumerate(pairs):
        chance = 1 / (1 + np.exp(2.2 * (_QUALITY[other] - _QUALITY[one])))
        draw = float(rng.random())
        even = abs(_QUALITY[one] - _QUALITY[other]) < 0.2 and draw < 0.5
        better, worse = (one, other) if draw < chance else (other, one)
        session.add(
            ComparisonRow(
                name=f"{one} and {other}",
                key=f"sample-pair-{number:04d}",
                experiment_id=row.id,
                better_id=cells[better].id,
                other_id=cells[worse].id,
                even=even,
                spot=spot,
                who=who,
            )
        )
    session.flush()
    said = services.experiments.load(session, row).sentence
    row.kept = {"sentence": said, "among_rules": True, "into": [], "at": now().isoformat(), "who": "Robin"}
    session.flush()
