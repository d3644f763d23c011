"""What a sliced file will print: time, filament and shape, for file, layer, feature and tool."""

import lazy_loader

__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)
