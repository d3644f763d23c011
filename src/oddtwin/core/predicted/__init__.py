"""What the sliced files of a study predict, and how well its prints agree."""

import lazy_loader

__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)
