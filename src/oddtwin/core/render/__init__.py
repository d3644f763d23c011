"""Rendered photographs whose truth is known: for tests, for the demo, and for eyes that are tested."""

import lazy_loader

__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)
