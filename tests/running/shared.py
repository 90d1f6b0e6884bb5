"""What the processes of one run share, by the names of the environment that carry it."""

CLUSTER = "MEANBEAD_TEST_CLUSTER"
"""The folder of the run's own database cluster, which the first who needs it starts and the queue stops."""
