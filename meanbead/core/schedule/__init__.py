"""Time as a workshop has it: hours in which someone is there, and the plates that fit between them."""

from meanbead.core.schedule.attendance import (
    ends_unattended,
    just_fits,
    longest_for_s,
    plates_per_day,
    someone_is_there,
)

__all__ = ["ends_unattended", "just_fits", "longest_for_s", "plates_per_day", "someone_is_there"]
