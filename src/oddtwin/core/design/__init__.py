"""Which prints to make, in which order."""

from oddtwin.core.design.order import ORDER_VERSION, SeededOrder
from oddtwin.core.design.pairs import Cell, PlannedRun, Totals, plan_pairs, totals

__all__ = ["ORDER_VERSION", "Cell", "PlannedRun", "SeededOrder", "Totals", "plan_pairs", "totals"]
