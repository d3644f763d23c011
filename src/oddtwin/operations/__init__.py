"""What a user can do: named, undoable edits of the lab book.

Each operation is one transaction and returns a record of what it changed, or None when
it changed nothing. Every one raises ``StoreError``, with a sentence for the user, where the
book cannot be written, and of a study that is settled; what else it refuses stands under Raises.
"""

import lazy_loader

__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)
