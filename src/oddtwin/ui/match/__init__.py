"""The stage Match: whether the sliced files are twins but for the change."""

from oddtwin.ui.match.match import MatchView

__all__ = ["MatchView"]
