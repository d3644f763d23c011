"""The window: PySide6 Widgets; one package a screen, shared widgets beside them."""
