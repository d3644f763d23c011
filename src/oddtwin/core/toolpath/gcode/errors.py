"""What is wrong with a sliced file, as a sentence for the user."""

from __future__ import annotations


class GcodeError(ValueError):
    """A sliced file cannot be used; the message says what, where, and what to do."""
