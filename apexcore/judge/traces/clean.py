"""Samples as they came, made usable: one clock that rises, no value that cannot be, short gaps closed; each step is said."""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from ...errors import InputError
from .channels import CHANNELS, words_of

Floats = NDArray[np.float64]

#: Fewest samples that make a recording.
_FEWEST = 20
#: A step of the clock back, or ahead without the car having moved, that is a jump of it [s].
_JUMP_S = 2.0
#: Time from sample to sample that a logger has [s].
_STEPS_S = (1e-4, 2.0)
#: Jumps that are told and undone at most.
_MOST_JUMPS = 100
#: Longest gap that is closed [s], and samples a second that are kept at most.
_GAP_S, MOST_HZ = 0.5, 100.0
#: A speed that differs from both its neighbours by more than this, which agree with each other, is a spike [km/h].
_SPIKE_KMH = 12.0
#: Speed under which the car stands [km/h], and how long it may on a lap that counts [s].
STANDS_KMH, _STANDS_S = 3.0, 5.0


@dataclass(frozen=True)
class Cleaned:
    """A recording on one clock.

    :param t: time of each sample, rising [s]
    :param columns: channels by key, NaN where nothing was measured for long
    :param notes: what was done, as sentences
    """

    t: Floats
    columns: Mapping[str, Floats]
    notes: tuple[str, ...]

    @cached_property
    def hz(self) -> float:
        """Samples a second."""
        return float(1.0 / np.median(np.diff(self.t))) if len(self.t) > 1 else 0.0


