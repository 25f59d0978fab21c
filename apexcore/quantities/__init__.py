"""Units at the edges of the core: the glossary, parsing and formatting."""

from .glossary import TERMS, Term
from .text import format_lap, format_number, parse_lap, read_number, spread_decimals

__all__ = ["TERMS", "Term", "format_lap", "format_number", "parse_lap", "read_number", "spread_decimals"]
