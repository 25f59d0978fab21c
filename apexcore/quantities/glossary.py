"""Every quantity of the product: its name in code, its unit, its words in the interface.

`docs/glossary.md` is written from this table by `make docs`.
"""

from dataclasses import dataclass


@dataclass(frozen=True)
class Quantity:
    """One line of the glossary.

    :param name: the name in code, with the unit where it is not SI
    :param unit: the one spelling of its unit
    :param words: what the interface calls it
    :param meaning: one sentence
    :param decimals: digits after the decimal point that its usual spread justifies
    """

    name: str
    unit: str
    words: str
    meaning: str
    decimals: int


_LINES = [
    Quantity("lap_time_s", "s", "lap time", "Time over one lap from line to line.", 3),
    Quantity("delta_s", "s", "difference per lap", "Lap time minus the reference; negative is quicker.", 3),
    Quantity("fade_s_per_lap", "s/lap", "tyre fade", "Lap time added by one more lap on the same tyres.", 3),
    Quantity("fuel_s_per_kg", "s/kg", "fuel weight cost", "Lap time added by one kilogram on board.", 4),
    Quantity("fuel_l", "l", "fuel", "Fuel on board.", 1),
    Quantity("fuel_l_per_lap", "l/lap", "fuel use", "Fuel burnt in one racing lap.", 2),
    Quantity("pressure_kpa", "kPa", "tyre pressure", "Gauge pressure, cold unless called hot.", 0),
    Quantity("camber_deg", "°", "camber", "Wheel inclination; negative leans the top inwards.", 1),
    Quantity("balance_pct", "%", "balance", "Front axle's grip use minus the rear's; + understeer, − oversteer.", 1),
    Quantity("speed_kmh", "km/h", "speed", "Speed along the line.", 0),
    Quantity("track_c", "°C", "track temperature", "Temperature of the track surface.", 0),
    Quantity("air_c", "°C", "air temperature", "Temperature of the air.", 0),
    Quantity("humidity_pct", "%", "humidity", "Relative humidity of the air.", 0),
    Quantity("pressure_hpa", "hPa", "air pressure", "Air pressure at the circuit, not reduced to sea level.", 0),
    Quantity("wind_ms", "m/s", "wind", "Wind speed at car height.", 1),
    Quantity("spring_n_per_mm", "N/mm", "spring", "Stiffness of one spring at the spring.", 0),
    Quantity("brake_front_pct", "%", "brake bias", "Share of the braking force at the front axle.", 1),
    Quantity("final_drive", ":1", "final drive", "Turns of the gearbox output per turn of the wheel.", 2),
    Quantity("tread_c", "°C", "tread temperature", "Surface temperature of one tyre; of its thirds where three are told.", 0),
    Quantity("carcass_c", "°C", "carcass temperature", "Temperature of the carcass and the gas of one tyre, which makes its pressure.", 0),
    Quantity("ride_hz", "Hz", "natural frequency", "Of the body on springs and tyres over one axle; never enters the lap time.", 1),
    Quantity("damping_ratio", "-", "damping", "Damper rate at the wheel over critical damping.", 2),
    Quantity("clearance_mm", "mm", "floor", "Least height of the floor over the road on a lap.", 0),
    Quantity("tow", "-", "tow", "How close another car runs ahead, 0 alone to 1 right behind it.", 1),
    Quantity("wear_pct", "%", "tyre wear", "Share of the tread used up.", 0),
    Quantity("slide_kj", "kJ/lap", "tyre work", "Energy one tyre turns into heat by sliding in one lap.", 0),
    Quantity("ability", "-", "share of the envelope", "Part of the car's grip that the driver uses.", 2),
]

GLOSSARY: dict[str, Quantity] = {line.name: line for line in _LINES}
