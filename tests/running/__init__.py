"""How the checks run: what there is, one queue of it, the processes that work through it, and what a change reaches."""
