"""Tidy readings, and how they become one value for each print and pairs of prints."""

import lazy_loader

__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)
