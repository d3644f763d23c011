"""How a machine moves along a path: speeds reached, and the time it takes."""

import lazy_loader

__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)
