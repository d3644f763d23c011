"""Calibrations of a machine and of instruments: readings in, a figure and what to set out."""

import lazy_loader

__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)
