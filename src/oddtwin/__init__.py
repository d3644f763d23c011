"""Odd Twin: an experimenter's bench for controlled print comparisons."""

__version__ = "0.1.0"
