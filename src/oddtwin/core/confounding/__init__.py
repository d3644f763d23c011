"""What cannot be separated from what, among the factors and everything else that differs."""

from oddtwin.core.confounding.check import Confounding, check_confounding
from oddtwin.core.confounding.columns import Column, ColumnKind

__all__ = ["Column", "ColumnKind", "Confounding", "check_confounding"]
