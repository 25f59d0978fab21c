"""What is kept of pure functions: results and refusals once, faults never."""

import pytest

from apexcore.errors import InputError
from apextrim.library.caches import MB, kept_within


def test_a_refusal_is_found_once_and_said_each_time_while_a_fault_is_tried_again() -> None:
    asked: list[int] = []

    @kept_within(1 * MB)
    def halved(number: int) -> int:
        asked.append(number)
        if number < 0:
            raise ZeroDivisionError
        if number % 2:
            raise InputError("number", number, "an even one")
        return number // 2

    for _ in range(3):
        assert halved(4) == 2
        with pytest.raises(InputError, match="even"):
            halved(3)
        with pytest.raises(ZeroDivisionError):
            halved(-1)
    assert asked.count(4) == 1 and asked.count(3) == 1 and asked.count(-1) == 3
