"""The screens that the window makes when they are first shown."""

from oddtwin.ui.ask import AskView
from oddtwin.ui.help import HelpView
from oddtwin.ui.plan import PlanView
from oddtwin.ui.press import PressView
from oddtwin.ui.settle import SettleView
from oddtwin.ui.verdict import VerdictView

__all__ = ["AskView", "HelpView", "PlanView", "PressView", "SettleView", "VerdictView"]
