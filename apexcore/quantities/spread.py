"""Intervals: every one that the product shows holds 95 %."""

#: Normal quantile of a two-sided 95 % interval [-].
Z95 = 1.959964


def half_interval(sd: float) -> float:
    """Half the width of the 95 % interval of a normal value with this standard deviation, in its unit."""
    return Z95 * sd


def sd_of_interval(low: float, high: float) -> float:
    """Standard deviation of a normal value whose 95 % interval this is; the inverse of `half_interval`.

    Source: normal quantile, 95 % within 1.96 standard deviations.
    """
    return (high - low) / (2.0 * Z95)
