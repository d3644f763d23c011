"""Numbers, units and names as a person types and reads them."""

from oddtwin.core.quantities.format import (
    after_p,
    capitalized,
    decimals_for,
    format_clock,
    format_list,
    format_minutes,
    format_number,
    format_p,
    format_reading,
    format_signed,
    with_unit,
)
from oddtwin.core.quantities.moment import (
    minutes_between,
    now,
    parse_day,
    parse_moment,
    read_moment,
    seconds_of,
    with_offset,
    write_moment,
)
from oddtwin.core.quantities.parse import QuantityError, parse_number, parse_quantity
from oddtwin.core.quantities.units import UNITS, convert

__all__ = [
    "UNITS",
    "QuantityError",
    "after_p",
    "capitalized",
    "convert",
    "decimals_for",
    "format_clock",
    "format_list",
    "format_minutes",
    "format_number",
    "format_p",
    "format_reading",
    "format_signed",
    "minutes_between",
    "now",
    "parse_day",
    "parse_moment",
    "parse_number",
    "parse_quantity",
    "read_moment",
    "seconds_of",
    "with_offset",
    "with_unit",
    "write_moment",
]
