"""Motion: what the machine's limits make of a path."""
