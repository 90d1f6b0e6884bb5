"""``meanbead facts``: what a part is."""

from __future__ import annotations

import argparse

from meanbead.cli.inputs import Commands, part_arguments, solid_of

__all__ = ["add"]


def add(commands: Commands) -> None:
    """Add the command and its arguments."""
    facts = commands.add_parser("facts", help="what a part is: size, volume, surface, footprint")
    part_arguments(facts)
    facts.set_defaults(run=_facts)


def _facts(arguments: argparse.Namespace) -> None:
    from meanbead.core.part.facts import part_facts

    solid = solid_of(arguments)
    facts = part_facts(solid)
    if arguments.json:
        print(facts.model_dump_json())
        return
    size = facts.extents_mm
    print(f"size       {size.x:.2f} x {size.y:.2f} x {size.z:.2f} mm")
    print(f"volume     {facts.volume_mm3 / 1000:.2f} cm3")
    print(f"surface    {facts.surface_mm2 / 100:.1f} cm2")
    print(f"footprint  {facts.footprint_mm2 / 100:.2f} cm2")
    print(f"triangles  {facts.triangles:,} in {facts.bodies} {'body' if facts.bodies == 1 else 'bodies'}")
    if solid.guessed is not None and solid.guessed.any():
        print(f"guessed    {int(solid.guessed.sum()):,} triangles of the surface")
    for sentence in facts.mended:
        print(f"mended     {sentence}")
