"""The sample workshop, made by code: invented parts, machines, nozzles and materials."""
