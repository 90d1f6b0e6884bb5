"""Work that takes longer than a request should: a queue in the same PostgreSQL, progress, cancel."""
