"""Rules of material and nozzle: wear, damp, bores that block, fumes."""

from __future__ import annotations

from collections.abc import Iterator

from meanbead.core.model.finding import Finding
from meanbead.core.rules.rule_input import RuleInput, remedy

__all__ = ["abrasive", "damp", "small_bore", "ventilation"]


def abrasive(s: RuleInput) -> Iterator[Finding]:
    """Filled plastic wears soft nozzles."""
    if not s.material.abrasive or s.nozzle.hard:
        return
    hard = [
        (abs(nozzle.bore_mm - s.nozzle.bore_mm), number)
        for number, nozzle in s.nozzles.items()
        if nozzle.hard and nozzle.bore_mm >= s.material.min_bore_mm
    ]
    ways = []
    if hard:
        number = min(hard)[1]
        ways = [remedy(f"The hard {s.nozzles[number].bore_mm:g} mm nozzle", {"nozzle": number})]
    yield Finding(
        rule="abrasive",
        severity="risk",
        field="nozzle",
        sentence=f"{s.material.name} is abrasive and will wear out a {s.nozzle.metal.replace('_', ' ')} nozzle quickly.",
        remedy="Use a hardened nozzle, a little hotter. Swap it with the proper tool, by the maker's instructions: it is hot.",
        reason="Fibres and powders file the bore open; lines come out wide and rough. Stainless steel is tough, not hard.",
        source="The plastic's description",
        remedies=ways,
    )


def small_bore(s: RuleInput) -> Iterator[Finding]:
    """Filling that blocks a small bore."""
    least = s.material.min_bore_mm
    if s.nozzle.bore_mm >= least - 1e-9:
        return
    large = [
        (nozzle.bore_mm, number)
        for number, nozzle in s.nozzles.items()
        if nozzle.bore_mm >= least and not (s.material.abrasive and not nozzle.hard)
    ]
    ways = []
    if large:
        bore, number = min(large)
        ways = [remedy(f"The {bore:g} mm nozzle", {"nozzle": number})]
    yield Finding(
        rule="small_bore",
        severity="risk",
        field="nozzle",
        sentence=f"{s.material.name} is filled: it may block a {s.nozzle.bore_mm:g} mm bore.",
        remedy=f"At least {least:g} mm.",
        value=s.nozzle.bore_mm,
        limit=least,
        reason="Fibres bridge in front of a bore that is not much wider than they are long.",
        source="The plastic's description",
        remedies=ways,
    )


def damp(s: RuleInput) -> Iterator[Finding]:
    """Plastic that drinks from the air, and was not dried."""
    if not s.material.damp_prone or s.shop.spool_dry is not False:
        return
    said = s.shop.spool_says or f"{s.material.name} takes up water, and this spool was not dried lately."
    yield Finding(
        rule="damp",
        severity="risk",
        field="spool",
        sentence=said,
        remedy="Dry it as its maker says. A kitchen oven overshoots and softens spools, and is not for food afterwards.",
        reason="Water boils in the nozzle: bubbles, strings and weak layers.",
        source="The plastic's description, and what the shelf knows of the spool",
    )


def ventilation(s: RuleInput) -> Iterator[Finding]:
    """Plastics whose fumes should not be breathed."""
    if not s.material.ventilate:
        return
    yield Finding(
        rule="ventilation",
        severity="caution",
        field="material",
        sentence=f"{s.material.name} gives off fumes and fine particles while it prints.",
        remedy="Ventilate to the outside or filter, and follow the maker's safety sheet.",
        reason="Some are harmful to breathe.",
        source="Makers' safety sheets",
    )
