"""Open formats that leave and enter: study files, and reports."""

from oddtwin.store.exchange.card import card_of, tables_markdown
from oddtwin.store.exchange.repeating import Background, load_background
from oddtwin.store.exchange.report import Looked, report_html
from oddtwin.store.exchange.study_file import read_study, write_study
from oddtwin.store.exchange.study_parts import schemas

__all__ = [
    "Background",
    "Looked",
    "card_of",
    "load_background",
    "read_study",
    "report_html",
    "schemas",
    "tables_markdown",
    "write_study",
]
