"""What recipes choose from: machines, nozzles, materials and spools."""

from __future__ import annotations

from sqlalchemy.orm import Session

from meanbead.store.rows import NotFound, all_rows
from meanbead.store.tables import (
    Machine,
    MaterialRow,
    NozzleRow,
)


def first_of_each(session: Session) -> tuple[Machine, NozzleRow, MaterialRow]:
    """What a new recipe starts with. Raises :class:`NotFound` in a workshop without machine, nozzle or material."""
    machines, nozzles = all_rows(session, Machine), all_rows(session, NozzleRow)
    materials = all_rows(session, MaterialRow)
    if not (machines and nozzles and materials):
        raise NotFound("The workshop has no machine, nozzle or material yet.")
    usual = min(nozzles, key=lambda row: abs(row.nozzle.get("bore_mm", 0.4) - 0.4))
    return machines[0], usual, materials[0]
