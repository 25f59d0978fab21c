"""How many cases a test runs: a few in `make test`, hundreds in `make thorough`.

A test that has more of them there is marked `thorough`; one that is run there alone is marked `thorough_only`.
"""

import os
from typing import TypeVar

Value = TypeVar("Value")

#: Whether this is `make thorough`.
THOROUGH = os.environ.get("APEX_THOROUGH") == "1"


def many(usual: Value, thorough: Value) -> Value:
    """A number of cases, a list of them or a bound: as it is usually, and in `make thorough`."""
    return thorough if THOROUGH else usual
