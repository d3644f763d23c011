"""Pictures as plain shapes, so that the window and the report draw the very same ones."""

import lazy_loader

__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)
