"""Words: how long things take, and errors in the words of those who get them."""

from meanbead.core.text.durations import duration, duration_difference
from meanbead.core.text.explain import Problem, field_label

__all__ = ["Problem", "duration", "duration_difference", "field_label"]
