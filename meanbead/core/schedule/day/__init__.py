"""The day's plan: runs on machines over the hours in which someone is there."""

from meanbead.core.schedule.day.planner import SECONDS, first_come, longest_first, plan_day, plans

__all__ = ["SECONDS", "first_come", "longest_first", "plan_day", "plans"]
