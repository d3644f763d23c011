"""Judgement: which comparisons a study makes, what they say, and what could make that wrong."""

import lazy_loader

__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)
