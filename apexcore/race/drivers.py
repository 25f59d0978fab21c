"""Who drives which stint where several share a car: each long enough, nobody too long at a stretch."""

from collections.abc import Sequence

#: Ways that are tried.
_TRIED = 50_000


def seats(stints_s: Sequence[float], drivers: int, least_s: float, longest_s: float) -> list[int] | None:
    """A driver for every stint, from 0; None where no split was found.

    Tried depth first, who has driven least first, which finds a split in a few steps where there are many.

    :param stints_s: time of each stint [s]
    :param least_s: time that each must drive [s]
    :param longest_s: longest time without a change; 0 for any [s]
    """
    if drivers > len(stints_s):
        return None
    left = [0.0] * (len(stints_s) + 1)
    for k in range(len(stints_s) - 1, -1, -1):
        left[k] = left[k + 1] + stints_s[k]
    chosen, totals, tried = list[int](), [0.0] * drivers, 0

    def lacking() -> float:
        return sum(max(least_s - total, 0.0) for total in totals)

    def go(index: int, stretch: float) -> bool:
        nonlocal tried
        tried += 1
        if tried > _TRIED or lacking() > left[index] + 1e-6:
            return False
        if index == len(stints_s):
            return all(total > 0.0 for total in totals)
        for driver in sorted(range(drivers), key=lambda one: totals[one]):
            same = bool(chosen) and chosen[-1] == driver
            at_wheel = stints_s[index] + (stretch if same else 0.0)
            if longest_s and at_wheel > longest_s + 1e-6:
                continue
            chosen.append(driver)
            totals[driver] += stints_s[index]
            if go(index + 1, at_wheel):
                return True
            totals[driver] -= stints_s[index]
            chosen.pop()
        return False

    return chosen if go(0, 0.0) else None
