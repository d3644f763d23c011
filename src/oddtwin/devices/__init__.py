"""Instruments on a line: what they send, read as samples; and stand-ins that speak over a pseudo-terminal."""

import lazy_loader

__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)
