"""What real prints say: their true time, what they used, what was saved, and how often they fail."""

from meanbead.core.log.differences import Difference, differences
from meanbead.core.log.failures import FaultRate, fault_rate
from meanbead.core.log.saved import Printed, Saved, saved
from meanbead.core.log.used import RealTime, Used, real_time, used

__all__ = [
    "Difference",
    "FaultRate",
    "Printed",
    "RealTime",
    "Saved",
    "Used",
    "differences",
    "fault_rate",
    "real_time",
    "saved",
    "used",
]
