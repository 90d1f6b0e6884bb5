"""G-code: scan files of any size, replay them through the motion model; read the firmware's own settings."""

from meanbead.core.gcode.firmware import apply_settings, printer_from_report
from meanbead.core.gcode.replay import FEATURE_PATTERN, Replay, replay

__all__ = ["FEATURE_PATTERN", "Replay", "apply_settings", "printer_from_report", "replay"]
