"""Photographs: arrays in, figures out, each with its uncertainty or the reason why it cannot be told."""

import lazy_loader

__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)
