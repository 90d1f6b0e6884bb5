"""PostgreSQL: the cluster, tables, migrations, and queries, one file a noun."""

from meanbead.store import (
    audit,
    estimates,
    flow_tests,
    gcode_files,
    house,
    jobs,
    parts,
    people,
    recipes,
    rows,
    sessions,
    shelf,
    tries,
    uploads,
    versions,
)

__all__ = [
    "audit",
    "estimates",
    "flow_tests",
    "gcode_files",
    "house",
    "jobs",
    "parts",
    "people",
    "recipes",
    "rows",
    "sessions",
    "shelf",
    "tries",
    "uploads",
    "versions",
]
