"""The flow test: what to run, what it says, what to run next."""

from meanbead.core.learn.flow.compare import FlowComparison, compare_tests
from meanbead.core.learn.flow.fit import fit_flow_test
from meanbead.core.learn.flow.measured import measured_melt
from meanbead.core.learn.flow.plan import plan_flow_test

__all__ = ["FlowComparison", "compare_tests", "fit_flow_test", "measured_melt", "plan_flow_test"]
