"""The screens before a study: welcome, and the list of studies with machines and history."""

from oddtwin.ui.bench.bench import BenchView
from oddtwin.ui.bench.welcome import WelcomeView

__all__ = ["BenchView", "WelcomeView"]
