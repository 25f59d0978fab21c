"""Foreign recordings of the virtual car: another header, other units, another clock, places in degrees."""

import io
import math

import numpy as np

from apexcore.circuit.line import Line
from apexcore.lap.solver import Lap
from apextrim.events.models import Event
from apextrim.modelling import answers, cases
from apextrim.sheets.models import Sheet
from apextrim.sheets.queries import core_sheet

HZ = 25.0
#: Where the foreign receiver is said to have been.
PLACE = (52.3, -1.4)
HEADER = ("Elapsed (ms)", "Ground Speed [mph]", "Pedal", "Brake Press (bar)", "GPS Lat", "GPS Long", "Öldruck [bar]")


def solved(event: Event, sheet: Sheet) -> tuple[Line, Lap]:
    """The model's lap with a sheet."""
    return cases.lap_case_of(event).line, answers.answer_of(event, core_sheet(event, sheet)).lap


def drive(line: Line, laps: list[Lap], seed: int = 1, place_m: float = 0.4) -> dict[str, np.ndarray]:
    """Laps one after the other with a lead-in before the first and a run-out behind the last, sampled evenly."""
    rng = np.random.default_rng(seed)
    way, clock = np.append(line.s, line.length_m), [0.0]
    at: list[np.ndarray] = []
    speed: list[np.ndarray] = []
    throttle: list[np.ndarray] = []
    brake: list[np.ndarray] = []
    for number, lap in enumerate(laps):
        times = np.concatenate([[0.0], np.cumsum(lap.column("time"))])
        t = np.arange((-clock[-1]) % (1 / HZ), times[-1], 1 / HZ)
        for values, column in ((speed, "speed"), (throttle, "throttle"), (brake, "brake")):
            values.append(np.interp(t, times, np.append(lap.column(column), lap.column(column)[0])))
        at.append(np.interp(t, times, way) + number * line.length_m)
        clock.append(clock[-1] + times[-1])
    place = np.concatenate(at)
    around = place % line.length_m
    x, y = (np.interp(around, way, np.append(column, column[0])) for column in (line.x, line.y))
    count = len(place)
    t = np.arange(count) / HZ
    rad = math.pi / 180.0 * 6_371_008.8
    return {
        "t": t, "speed": 3.6 * np.concatenate(speed) + rng.normal(0, 0.2, count), "throttle": np.concatenate(throttle),
        "brake": np.concatenate(brake), "latitude": PLACE[0] + (y + rng.normal(0, place_m, count)) / rad,
        "longitude": PLACE[1] + (x + rng.normal(0, place_m, count)) / rad / math.cos(math.radians(PLACE[0])),
    }  # fmt: skip


def foreign_csv(channels: dict[str, np.ndarray], mph: bool = True) -> bytes:
    """A table in a foreign header: milliseconds, miles an hour, shares, degrees; semicolons and decimal commas; a preamble."""
    out = io.StringIO()
    out.write("Box 7 export\nsomebody's car\n\n" + ";".join(HEADER) + "\n")
    speed = channels["speed"] / (1.609344 if mph else 1.0)
    for row in zip(
        1000 * (100 + channels["t"]),
        speed,
        channels["throttle"],
        70 * channels["brake"],
        channels["latitude"],
        channels["longitude"],
        strict=True,
    ):
        cells = [f"{row[0]:.1f}", f"{row[1]:.3f}", f"{row[2]:.4f}", f"{row[3]:.2f}", f"{row[4]:.8f}", f"{row[5]:.8f}", "4.2"]
        out.write(";".join(cell.replace(".", ",") for cell in cells) + "\n")
    return out.getvalue().encode()


def foreign_parquet(channels: dict[str, np.ndarray]) -> bytes:
    """The same as Parquet, in units of its own fields."""
    names = {"speed": "Speed", "throttle": "throttle_pct", "brake": "brake_pct", "latitude": "latitude_deg", "longitude": "longitude_deg"}
    import pyarrow as pa
    from pyarrow import BufferOutputStream, parquet

    table = pa.table({"time_s": channels["t"], **{name: channels[key] for key, name in names.items()}})
    out = BufferOutputStream()
    parquet.write_table(table, out)
    return bytes(out.getvalue().to_pybytes())
