"""PostgreSQL: the cluster, tables, migrations, and queries, one file a noun."""

from meanbead.store import (
    estimates,
    flow_tests,
    gcode_files,
    house,
    jobs,
    parts,
    recipes,
    rows,
    shelf,
    uploads,
    versions,
)

__all__ = [
    "estimates",
    "flow_tests",
    "gcode_files",
    "house",
    "jobs",
    "parts",
    "recipes",
    "rows",
    "shelf",
    "uploads",
    "versions",
]