def cleaned(t: Floats, columns: Mapping[str, Floats]) -> Cleaned:
    """A recording made usable.

    :param t: time of each sample as it came [s]
    :param columns: channels by key, of the same length, in their own units
    :raises InputError: if too few samples have a time
    """
    notes: list[str] = []
    timed = np.isfinite(t)
    if int(timed.sum()) < _FEWEST:
        raise InputError("time", f"{int(timed.sum())} samples with a time", f"at least {_FEWEST} samples with a time in seconds")
    if not timed.all():
        notes.append(f"{int((~timed).sum()):,} samples without a time are left out.")
        t, columns = t[timed], {key: np.asarray(column)[timed] for key, column in columns.items()}
    before = len(t)
    t, keep = _one_clock(t, columns, notes)
    if len(t) < _FEWEST:
        raise InputError("time", f"{len(t)} different times", f"at least {_FEWEST}, rising from sample to sample")
    all_there = len(t) == before and bool((np.diff(keep) == 1).all())
    every = _every(t, notes)
    rising = t if every < 2 else t[: len(t) // every * every].reshape(-1, every).mean(axis=1)
    _not_constant_time(rising, notes)
    values: dict[str, Floats] = {}
    for key, column in columns.items():  # one at a time: a long recording has hundreds of megabytes
        with np.errstate(invalid="ignore"):  # bytes of a broken file that are no number of any kind
            taken = np.asarray(column if all_there else np.asarray(column)[keep], dtype=np.float64)
        possible = _possible(key, _thinned(key, taken, every), notes)
        closed = _closed(rising, possible, key in CHANNELS and CHANNELS[key].step)
        if np.isfinite(closed).any():
            values[key] = closed if column.dtype == np.float64 else closed.astype(column.dtype)
        else:
            notes.append(f"{words_of(key)} holds no value; it is left out.")
    return Cleaned(rising, values, tuple(notes))


def _one_clock(t: Floats, values: Mapping[str, Floats], notes: list[str]) -> tuple[Floats, NDArray[np.intp]]:
    """Times that rise, and which samples they belong to: repeats are dropped, neighbours that changed places sorted, jumps undone."""
    steps = np.diff(t)
    usual = float(np.median(steps[steps > 0])) if (steps > 0).any() else 0.0
    if usual <= 0.0:
        raise InputError("time", f"{t[0]:g} s in every sample", "times that rise from sample to sample")
    if not _STEPS_S[0] <= usual <= _STEPS_S[1]:
        raise InputError(
            "time", f"{usual:g} s from sample to sample", "0.1 ms to 2 s; is it in milliseconds, or in another unit than was chosen?"
        )
    back = np.flatnonzero(steps < -_JUMP_S)
    if len(back) > _MOST_JUMPS:
        raise InputError("time", f"a clock that goes back {len(back):,} times", f"times that go back at most {_MOST_JUMPS} times")
    repeats = {int(k) for k in back if _seen_before(t, values, int(k) + 1)}
    out = t.copy()
    for k in back:
        if int(k) not in repeats:
            out[k + 1 :] += t[k] - t[k + 1] + usual
            notes.append(f"The clock went back from {t[k]:.2f} s to {t[k + 1]:.2f} s; time runs on from there.")
    for k in np.flatnonzero(steps > max(_JUMP_S, 3.0 * usual))[:_MOST_JUMPS]:
        if _stood_still(values, int(k), float(steps[k])):
            out[k + 1 :] -= steps[k] - usual
            notes.append(f"The clock jumped ahead from {t[k]:.2f} s to {t[k + 1]:.2f} s while the car did not; the jump is undone.")
        else:
            notes.append(f"Nothing was recorded from {t[k]:.2f} s to {t[k + 1]:.2f} s.")
    order = np.argsort(out, kind="stable")
    if (np.diff(out) < 0).any() and not repeats:
        notes.append("Samples that were out of order are sorted by time.")
    rising = out[order]
    first = np.concatenate([[True], np.diff(rising) > 1e-3 * usual])
    if not first.all():
        notes.append(f"{int((~first).sum()):,} samples repeat a time that is there already; they are left out.")
    return np.asarray(rising[first]), np.asarray(order[first])


def _seen_before(t: Floats, values: Mapping[str, Floats], k: int) -> bool:
    """Whether the samples from one on stand further up already, with the same values."""
    same = int(np.argmin(np.abs(t[:k] - t[k])))
    if abs(t[same] - t[k]) > 1e-6:
        return False
    return all(np.array_equal(column[same : same + 3], column[k : k + 3], equal_nan=True) for column in values.values())


def _stood_still(values: Mapping[str, Floats], k: int, step_s: float) -> bool:
    """Whether the car moved far less over a step of the clock than its speed says."""
    speed = values.get("speed_kmh")
    if speed is None or not np.isfinite(speed[k : k + 2]).all() or float(speed[k : k + 2].min()) < 5.0:
        return False
    expected = float(speed[k : k + 2].mean()) / 3.6 * step_s
    if "distance_m" in values and np.isfinite(values["distance_m"][k : k + 2]).all():
        moved = float(abs(values["distance_m"][k + 1] - values["distance_m"][k]))
    elif "x_m" in values and np.isfinite([values["x_m"][k : k + 2], values["y_m"][k : k + 2]]).all():
        moved = float(np.hypot(values["x_m"][k + 1] - values["x_m"][k], values["y_m"][k + 1] - values["y_m"][k]))
    else:
        return False
    return moved < 0.2 * expected


def _every(t: Floats, notes: list[str]) -> int:
    """How many samples become one, so that there are no more than `MOST_HZ` a second."""
    usual = float(np.median(np.diff(t)))
    every = int(1.0 / MOST_HZ / usual + 1e-6)
    if every >= 2:
        notes.append(f"{1.0 / usual:.0f} samples a second are kept as {1.0 / usual / every:.0f}.")
    return max(every, 1)


def _thinned(key: str, column: Floats, every: int) -> Floats:
    """The means of so many samples; for channels that jump the middle one."""
    if every < 2:
        return column
    count = len(column) // every
    rows = column[: count * every].reshape(count, every)
    if key in CHANNELS and CHANNELS[key].step:
        return rows[:, every // 2].copy()
    there = np.isfinite(rows)
    total = np.where(there, rows, 0.0).sum(axis=1)
    return np.asarray(np.divide(total, there.sum(axis=1), out=np.full(count, np.nan), where=there.any(axis=1)))


def _possible(key: str, column: Floats, notes: list[str]) -> Floats:
    """Values that can be: bounds of the channel, shares as per cent, and no lone spike of speed."""
    column = np.where(np.isfinite(column), column, np.nan)
    if key not in CHANNELS:
        return column
    channel = CHANNELS[key]
    known = column[np.isfinite(column)]
    if channel.unit == "%" and len(known) and 0.3 < float(known.max()) <= 1.02 and float(known.min()) >= -0.05:
        notes.append(f"{channel.words} runs from 0 to 1; it is taken for shares.")
        column = 100.0 * column
    with np.errstate(invalid="ignore"):
        wrong = (column < channel.low) | (column > channel.high)
        if key == "speed_kmh" and len(column) > 2:
            before, after = column[1:-1] - column[:-2], column[1:-1] - column[2:]
            lone = (np.abs(before) > _SPIKE_KMH) & (np.abs(after) > _SPIKE_KMH) & (before * after > 0)
            lone &= np.abs(column[2:] - column[:-2]) < np.minimum(np.abs(before), np.abs(after))
            wrong[1:-1] |= lone
    if wrong.any():
        notes.append(f"{channel.words}: {int(wrong.sum()):,} values that cannot be are left out.")
        column = np.where(wrong, np.nan, column)
    return column


def _not_constant_time(t: Floats, notes: list[str]) -> None:
    steps = np.diff(t)
    if len(steps) and float(np.median(steps)) > 0.21:
        notes.append(f"One sample every {float(np.median(steps)):.2f} s: places can be told only as well as that.")


def _closed(t: Floats, column: Floats, step: bool) -> Floats:
    """The channel with its short gaps closed; before its first and behind its last value it stays as it is."""
    there = np.flatnonzero(np.isfinite(column))
    if len(there) == len(column) or len(there) < 2:
        return column
    out = column.copy()
    gap = np.flatnonzero(~np.isfinite(column))
    after = np.searchsorted(there, gap)
    inside = (after > 0) & (after < len(there))
    gap, after = gap[inside], after[inside]
    left, right = there[after - 1], there[after]
    short = (t[right] - t[left] <= _GAP_S) | (right - left <= 2)  # a slow channel beside fast ones has gaps by its nature
    usual = float(np.median(np.diff(t[there])))
    short |= t[right] - t[left] <= 1.5 * usual
    gap, left, right = gap[short], left[short], right[short]
    if step:
        out[gap] = column[left]
    else:
        share = (t[gap] - t[left]) / (t[right] - t[left])
        out[gap] = column[left] + share * (column[right] - column[left])
    return out


def stands(t: Floats, speed_kmh: Floats) -> bool:
    """Whether the car stood for some seconds."""
    slow = np.where(np.isfinite(speed_kmh), speed_kmh < STANDS_KMH, False)
    return bool(float((np.diff(t) * slow[:-1]).sum()) > _STANDS_S)
