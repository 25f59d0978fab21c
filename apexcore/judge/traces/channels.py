"""The channels of a recording: what each is called, in what unit it is kept, and which values can be."""

import re
from dataclasses import dataclass

from ...quantities.text import UNIT_WORDS, linear

#: Words of the wheels in the channels' keys.
_WHEELS = {"fl": "front left", "fr": "front right", "rl": "rear left", "rr": "rear right"}


@dataclass(frozen=True)
class Channel:
    """A channel that has a meaning here.

    :param key: its name in files and rows; ends with its unit
    :param words: its name on the screen
    :param unit: the unit that it is kept in, as read on the screen
    :param low: least value that can be
    :param high: greatest one
    :param step: whether it jumps from value to value, so that nothing lies between two samples
    :param names: other names under which it is often found, in lower case without anything but letters and digits
    """

    key: str
    words: str
    unit: str
    low: float
    high: float
    step: bool = False
    names: tuple[str, ...] = ()


_PLAIN = (
    Channel("time_s", "Time", "s", -1e9, 1e10, names=("time", "t", "timestamp", "elapsed", "sessiontime", "zeit")),
    Channel("lap", "Lap number", "", 0, 1e5, True, ("lap", "lapno", "lapnumber", "laps", "runde")),
    Channel("distance_m", "Distance", "m", -1e6, 1e7, names=("distance", "dist", "lapdistance", "odo", "odometer", "strecke")),
    Channel("speed_kmh", "Speed", "km/h", -5, 500, names=("speed", "v", "velocity", "groundspeed", "gpsspeed", "vcar", "wheelspeed")),
    Channel("throttle_pct", "Throttle", "%", -5, 105, names=("throttle", "tps", "gas", "accelerator", "throttlepedal", "throttlepos")),
    Channel("brake_pct", "Brake", "%", -5, 105, names=("brake", "brakepedal", "brakepos", "braking")),
    Channel("brake_bar", "Brake pressure", "bar", -5, 400, names=("brakepressure", "brakepress", "pbrake", "brakepressfront", "pbrakef")),
    Channel("steering_deg", "Steering", "°", -1200, 1200, names=("steering", "steer", "steeringangle", "steerangle", "swa")),
    Channel("gear", "Gear", "", -1, 12, True, ("gear", "gearpos", "ngear", "gang")),
    Channel("rpm", "Engine speed", "rpm", -10, 30_000, names=("rpm", "enginespeed", "engine", "nengine", "enginerpm", "revs")),
    Channel("accel_long_ms2", "Acceleration ahead", "m/s²", -120, 120, names=("along", "accx", "ax", "glong", "longacc", "accellong")),
    Channel("accel_lat_ms2", "Acceleration to the left", "m/s²", -120, 120, names=("alat", "accy", "ay", "glat", "latacc", "accellat")),
    Channel("latitude_deg", "Latitude", "°", -90, 90, names=("latitude", "lat", "gpslat", "gpslatitude")),
    Channel("longitude_deg", "Longitude", "°", -180, 180, names=("longitude", "lon", "long", "lng", "gpslon", "gpslong", "gpslongitude")),
    Channel("x_m", "East", "m", -1e8, 1e8, names=("x", "posx", "east", "easting", "positionx")),
    Channel("y_m", "North", "m", -1e8, 1e8, names=("y", "posy", "north", "northing", "positiony")),
    Channel("fuel_l", "Fuel on board", "l", -1, 500, names=("fuel", "fuellevel", "fuelonboard")),
)  # fmt: skip
_PER_WHEEL = (
    ("tyre_c", "Tyre temperature", "°C", -50.0, 400.0, ("tyretemp", "tiretemp", "ttyre", "tyret")),
    ("tyre_kpa", "Tyre pressure", "kPa", 0.0, 1000.0, ("tyrepress", "tyrepressure", "tirepressure", "ptyre", "tirepress")),
    ("ride_mm", "Ride height", "mm", -200.0, 500.0, ("rideheight", "rh", "ride")),
)

#: Every channel with a meaning here, by its key.
CHANNELS: dict[str, Channel] = {one.key: one for one in _PLAIN} | {
    f"{stem}_{wheel}": Channel(f"{stem}_{wheel}", f"{words}, {told}", unit, low, high, names=tuple(f"{name}{wheel}" for name in names))
    for stem, words, unit, low, high, names in _PER_WHEEL
    for wheel, told in _WHEELS.items()
}

