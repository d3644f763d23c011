"""From figures to judgement: the verdict rule, its sentence, and the threats."""

from oddtwin.core.decide.figures import TABLE_HEAD, detail_lines, table_row
from oddtwin.core.decide.finding import Finding, as_json, find, worst_by_arm
from oddtwin.core.decide.sentence import decimals_of, measure_unit, sentence
from oddtwin.core.decide.threats import Threat, find_threats, held_threat, order_threat
from oddtwin.core.decide.verdict import Verdict, judge

__all__ = [
    "TABLE_HEAD",
    "Finding",
    "Threat",
    "Verdict",
    "as_json",
    "decimals_of",
    "detail_lines",
    "find",
    "find_threats",
    "held_threat",
    "judge",
    "measure_unit",
    "order_threat",
    "sentence",
    "table_row",
    "worst_by_arm",
]
