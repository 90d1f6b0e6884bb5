"""Motion: what the machine's limits make of a path."""

from meanbead.core.motion.limits import PathLimits, path_limits
from meanbead.core.motion.lookahead import Moves, Profile, plan_speeds, straight_move_time_s
from meanbead.core.motion.paired_lookahead import plan_with_and_without

__all__ = [
    "Moves",
    "PathLimits",
    "Profile",
    "path_limits",
    "plan_speeds",
    "plan_with_and_without",
    "straight_move_time_s",
]
