import pytest
from hypothesis import given
from hypothesis import strategies as st

from apexcore.errors import InputError
from apexcore.quantities import GLOSSARY, format_lap, format_number, parse_lap, parse_number


@pytest.mark.parametrize("text", ["1:32.405", "92.405", "92,405", " 1:32,405 ", "92.405 s"])
def test_lap_times_are_read_as_people_type_them(text: str) -> None:
    assert parse_lap(text, "lap") == pytest.approx(92.405)


@pytest.mark.parametrize("text", ["", "abc", "1:75.0", "0", "0.000", "-5", "9999", "1:2:3", "nan", "1e3"])
def test_what_is_no_lap_time_is_refused(text: str) -> None:
    with pytest.raises(InputError, match="lap time"):
        parse_lap(text, "line 3")


@given(st.integers(5_000, 1_800_000))
def test_lap_times_survive_a_round_trip(milliseconds: int) -> None:
    assert parse_lap(format_lap(milliseconds / 1000), "lap") == pytest.approx(milliseconds / 1000, abs=1e-9)


@pytest.mark.parametrize(
    ("text", "unit", "value"),
    [
        ("27.5psi", "kPa", 189.606),
        ("1,9 bar", "kPa", 190.0),
        ("68 °F", "°C", 20.0),
        ("10 gal", "l", 37.854),
        ("150", "kPa", 150.0),
        ("3%", "%", 3.0),
    ],
)
def test_units_typed_inline_are_converted(text: str, unit: str, value: float) -> None:
    assert parse_number(text, unit, "x") == pytest.approx(value, rel=1e-4)


@pytest.mark.parametrize(("text", "unit"), [("abc", "kPa"), ("12 kg", "kPa"), ("", "l"), ("1.2.3", "l"), ("inf", "l"), ("9" * 400, "l")])
def test_what_is_no_number_is_refused(text: str, unit: str) -> None:
    with pytest.raises(InputError, match="place"):
        parse_number(text, unit, "place")


def test_numbers_have_a_true_minus_and_no_negative_zero() -> None:
    assert (format_number(-0.31, 1, True), format_number(0.31, 1, True), format_number(-0.04, 1)) == ("−0.3", "+0.3", "0.0")


def test_the_glossary_has_one_spelling_of_each_unit() -> None:
    assert all(key == line.name and line.words and line.meaning.endswith(".") for key, line in GLOSSARY.items())
