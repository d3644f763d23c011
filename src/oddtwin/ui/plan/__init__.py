"""Plan: where, how many, in which order."""

from oddtwin.ui.plan.plan import PlanView

__all__ = ["PlanView"]
