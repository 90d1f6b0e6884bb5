"""Faults that people see, their causes, the evidence of a run, and what cured what."""

from meanbead.core.faults.change import changed_settings
from meanbead.core.faults.evidence import Evidence, evidence
from meanbead.core.faults.knowledge import Cause, Change, FaultKind, Knowledge, knowledge
from meanbead.core.faults.order import CureCount, Suspect, ordered
from meanbead.core.faults.proof import Proof, counted, proof

__all__ = [
    "Cause",
    "Change",
    "CureCount",
    "Evidence",
    "FaultKind",
    "Knowledge",
    "Proof",
    "Suspect",
    "changed_settings",
    "counted",
    "evidence",
    "knowledge",
    "ordered",
    "proof",
]
