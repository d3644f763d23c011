"""The window: PySide6 Widgets; one package a screen, shared widgets beside them."""

from oddtwin.ui.spoken import speak_as_here

# Before the first screen: what their tables say is translated as they are loaded.
speak_as_here()
