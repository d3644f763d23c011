"""Stand-ins that speak over a pseudo-terminal, so that the real driver is what is tried."""

import lazy_loader

__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)
