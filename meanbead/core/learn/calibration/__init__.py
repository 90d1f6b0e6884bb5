"""What a machine's real prints teach of its predictions: times by cause, grams, and the limits that it really has."""

from meanbead.core.learn.calibration.calibration import Calibration, CalibrationReport, Ranged, TimeDifference
from meanbead.core.learn.calibration.fit import Posterior, TimedRun, fit_times
from meanbead.core.learn.calibration.grams import GramPosterior, WeighedRun, fit_grams

__all__ = [
    "Calibration",
    "CalibrationReport",
    "GramPosterior",
    "Posterior",
    "Ranged",
    "TimeDifference",
    "TimedRun",
    "WeighedRun",
    "fit_grams",
    "fit_times",
]
