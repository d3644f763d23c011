"""Sliced files: what they command, how a machine moves by them, and whether two are twins."""
