"""A small path generator: sliced files of simple pieces whose true figures are known."""

import lazy_loader

__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)
