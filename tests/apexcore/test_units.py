"""Values, bounds and sentences in the reader's units, against factors known by heart and as round trips."""

import math
import random

import pytest

from apexcore.errors import InputError
from apexcore.quantities.text import read_number, typed_unit
from apexcore.quantities.units import CHOICES, PLAIN, SETS, UnitSet, fraction, part_of_inch, step_decimals

US = UnitSet(SETS["US"])


@pytest.mark.parametrize(
    ("value", "unit", "decimals", "told"),
    [
        (97.975, "kg", 0, "216 lb"), (152, "kPa", 0, "22.0 psi"), (20, "°C", 0, "68 °F"), (160.9344, "km/h", 0, "100 mph"), (25.4, "mm", 0, "1.00 in"),
        (3.785411784, "l", 1, "1.00 US gal"), (175.1268, "N/mm", 0, "1000 lb/in"), (1.3558179, "Nm", 0, "1 lbft"), (74.56999, "kW", 0, "100 hp"),
        (304.8, "m", 0, "1000 ft"),
    ],
)  # fmt: skip
def test_known_factors(value: float, unit: str, decimals: int, told: str) -> None:
    assert US.text(value, unit, decimals).replace("\u00a0", " ") == told
    assert US.back(US.value(value, unit), unit) == pytest.approx(value)
    assert PLAIN.text(value, unit, decimals).replace("\u00a0", " ").endswith(unit)


def test_gallons_are_told_by_name() -> None:
    assert UnitSet({"volume": "imp gal"}).text(4.54609, "l", 1).replace("\u00a0", " ") == "1.00 imp gal"
    assert US.unit("l/s") == "US gal/s" and US.value(3.785411784, "l/s") == pytest.approx(1.0)


def test_differences_of_temperature_have_no_offset() -> None:
    assert US.text(10, "°C", 0, signed=True).replace("\u00a0", " ") == "+18 °F"
    assert US.number(10, "°C", 0, apart=True) == "18" and US.number(10, "K", 0) == "18" and US.number(10, "°C", 0) == "50"


@pytest.mark.parametrize(
    ("sentence", "told"),
    [
        ("air 26 °C, track 39 °C, wind 3.5 m/s", "air 79 °F, track 102 °F, wind 7.8 mph"), ("expected 110 to 200 kPa.", "expected 16.0 to 29.0 psi."),
        ("+10.0 °C hotter, ± 1.5 °C", "+18.0 °F hotter, ± 2.7 °F"), ("hot 180, 178, 182 kPa", "hot 26.1, 25.8, 26.4 psi"), ("34 kPa/kN", "34 kPa/kN"),
        ("1:13.405, 3 laps, 12 s", "1:13.405, 3 laps, 12 s"), ("4 mm/turn and 5 mmx", "4 mm/turn and 5 mmx"), ("−5 °C", "23 °F"), ("air 17 → 26 °C", "air 63 → 79 °F"),
        ("S4 in the car", "S4 in the car"), ("", ""),
    ],
)  # fmt: skip
def test_sentences(sentence: str, told: str) -> None:
    assert US.told(sentence) == told and PLAIN.told(sentence) == sentence


def test_every_unit_goes_there_and_back() -> None:
    rng = random.Random(3)
    for name, units in CHOICES.items():
        if name == "toe":  # of a rim, not of a unit alone: below
            continue
        for unit in units:
            there = UnitSet({name: unit})
            for _ in range(20):
                value = rng.uniform(-500, 500)
                assert there.back(there.value(value, units[0]), units[0]) == pytest.approx(value, abs=1e-9)
            assert there.unit(units[0]) == unit.removesuffix(", fractions") and there.plain == (unit == units[0])


def test_decimals_tell_steps_apart() -> None:
    for step in (0.05, 0.1, 0.145, 0.25, 0.5, 1.0, 2.0, 28.6):
        digits = step_decimals(step)
        assert 10.0**-digits <= 0.8 * step * 1.0001 or step >= 1.0
        assert len({round(7 + k * step, digits) for k in range(40)}) == 40


@pytest.mark.parametrize(
    ("value", "part", "text"),
    [
        (2.375, 16, "2 3/8"), (-0.0625, 16, "−1/16"), (0.0, 16, "0"), (3.0, 32, "3"), (0.999, 16, "1"), (1 / 64, 64, "1/64"), (0.01, 16, "0"),
        (-0.01, 16, "0"), (5.96875, 32, "5 31/32"),
    ],
)  # fmt: skip
def test_inches_are_told_in_fractions(value: float, part: int, text: str) -> None:
    assert fraction(value, part) == text
    assert fraction(abs(value) + 1, part, signed=True).startswith("+")


def test_every_fraction_reads_back_whatever_its_spelling() -> None:
    for part in (16, 32, 64):
        for count in range(-3 * part, 3 * part + 1):
            text = fraction(count / part, part)
            spellings = [text, text.replace("−", "-"), f"{text} in", f'{text}"', text.replace(" ", "-", 1) if " " in text else text]
            for one in spellings:
                assert read_number(one, "in", "height") == pytest.approx(count / part), one
            if "/" in text:
                assert read_number(f"{text} in", "mm", "height") == pytest.approx(25.4 * count / part) and typed_unit(f"{text} in") == "in"


@pytest.mark.parametrize(
    ("text", "unit"), [("1/16", "mm"), ("1/0", "in"), ("3 9/8", "in"), ("1/2 kPa", "in"), ("1//2", "in"), ("/2", "in"), ("1/2/3", "in")]
)
def test_what_is_no_fraction_of_an_inch_is_refused(text: str, unit: str) -> None:
    with pytest.raises(InputError):
        read_number(text, unit, "height")


def test_fractions_are_as_fine_as_the_steps_and_no_finer_than_a_64th() -> None:
    assert [part_of_inch(step) for step in (0.1, 0.07, 0.0394, 0.02, 0.013, 0.004)] == [16, 16, 32, 64, 0, 0]
    inches = UnitSet({"length": "in, fractions"})
    assert inches.text(60.0, "mm", 0) == "2\u00a03/8 in".replace("\u00a0", " ", 1).replace(" in", "\u00a0in")
    assert inches.text(0.4, "mm", 2) == "0.0157\u00a0in" and inches.unit("mm") == "in"
    assert inches.told("1 mm lower, from 60 mm") == "1/32 in lower, from 2 3/8 in"


def test_toe_across_a_rim_is_its_diameter_times_the_angle() -> None:
    for chosen, size in (("mm at the rim", 1.0), ("in at the rim", 25.4)):
        told = UnitSet({"toe": chosen}).toe(381.0)
        assert told is not None and told[0] == chosen[:2]
        for degrees in (0.05, 0.5, 1.5):  # against the chord of the rim itself
            assert told[1] * degrees * size == pytest.approx(381.0 * math.sin(math.radians(degrees)), rel=2e-4)
    assert PLAIN.toe(381.0) is None and UnitSet({"toe": "furlongs"}).toe(381.0) is None
