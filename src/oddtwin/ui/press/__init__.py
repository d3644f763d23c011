"""Print and measure: the run in hand as one big card, everything by key."""

from oddtwin.ui.press.press import PressView

__all__ = ["PressView"]
