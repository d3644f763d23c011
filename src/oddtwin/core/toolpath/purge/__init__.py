"""Purge: what changes of colour cost, and how to have less of it."""

import lazy_loader

__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)
