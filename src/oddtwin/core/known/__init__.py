"""What the workshop knows: effects of settled studies, pooled where they ask the same."""

import lazy_loader

__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)
