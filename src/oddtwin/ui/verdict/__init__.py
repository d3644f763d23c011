"""Verdict: a sentence, the difference itself, the figures."""

from oddtwin.ui.verdict.verdict import VerdictView

__all__ = ["VerdictView"]
