import pytest
from hypothesis import given
from hypothesis import strategies as st

from apexcore.errors import InputError
from apexcore.quantities import format_lap, format_number, parse_lap, read_number


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
    assert read_number(text, unit, "x") == pytest.approx(value, rel=1e-4)


@pytest.mark.parametrize(("text", "unit"), [("abc", "kPa"), ("12 kg", "kPa"), ("", "l"), ("1.2.3", "l"), ("inf", "l"), ("9" * 400, "l")])
def test_what_is_no_number_is_refused(text: str, unit: str) -> None:
    with pytest.raises(InputError, match="place"):
        read_number(text, unit, "place")


@pytest.mark.parametrize(
    ("text", "value"),
    [
        ("-3", -3),
        ("\u22123", -3),
        ("\u20133,5", -3.5),
        (" +4. ", 4),
        (",5", 0.5),
        ("0,745", 0.745),
        ("1234,5", 1234.5),
        ("1.000", 1),
        ("27.5 psi", 189.606),
    ],
)
def test_signs_commas_and_points_are_read_as_people_type_them(text: str, value: float) -> None:
    assert read_number(text, "kPa", "x") == pytest.approx(value, rel=1e-5)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("1,000", "1000 or 1.000"),
        ("-1,250 kPa", "-1250 or -1.250"),
        ("12,345,678", "12345678"),
        ("1,000.5", "1000.5"),
        ("1,2,3", "a number"),
        ("1.000,5", "a number"),
        ("1 000", "no unit for it"),
    ],
)
def test_a_comma_that_could_part_thousands_is_asked_about(text: str, words: str) -> None:
    with pytest.raises(InputError) as caught:
        read_number(text, "kPa", "Front left pressure")
    assert "Front left pressure" in str(caught.value) and words in str(caught.value)


def test_in_a_file_of_semicolons_a_comma_is_a_decimal() -> None:
    assert read_number("1,000", "l", "x", comma_is_decimal=True) == 1.0


@pytest.mark.parametrize(
    ("text", "low", "high", "whole", "expected"),
    [
        ("9", 0, 5, False, "0 to 5 kPa"), ("2.5", 1, 5, True, "a whole number from 1 to 5 kPa"), ("-1", 0, float("inf"), False, "of at least 0 kPa"),
        ("7", -float("inf"), 6, False, "of at most 6 kPa"), ("1 bar", 0, 99, False, "0 to 99 kPa"),
    ],
)  # fmt: skip
def test_bounds_are_named(text: str, low: float, high: float, whole: bool, expected: str) -> None:
    with pytest.raises(InputError) as caught:
        read_number(text, "kPa", "x", low, high, whole=whole)
    assert expected in str(caught.value) and text in str(caught.value)


@given(st.floats(-1e6, 1e6), st.integers(0, 6), st.booleans())
def test_a_number_survives_writing_with_point_or_comma(value: float, decimals: int, comma: bool) -> None:
    text = format_number(value, decimals)
    read = read_number(text.replace(".", ",") if comma else text, "", "x", comma_is_decimal=True)
    assert read == pytest.approx(value, abs=0.51 * 10.0**-decimals)


@given(st.text(max_size=60))
def test_whatever_is_typed_is_a_number_or_an_error_with_its_place(text: str) -> None:
    try:
        value = read_number(text, "kPa", "here", -5, 5)
    except InputError as error:
        value, place = 0.0, error.place
    else:
        place = "here"
    assert -5 <= value <= 5 and place == "here"


@pytest.mark.parametrize("text", ["4" + " " * 200_000 + "4", "1" * 200_000, " " * 200_000, "1:" * 100_000])
def test_no_text_is_looked_at_for_longer_than_a_number_is(text: str) -> None:
    with pytest.raises(InputError):
        read_number(text, "s", "x")
    with pytest.raises(InputError):
        parse_lap(text, "x")


def test_numbers_have_a_true_minus_and_no_negative_zero() -> None:
    assert (format_number(-0.31, 1, True), format_number(0.31, 1, True), format_number(-0.04, 1)) == ("−0.3", "+0.3", "0.0")
