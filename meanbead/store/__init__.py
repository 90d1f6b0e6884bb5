"""PostgreSQL: the cluster, tables, migrations, and queries, one file a noun."""

from meanbead.store import estimates, gcode_files, house, jobs, parts, recipes, rows, shelf, uploads, versions

__all__ = ["estimates", "gcode_files", "house", "jobs", "parts", "recipes", "rows", "shelf", "uploads", "versions"]
