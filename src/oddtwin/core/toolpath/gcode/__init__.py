"""Sliced files: from the text of G-code to moves, layers and figures."""

import lazy_loader

__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)
