"""The stage Look: photographs side by side and in place, what is measured of them, and blind judging."""

from oddtwin.ui.look.look import LookView

__all__ = ["LookView"]
