"""The run list: drawn from a plan, added to, and what is checked between two runs."""

import lazy_loader

__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)
