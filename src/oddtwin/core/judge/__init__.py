"""Judging by eye: what pure luck would do."""

from oddtwin.core.judge.luck import BlindTest, Luck, luck, matching_chances

__all__ = ["BlindTest", "Luck", "luck", "matching_chances"]
