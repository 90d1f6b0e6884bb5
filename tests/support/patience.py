"""How long a test waits for what has to come.

A machine whose cores are busy elsewhere may take a hundred times as long as a free one, and what is slow is no failure: these
waits end as soon as what is awaited is there, so that a long one costs time only where something is truly wrong.
"""

PATIENCE_S = 120
PATIENCE_MS = PATIENCE_S * 1000
