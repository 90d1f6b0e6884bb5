"""The job's rules and arithmetic.

Nothing in here imports a web framework, a database or a socket; nothing in here knows who calls it.
"""
