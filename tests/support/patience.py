"""How long a test waits for what has to come. Waits end as soon as it is there: a long one costs time only where something is
truly wrong, and then it should say so soon."""

PATIENCE_S = 90
"""For an answer, a page, a job. Less would do on a free machine; on a slow one with busy cores a job of seconds takes a minute."""
PATIENCE_MS = PATIENCE_S * 1000

START_S = 90
"""For a whole workshop's process to come up, answer or end, on a machine whose cores are busy elsewhere."""
