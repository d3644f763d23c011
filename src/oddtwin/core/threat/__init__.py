"""Threats: what can make a conclusion wrong, how much it weighs, and what to do about it."""

import lazy_loader

__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)
