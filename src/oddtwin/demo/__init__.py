"""The demo lab book: an invented workshop, built by code from a fixed seed."""

import lazy_loader

__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)
