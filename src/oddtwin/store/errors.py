"""What can go wrong with a lab book, as sentences for the user."""


class StoreError(Exception):
    """The lab book cannot do what was asked; the message is a sentence for the user."""


class NotALabBookError(StoreError):
    """The folder or file is not a lab book, or is damaged; nothing in it was changed."""


class NewerLabBookError(StoreError):
    """The lab book was written by a newer version of Odd Twin; nothing was changed."""


class ReadOnlyError(StoreError):
    """The lab book is open for reading only."""


def reason_of(error: OSError | ValueError) -> str:
    """Return why the system refused a file or a path, as it says it without path and number."""
    return getattr(error, "strerror", None) or str(error)