#: Longest name of a channel.
MOST_NAME = 40
#: What stands for a unit in the names of columns: how much it is of a channel's own, and which that is. Units that the product's own
#: table does not know.
_UNITS = {
    **dict.fromkeys(("ms2", "m/s2", "m/s²", "m/s^2"), (1.0, "m/s²")), "g": (9.80665, "m/s²"),
    **dict.fromkeys(("rpm", "1/min", "min-1"), (1.0, "rpm")), "rad": (57.29577951308232, "°"),
    "ms": (1e-3, "s"), "us": (1e-6, "s"), "µs": (1e-6, "s"), "ns": (1e-9, "s"),
    "km": (1000.0, "m"), "mi": (1609.344, "m"), "ft": (0.3048, "m"),
    **dict.fromkeys(("kts", "kn", "knots"), (1.852, "km/h")), "-": (1.0, ""), "ratio": (100.0, "%"),
}  # fmt: skip
#: Other spellings of units of the product's own table.
_SPELT = {
    "degc": "°c",
    "celsius": "°c",
    "kph": "km/h",
    "mps": "m/s",
    "sec": "s",
    "litre": "l",
    "litres": "l",
    "percent": "%",
    "degrees": "°",
}

_WITH_UNIT = re.compile(r"^\s*(?P<name>[^\[\](]*?)\s*[\[(](?P<unit>[^\])]*)[\])]\s*$")


@dataclass(frozen=True)
class Match:
    """What a column is taken for.

    :param key: of the channel: one of `CHANNELS`, or a name of the file's own
    :param unit: the unit that its numbers are in, as read on the screen
    :param scale: what a number is multiplied by
    :param shift: what is added then
    """

    key: str
    unit: str
    scale: float = 1.0
    shift: float = 0.0


def in_unit(key: str, unit: str) -> Match | None:
    """A channel whose numbers are in this unit; None where the unit is none for it.

    :param key: one of `CHANNELS`
    :param unit: as written; empty for the channel's own
    """
    channel = CHANNELS[key]
    typed = unit.strip().lower()
    typed = _SPELT.get(typed, typed)
    if typed in ("", channel.unit.lower()):
        return Match(key, channel.unit)
    if typed in _UNITS:
        scale, own = _UNITS[typed]
        return Match(key, unit.strip(), scale) if own == channel.unit else None
    if typed not in UNIT_WORDS or channel.unit.lower() not in UNIT_WORDS:
        return None
    try:
        scale, shift = linear(typed, channel.unit)
    except ValueError:
        return None
    return Match(key, unit.strip(), scale, shift)


def parted(name: str) -> tuple[str, str]:
    """A column's name without the unit behind it in brackets, and the unit."""
    found = _WITH_UNIT.match(name)
    return (found["name"].strip(), found["unit"].strip()) if found else (name.strip(), "")


def bare(name: str) -> str:
    """Letters and digits of a name in lower case, by which channels are known."""
    return re.sub(r"[\W_]+", "", name.lower())


def guessed(header: list[str], units: list[str] | None = None) -> list[Match | None]:
    """What each column of a file is by its name and unit; what is not known keeps its own name, what has none is left out.

    :param header: names of the columns, a unit in brackets behind one where there is any
    :param units: of the columns, where the file tells them apart from the names
    """
    found: list[Match | None] = []
    taken: set[str] = set()
    for place, full in enumerate(header):
        name, unit = parted(full[:200])
        unit = (units[place] if units and units[place].strip() else unit)[:20]
        match = _known(name, unit)
        if match is None or match.key in taken:
            own = re.sub(r"\s+", " ", name)[:MOST_NAME].strip()
            match = Match(own, unit) if own and own not in taken and own not in CHANNELS else None
        if match is not None:
            taken.add(match.key)
        found.append(match)
    return found


def _known(name: str, unit: str) -> Match | None:
    letters = bare(name)
    for channel in CHANNELS.values():
        if letters == bare(channel.key) or name == channel.key:
            return in_unit(channel.key, unit)
    for channel in CHANNELS.values():
        if letters in channel.names:
            match = in_unit(channel.key, unit)
            if match is not None:
                return match
    return None


def unit_of(key: str) -> str:
    """The unit of a channel of ours; empty for one of a file's own."""
    return CHANNELS[key].unit if key in CHANNELS else ""


def words_of(key: str) -> str:
    """A channel's name on the screen."""
    return CHANNELS[key].words if key in CHANNELS else key
