"""The form made of a schema: what goes in comes out, what is wrong is told at its place and stays as typed."""

import pytest

from apexcore.circuit.track import Circuit, Corner, Straight
from apexcore.quantities.described import described
from apexcore.quantities.values import Value
from apexcore.vehicle.car import Car, Compound
from apextrim.ui.value_form import ValueForm, flat
from tests.conftest import DEMO, demo_car, demo_files


def texts_of(value: Value) -> dict[str, str]:
    return dict(flat(value.model_dump()))


def car_form(**changes: str) -> ValueForm[Car]:
    texts = texts_of(demo_car("brackendale_gt"))
    texts.update({key.replace("__", "."): text for key, text in changes.items()})
    form = ValueForm(Car, texts)
    form.check()
    return form


@pytest.mark.parametrize("key", demo_files("cars"))
def test_a_car_goes_through_unchanged(key: str) -> None:
    form = ValueForm(Car, texts_of(demo_car(key)))
    assert form.check() == demo_car(key)
    assert form.all_problems() == []


@pytest.mark.parametrize("key", demo_files("circuits"))
def test_a_circuit_goes_through_unchanged(key: str) -> None:
    circuit = Circuit.model_validate_json((DEMO / "circuits" / f"{key}.json").read_text())
    assert ValueForm(Circuit, texts_of(circuit)).check() == circuit


def test_every_field_of_a_car_has_words_and_every_measure_its_unit() -> None:
    for model in (Car, Compound, Straight, Corner, Circuit):
        for name, said in described(model).items():
            assert name in ("format", "kind") or said.words.lower() != name.replace("_", " "), f"{model.__name__}.{name} is not described"
    assert described(Compound)["temperature_opt_c"].unit == "°C"
    assert described(Car)["wheelbase_m"].range_text == "0.5 to 5 m"


def test_numbers_are_typed_as_people_type_them() -> None:
    form = car_form(mass__dry_kg="1240,5", tyres__cold_kpa__0="20 psi", mass__cross_shift="−0.01")
    assert form.value is not None
    assert form.value.mass.dry_kg == 1240.5 and form.value.mass.cross_shift == -0.01
    assert form.value.tyres.cold_kpa[0] == pytest.approx(137.895, rel=1e-4)


@pytest.mark.parametrize(
    ("changes", "path", "words"),
    [
        ({"mass__dry_kg": "-5"}, "mass.dry_kg", "Car without driver and fuel: “-5.0” is not valid: Input should be greater than 50."),
        ({"mass__dry_kg": "heavy"}, "mass.dry_kg", "“heavy” is not valid; expected a number in kg"),
        ({"mass__dry_kg": ""}, "mass.dry_kg", "a value is needed"),
        ({"tyres__cold_kpa__1": "20 kg"}, "tyres.cold_kpa.1", "“kg” is no unit for it"),
        ({"items__3__low": "lots"}, "items.3.low", "row 4: “lots” is not valid"),
        ({"items__3__step": "0"}, "items.3.step", "row 4"),
        ({"powertrain__torque_nm__2__1": "0"}, "powertrain", "every torque must be above 0"),
        ({"powertrain__gears__2": "5"}, "powertrain", "each ratio must be below the one before it"),
        ({"tyres__compounds__1__hatch": "plaid"}, "tyres.compounds.1.hatch", "row 2"),
    ],
)
def test_what_is_wrong_is_told_at_its_place_and_stays_as_typed(changes: dict[str, str], path: str, words: str) -> None:
    form = car_form(**changes)
    assert form.value is None
    assert words in form.errors[path], form.errors
    for key, text in changes.items():
        assert form.texts[key.replace("__", ".")] == text
    drawn = form.sections({"mass": "Mass", "tyres": "Tyres", "items": "Items", "powertrain": "Drive"})
    boxes = [box for part in drawn for box in [*part.boxes, *[box for table in part.tables for row in table.rows for box in row]]]
    shown = [box.error for box in boxes] + [part.error for part in drawn]
    assert any(words in error for error in shown)


def test_an_emptied_row_goes_and_a_filled_one_comes_with_its_place() -> None:
    texts = texts_of(demo_car("brackendale_gt"))
    for key in [key for key in texts if key.startswith("items.1.")]:
        texts[key] = ""
    texts["items.1.place"] = "fr"  # a choice always has some state
    texts |= {"powertrain.torque_nm.9.0": "7600", "powertrain.torque_nm.9.1": "350"}
    form = ValueForm(Car, texts)
    value = form.check()
    assert value is not None
    assert [item.key for item in value.items][:3] == ["pressure_fl", "pressure_rl", "pressure_rr"]
    assert value.powertrain.torque_nm[-1] == (7600, 350)
    texts["items.2.high"] = "none"
    wrong = ValueForm(Car, texts)
    assert wrong.check() is None and "row 3" in wrong.errors["items.2.high"]


def test_a_row_of_either_kind_keeps_only_its_own_fields() -> None:
    base = {"key": "loop", "name": "Loop", "layout": "one", "width_m": "11", "closed": "on"}
    rows = {
        "segments.0.kind": "straight", "segments.0.length_m": "300", "segments.0.name": "no name on a straight",
        "segments.1.kind": "corner", "segments.1.angle_deg": "180", "segments.1.radius_m": "50", "segments.1.length_m": "9",
        "segments.2.kind": "straight", "segments.2.length_m": "300",
        "segments.3.kind": "corner", "segments.3.angle_deg": "180", "segments.3.radius_m": "50", "segments.4.kind": "",
    }  # fmt: skip
    value = ValueForm(Circuit, {**base, **rows}).check()
    assert value is not None and [segment.kind for segment in value.segments] == ["straight", "corner", "straight", "corner"]
    bad = ValueForm(Circuit, {**base, **rows, "segments.3.radius_m": "1"})
    assert bad.check() is None and "row 4" in bad.errors["segments.3.radius_m"]
    assert ValueForm(Circuit, {**base, **rows}, {"key": "kept"}).check().key == "kept"  # type: ignore[union-attr]
