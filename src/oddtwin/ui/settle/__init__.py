"""Settle: decide, write down why, and tell others."""

from oddtwin.ui.settle.settle import SettleView

__all__ = ["SettleView"]
