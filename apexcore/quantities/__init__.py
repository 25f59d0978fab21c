"""Units at the edges of the core: the glossary, parsing and formatting."""

from .glossary import GLOSSARY, Quantity
from .text import format_lap, format_number, parse_lap, read_number, spread_decimals

__all__ = ["GLOSSARY", "Quantity", "format_lap", "format_number", "parse_lap", "read_number", "spread_decimals"]
