"""The customs of the trade: kinds of change, faults, what a change disturbs, kinds of question."""

import lazy_loader

__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)
