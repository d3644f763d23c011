"""Ask: the question, what differs, what to measure, and what must stay the same."""

from oddtwin.ui.ask.ask import AskView

__all__ = ["AskView"]
